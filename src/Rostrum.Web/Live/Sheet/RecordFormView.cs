using System.Collections.Immutable;
using Microsoft.AspNetCore.Html;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Web.Live.Sheet;

/// <summary>What the sheet at the right shows: a record, a new one, why there is none, or nothing.</summary>
internal abstract record RecordFormView
{
    private RecordFormView() { }

    public sealed record Closed : RecordFormView;

    public sealed record Missing(string Heading, string Explanation, string CloseAddress, bool IsOutage = false) : RecordFormView;

    public sealed record Open : RecordFormView
    {
        public required Dataset Dataset { get; init; }

        public required Grant Grant { get; init; }

        public required string Title { get; init; }

        public required bool IsNew { get; init; }

        public required string? KeyText { get; init; }

        public required RecordForm Form { get; init; }

        public required string Path { get; init; }

        public required PageState State { get; init; }

        /// <summary>Where the record to which another refers is looked at; null where it is not.</summary>
        public required Func<Relation, object?, string?> AddressOf { get; init; }

        /// <summary>The panel to which the form belongs: a table whose record is open, or a form on the page.</summary>
        public required string Panel { get; init; }

        /// <summary>The form stands on the page, and not in the sheet.</summary>
        public FormPanel? OnPage { get; init; }

        /// <summary>Why it cannot be saved at this moment; null where it can.</summary>
        public string? DisabledBecause { get; init; }

        /// <summary>What stands on the button that saves.</summary>
        public string? Button { get; init; }

        /// <summary>Help before fields, as the page shows it.</summary>
        public ImmutableDictionary<string, IHtmlContent> Help { get; init; } = ImmutableDictionary<string, IHtmlContent>.Empty;

        /// <summary>Names what is typed into it and not saved: the page, the panel and the record.</summary>
        public string UnsavedName => $"{Path} {Panel} {KeyText ?? "new"}";

        /// <summary>The id of what the form's answers go into.</summary>
        public string Target => OnPage is null ? "sheet" : $"panel-{Panel}";

        /// <summary>What concerns the whole record.</summary>
        public ImmutableArray<string> Problems { get; init; } = [];

        public bool InConflict { get; init; }

        /// <summary>Where one watches the record; null where nobody can.</summary>
        public string? WatchAddress { get; init; }

        /// <summary>Why this record may not be changed, where others may.</summary>
        public string? Limit { get; init; }

        /// <summary>What rules say of the whole record.</summary>
        public ImmutableArray<FieldProblem> Said { get; init; } = [];

        /// <summary>The record was not saved because of warnings alone.</summary>
        public bool HasWarnings { get; init; }

        /// <summary>Where on the page, and under which name, what concerns the whole record is said.</summary>
        public string WholeId => OnPage is null ? "record" : $"record-{Panel}";

        public const string Whole = "";

        /// <summary>The same with what is wrong: at the fields that are shown, else above them.</summary>
        public Open Saying(RecordForm form, ImmutableArray<FieldProblem> problems) =>
            this with
            {
                Form = form.WithProblems(problems),
                Said =
                [
                    .. problems
                        .Where(problem => !form.Shows(problem))
                        .Select(problem =>
                            problem.Field is { } field && Dataset.Find(field) is not null
                                ? problem with
                                {
                                    Message = $"{Dataset.LabelOf(field)}: {problem.Message}",
                                }
                                : problem
                        ),
                ],
            };

        /// <summary>What keeps it from being saved, as far as it can be told from what stands in it; null where nothing does.</summary>
        public string? StillNeeded
        {
            get
            {
                string[] blank =
                [
                    .. Form
                        .Fields.Where(shown =>
                            shown is { IsRequired: true, ReadOnlyBecause: null, Text.Length: 0 } && !(IsNew && shown.Field.HasDefault)
                        )
                        .Select(shown => Wording.InSentence(shown.Label)),
                ];
                return blank.Length > 0
                    ? $"Still needed: {string.Join(", ", blank)}."
                    : Said.FirstOrDefault(problem => !problem.Warns)?.Message
                        ?? (
                            Form.Fields.FirstOrDefault(shown => shown.IsInvalid) is not { } wrong ? null
                            : wrong.Text.Length > 0 ? "Fix the marked fields."
                            : $"{wrong.Label}: {wrong.Said[0].Message}"
                        );
            }
        }

        public bool CanSave =>
            Form.Fields.Any(shown => shown.ReadOnlyBecause is null) && (IsNew ? Grant.Allows(Verbs.Create) : Grant.Allows(Verbs.Update));

        public bool CanDelete =>
            OnPage is null or { AllowDeleting: true } && !IsNew && Dataset.ReadOnlyBecause is null && Grant.Allows(Verbs.Delete);

        public string CloseAddress => Path + State.With(Panel, State.List(Panel).Closed()).ToQuery();

        public string Address(string handler) => State.At(Path, ("handler", handler), ("panel", Panel));
    }
}
