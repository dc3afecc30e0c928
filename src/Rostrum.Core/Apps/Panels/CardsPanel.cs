using System.Collections.Immutable;
using System.Text.Json.Serialization;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>A dataset's records as cards: side by side, as pictures, or one below the other; with what belongs to each.</summary>
public sealed record CardsPanel : ListPanel, IPanelKind
{
    /// <summary>How they stand: <c>grid</c>, <c>gallery</c> or <c>list</c>.</summary>
    public string Layout { get; init; } = "grid";

    /// <summary>What stands at the head of each, or a formula over the record; its title where null.</summary>
    public string? CardTitle { get; init; }

    /// <summary>What stands below that, or a formula over the record.</summary>
    public string? Subtitle { get; init; }

    /// <summary>The field with its picture.</summary>
    public FieldName? Picture { get; init; }

    /// <summary>The fields on each card, in order.</summary>
    public ImmutableArray<FieldName> Fields { get; init; } = [];

    /// <summary>What belongs to each record.</summary>
    public ImmutableArray<NestedList> Nested { get; init; } = [];

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        var gone = place.Dataset is { } dataset ? NestedLists.Unrelated(Nested, dataset, place.Catalogue) : [];
        return [
            .. base.Problems(place),
            .. gone.Select(name => Lacks("nested", $"A list shows “{name}” of each record, which is no longer there.")),
        ];
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Cards", "Records as cards, pictures or a list, with what belongs to each", "images", Make,
        [
            .. Records,
            Of<CardsPanel>(
                "layout",
                "They stand",
                SettingPart.Content,
                new SettingKind.OneOf([("grid", "side by side"), ("gallery", "as pictures"), ("list", "one below the other")]),
                panel => panel.Layout,
                (panel, text) => panel with { Layout = text }),
            Of<CardsPanel>(
                "cardTitle",
                "Title of each",
                SettingPart.Content,
                new SettingKind.Line(new FormulaType.Text(), OverRecord: true),
                panel => panel.CardTitle,
                (panel, text) => panel with { CardTitle = Blank(text) }) with
            {
                Help = "Its record's title where blank. Begin with = to compute it.",
            },
            Of<CardsPanel>(
                "subtitle",
                "Subtitle",
                SettingPart.Content,
                new SettingKind.Line(new FormulaType.Text(), OverRecord: true),
                panel => panel.Subtitle,
                (panel, text) => panel with { Subtitle = Blank(text) }),
            Of<CardsPanel>(
                "picture",
                "Picture",
                SettingPart.Content,
                new SettingKind.OneField { Pictures = true },
                panel => panel.Picture?.Value,
                (panel, text) => panel with { Picture = text.Length == 0 ? null : new FieldName(text) }),
            Of<CardsPanel>(
                "fields",
                "Fields",
                SettingPart.Content,
                new SettingKind.Fields(),
                panel => Joined(panel.Fields),
                (panel, text) => panel with { Fields = FieldNames(text) }),
            Of<CardsPanel>(
                "labels",
                "Called here",
                SettingPart.Content,
                new SettingKind.FieldTexts(),
                panel => LabelOverride.ToText(panel.Labels),
                (panel, text) => panel with { Labels = LabelOverride.Read(text) }) with
            {
                Beside = "fields",
            },
            Of<CardsPanel>(
                "nested",
                "What belongs to each",
                SettingPart.Content,
                new SettingKind.NestedLists(),
                panel => SettingKind.NestedLists.Write(panel.Nested),
                (panel, text) => panel with { Nested = SettingKind.NestedLists.Read(text)!.Value }),
            .. Doings,
        ])
    { NeedsDataset = true };

    private static CardsPanel Make(string name, Dataset? dataset)
    {
        var table = AppDrafting.Table(name, dataset!);
        var picture = dataset!.Fields.FirstOrDefault(field => field is { Hidden: false, IsPicture: true })?.Name;
        return new CardsPanel
        {
            Name = name,
            Dataset = dataset.Id,
            Picture = picture,
            Layout = picture is null ? "grid" : "gallery",
            Fields = [.. table.Columns.Where(column => dataset.Title.All(part => part.Field != column)).Take(3)],
            SheetFields = table.SheetFields,
            Sort = table.Sort,
            PageSize = 24,
            AddsRecords = false,
        };
    }
}
