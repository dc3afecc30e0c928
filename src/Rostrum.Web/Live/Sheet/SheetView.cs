using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Sheet;

/// <summary>What the sheet at the right shows: a record, a new one, why there is none, or nothing.</summary>
internal abstract record SheetView
{
    private SheetView() { }

    public sealed record Closed : SheetView;

    public sealed record Missing(string Heading, string Explanation, string CloseAddress, bool IsOutage = false) : SheetView;

    public sealed record Open : SheetView
    {
        public required Dataset Dataset { get; init; }

        public required Grant Grant { get; init; }

        public required string Title { get; init; }

        public required bool IsNew { get; init; }

        public required string? KeyText { get; init; }

        public required RecordForm Form { get; init; }

        public required string Path { get; init; }

        public required ListState State { get; init; }

        /// <summary>What concerns the whole record.</summary>
        public ImmutableArray<string> Problems { get; init; } = [];

        public bool InConflict { get; init; }

        public bool CanSave => Form.Fields.Any(shown => shown.ReadOnlyBecause is null) && (IsNew ? Grant.Allows(Verbs.Create) : Grant.Allows(Verbs.Update));

        public bool CanDelete => !IsNew && Dataset.ReadOnlyBecause is null && Grant.Allows(Verbs.Delete);

        public string CloseAddress => Path + State.Closed().ToQuery();

        public string Address(string handler) => State.At(Path, "handler", handler);
    }
}
