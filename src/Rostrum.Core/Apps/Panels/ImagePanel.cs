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
    public string Size { get; init; } = "medium";

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        if (Record is null)
        {
            yield return Lacks("record", "It is not said whose picture is shown.");
        }
        else if (Picture is not { } picture || place.Dataset?.Find(picture) is not { IsPicture: true })
        {
            yield return Lacks("picture", "It shows a picture: choose the field that holds it.");
        }
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Image", "A picture of a record", "image",
        (name, dataset) => new ImagePanel
        {
            Name = name,
            Dataset = dataset!.Id,
            Picture = dataset.Fields.FirstOrDefault(field => field is { Hidden: false, IsPicture: true })?.Name,
            Width = 4,
        },
        [
            Of<ImagePanel>(
                "dataset",
                "Dataset",
                SettingPart.Content,
                new SettingKind.SomeDataset(),
                panel => panel.Dataset.ToString(),
                (panel, text) => Guid.TryParse(text, out var id) ? panel with { Dataset = new DatasetId(id) } : null),
            Of<ImagePanel>(
                "record",
                "Which record",
                SettingPart.Content,
                new SettingKind.SomeRecord(),
                panel => panel.Record,
                (panel, text) => panel with { Record = Blank(text) }),
            Of<ImagePanel>(
                "picture",
                "Picture",
                SettingPart.Content,
                new SettingKind.OneField { Pictures = true },
                panel => panel.Picture?.Value,
                (panel, text) => panel with { Picture = text.Length == 0 ? null : new FieldName(text) }),
            Of<ImagePanel>(
                "caption",
                "Said under it",
                SettingPart.Content,
                new SettingKind.Line(new FormulaType.Text()),
                panel => panel.Caption,
                (panel, text) => panel with { Caption = Blank(text) }),
            Of<ImagePanel>(
                "size",
                "Height",
                SettingPart.Appearance,
                Sizes.Kind,
                panel => panel.Size,
                (panel, text) => panel with { Size = text }),
        ])
    { NeedsDataset = true };
}
