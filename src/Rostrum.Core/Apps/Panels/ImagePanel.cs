using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>A picture of a record.</summary>
public sealed record ImagePanel : Panel, IPanelKind
{
    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>Which record: a formula over the page.</summary>
    public string? Record { get; init; }

    /// <summary>The field with the picture.</summary>
    public FieldName? Picture { get; init; }

    /// <summary>What is said under it, or a formula for that.</summary>
    public string? Caption { get; init; }

    /// <summary>How high it is at most.</summary>
    public PanelSize Size { get; init; } = PanelSize.Medium;

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        if (Record is null)
        {
            yield return Lacks("record", "It shows no record: choose which.");
        }
        else if (Picture is not { } picture || place.Dataset?.Find(picture) is not { IsPicture: true })
        {
            yield return Lacks("picture", "It shows a picture: choose the field that holds it.");
        }
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Image",
            "A picture of a record",
            "image",
            (name, dataset) =>
                new ImagePanel
                {
                    Name = name,
                    Dataset = dataset!.Id,
                    Picture = dataset.Fields.FirstOrDefault(field => field is { Hidden: false, IsPicture: true })?.Name,
                    Width = 4,
                },
            [
                SettingsOf<ImagePanel>.Dataset(panel => panel.Dataset, (panel, dataset) => panel with { Dataset = dataset }),
                SettingsOf<ImagePanel>.Record("Record", panel => panel.Record, (panel, formula) => panel with { Record = formula }),
                SettingsOf<ImagePanel>.Picture(panel => panel.Picture, (panel, field) => panel with { Picture = field }),
                SettingsOf<ImagePanel>.Text(
                    "caption",
                    "Caption",
                    SettingPart.Content,
                    panel => panel.Caption,
                    (panel, text) => panel with { Caption = text }
                ),
                Sizes.Setting<ImagePanel>("Height", panel => panel.Size, (panel, size) => panel with { Size = size }),
            ]
        )
        {
            NeedsDataset = true,
        };
}
