using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live.Sheet;

namespace Rostrum.Web.Live.Panels.Table.Bulk;

/// <summary>What is about to be done with the checked records, as far as it is said.</summary>
internal sealed record BulkView
{
    public required PageRun Run { get; init; }

    public required TablePanel Table { get; init; }

    public required Dataset Dataset { get; init; }

    /// <summary>They are deleted, and not changed.</summary>
    public required bool Deletes { get; init; }

    /// <summary>All that match are meant, and not the checked ones.</summary>
    public bool All { get; init; }

    /// <summary>Names the press of the button that begins it.</summary>
    public Guid Request { get; init; } = Guid.NewGuid();

    /// <summary>Names the press of the button that begins to check it.</summary>
    public Guid CheckRequest { get; init; } = Guid.NewGuid();

    public required int Count { get; init; }

    /// <summary>How many that is, in words, where the source only estimates it.</summary>
    public string? CountText { get; init; }

    /// <summary>How many they are, as people read it.</summary>
    public string Number => CountText ?? Count.ToString("#,##0", Run.Format.Culture);

    /// <summary>The fields that can be set, with what was typed.</summary>
    public required RecordFormView.Open Form { get; init; }

    /// <summary>The fields that are set, by their names.</summary>
    public ImmutableHashSet<string> Set { get; init; } = [];

    /// <summary>What stood for the values of each record when they were shown, by the record's key.</summary>
    public ImmutableDictionary<string, string> Seen { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>What would come of it; null where it is not said yet.</summary>
    public ImmutableArray<BulkLine>? Preview { get; init; }

    /// <summary>What keeps all of it from being done.</summary>
    public string? Problem { get; init; }

    public string Address =>
        Run.State.At(
            Run.Path,
            ("handler", "Bulk"),
            ("panel", Table.Name),
            ("does", Deletes ? "delete" : "change"),
            ("all", All ? "yes" : "")
        );

    public int Possible => Preview?.Count(line => line.Because is null) ?? 0;

    public string Noun(int count) => count == 1 ? Dataset.RecordLabel : Dataset.LabelInSentence;
}

/// <summary>What would come of it for one record.</summary>
/// <param name="Key">Names the record.</param>
/// <param name="Seen">Stands for the values that were there, so that a later change of them is noticed.</param>
/// <param name="Title">The record.</param>
/// <param name="Changes">Of each field what it is and what it would be, as people read it.</param>
/// <param name="Because">Why it cannot be done; null where it can.</param>
/// <param name="Warnings">What rules warn of.</param>
internal sealed record BulkLine(
    string Key,
    string Seen,
    string Title,
    ImmutableArray<(string Label, string Before, string After)> Changes,
    string? Because,
    ImmutableArray<string> Warnings
);
