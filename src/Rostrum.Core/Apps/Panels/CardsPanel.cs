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
    /// <summary>How the cards are laid out.</summary>
    public CardLayout Layout { get; init; }

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
        return
        [
            .. base.Problems(place),
            .. gone.Select(name => Lacks("nested", $"A list shows “{name}” of each record, which is no longer there.")),
        ];
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Cards",
            "Records as cards, pictures or a list, with what belongs to each",
            "images",
            Make,
            [
                .. Records,
                SettingsOf<CardsPanel>.Choice(
                    "layout",
                    "Layout",
                    SettingPart.Content,
                    [(CardLayout.Grid, "grid"), (CardLayout.Gallery, "gallery"), (CardLayout.List, "list")],
                    panel => panel.Layout,
                    (panel, layout) => panel with { Layout = layout }
                ),
                SettingsOf<CardsPanel>.Text(
                    "cardTitle",
                    "Title",
                    SettingPart.Content,
                    panel => panel.CardTitle,
                    (panel, text) => panel with { CardTitle = text },
                    overRecord: true
                ) with
                {
                    Help = "Blank: the record's title. Begin with = to compute it.",
                },
                SettingsOf<CardsPanel>.Text(
                    "subtitle",
                    "Subtitle",
                    SettingPart.Content,
                    panel => panel.Subtitle,
                    (panel, text) => panel with { Subtitle = text },
                    overRecord: true
                ),
                SettingsOf<CardsPanel>.Picture(panel => panel.Picture, (panel, field) => panel with { Picture = field }),
                SettingsOf<CardsPanel>.Fields("fields", "Fields", panel => panel.Fields, (panel, names) => panel with { Fields = names }),
                SettingsOf<CardsPanel>.Labels("fields", panel => panel.Labels, (panel, labels) => panel with { Labels = labels }),
                Of<CardsPanel>(
                    "nested",
                    "Related lists",
                    SettingPart.Content,
                    new SettingKind.NestedLists(),
                    panel => SettingKind.NestedLists.Write(panel.Nested),
                    (panel, text) => panel with { Nested = SettingKind.NestedLists.Read(text)!.Value }
                ),
                .. Behaviour,
            ]
        )
        {
            NeedsDataset = true,
        };

    private static CardsPanel Make(string name, Dataset? dataset)
    {
        var table = AppDrafting.Table(name, dataset!);
        var picture = dataset!.Fields.FirstOrDefault(field => field is { Hidden: false, IsPicture: true })?.Name;
        return new CardsPanel
        {
            Name = name,
            Dataset = dataset.Id,
            Picture = picture,
            Layout = picture is null ? CardLayout.Grid : CardLayout.Gallery,
            Fields = [.. table.Columns.Where(column => dataset.Title.All(part => part.Field != column)).Take(3)],
            SheetFields = table.SheetFields,
            Sort = table.Sort,
            RowsPerPage = 24,
            AllowAdding = false,
        };
    }
}

/// <summary>How cards are laid out.</summary>
public enum CardLayout
{
    /// <summary>Side by side.</summary>
    Grid,

    /// <summary>Side by side, each with a large picture.</summary>
    Gallery,

    /// <summary>One below the other.</summary>
    List,
}
