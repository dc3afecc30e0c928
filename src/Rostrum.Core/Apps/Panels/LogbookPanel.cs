using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>Who changed what, and when: of one record, or of all of a dataset that whoever looks sees.</summary>
public sealed record LogbookPanel : Panel, IPanelKind
{
    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>Which record: a formula over the page; null for all.</summary>
    public string? Record { get; init; }

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Logbook",
            "Who changed what, and when; changes are undone there",
            "journal-text",
            (name, dataset) => new LogbookPanel { Name = name, Dataset = dataset!.Id },
            [
                SettingsOf<LogbookPanel>.Dataset(panel => panel.Dataset, (panel, dataset) => panel with { Dataset = dataset }),
                SettingsOf<LogbookPanel>.Record("Record", panel => panel.Record, (panel, formula) => panel with { Record = formula }) with
                {
                    Help = "Blank: the changes of all records.",
                },
            ]
        )
        {
            NeedsDataset = true,
        };
}
