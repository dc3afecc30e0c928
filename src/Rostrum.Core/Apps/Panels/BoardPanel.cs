using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>Records as cards in columns: a column for each value of a field. A card that is moved gets the column's value.</summary>
public sealed record BoardPanel : ListPanel, IPanelKind
{
    /// <summary>The field whose values are the columns: a choice, a yes or no, or a relation.</summary>
    public FieldName? By { get; init; }

    /// <summary>The field whose values are lanes across the columns; none where null.</summary>
    public FieldName? Lanes { get; init; }

    /// <summary>The number field that keeps the order within a column; cards stand as the panel sorts where null.</summary>
    public FieldName? OrderField { get; init; }

    /// <summary>The number field that is summed in each column's heading; none where null.</summary>
    public FieldName? TotalField { get; init; }

    /// <summary>How many cards a column should have at most, one a line: <c>in work: 20</c>.</summary>
    public string? Limits { get; init; }

    /// <summary>What stands at the head of each card, or a formula over the record; its title where null.</summary>
    public string? CardTitle { get; init; }

    /// <summary>The field with its picture.</summary>
    public FieldName? Picture { get; init; }

    /// <summary>The fields on each card, in order.</summary>
    public ImmutableArray<FieldName> Fields { get; init; } = [];

    /// <inheritdoc/>
    public override IEnumerable<FieldName> MovedFields => new[] { By, Lanes, OrderField }.OfType<FieldName>();

    /// <summary>Whether the values of a field can be columns.</summary>
    public static bool Suits(Dataset dataset, FieldName name)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return dataset.Find(name) is { } field
            && (field.Type is FieldType.Choice or FieldType.YesNo || dataset.RelationOf(name) is not null);
    }

    /// <summary>The most cards of a column, by the value or the label of the column.</summary>
    public ImmutableDictionary<string, int> Most =>
        (Limits ?? "")
            .Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
            .Select(line => (Line: line, At: line.LastIndexOf(':')))
            .Where(limit => limit.At > 0)
            .Select(limit => (Of: limit.Line[..limit.At].Trim(), Number: ReadWhole(limit.Line[(limit.At + 1)..])))
            .Where(limit => limit.Number is not null)
            .DistinctBy(limit => limit.Of, StringComparer.OrdinalIgnoreCase)
            .ToImmutableDictionary(limit => limit.Of, limit => limit.Number!.Value, StringComparer.OrdinalIgnoreCase);

    private static int? ReadWhole(string text) =>
        int.TryParse(text, NumberStyles.AllowLeadingWhite | NumberStyles.AllowTrailingWhite, CultureInfo.InvariantCulture, out var number)
            ? number
            : null;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        foreach (var problem in base.Problems(place))
        {
            yield return problem;
        }

        if (place.Dataset is not { } dataset)
        {
            yield break;
        }

        if (By is not { } by || !Suits(dataset, by))
        {
            yield return Lacks("by", "The columns need a choice, a yes or no, or a relation: choose which.");
        }

        if (Lanes is { } lanes && !Suits(dataset, lanes))
        {
            yield return Lacks("lanes", "Lanes need a choice, a yes or no, or a relation.");
        }

        if (OrderField is { } order && dataset.Find(order) is not { Type.IsNumeric: true, IsWritten: true })
        {
            yield return Lacks("orderField", "The order is kept in a field with numbers that can be written.");
        }

        if (TotalField is { } total && dataset.Find(total) is not { Type.IsNumeric: true })
        {
            yield return Lacks("totalField", "Only a field with numbers can be summed.");
        }

        var lines = (Limits ?? "").Split('\n').Count(line => !string.IsNullOrWhiteSpace(line));
        if (lines != Most.Count)
        {
            yield return Lacks("limits", "A limit is a column and a number, such as “in work: 20”, one per line.", warns: true);
        }
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Board",
            "Records as cards in columns, moved from one to the next",
            "layout-three-columns",
            (name, dataset) => Usual(name, dataset!),
            [
                .. Records,
                SettingsOf<BoardPanel>.Field(
                    "by",
                    "Columns",
                    new SettingKind.OneField(),
                    panel => panel.By,
                    (panel, field) => panel with { By = field }
                ),
                SettingsOf<BoardPanel>.Field(
                    "lanes",
                    "Lanes",
                    new SettingKind.OneField(),
                    panel => panel.Lanes,
                    (panel, field) => panel with { Lanes = field }
                ),
                SettingsOf<BoardPanel>.Text(
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
                SettingsOf<BoardPanel>.Picture(panel => panel.Picture, (panel, field) => panel with { Picture = field }),
                SettingsOf<BoardPanel>.Fields("fields", "Fields", panel => panel.Fields, (panel, names) => panel with { Fields = names }),
                SettingsOf<BoardPanel>.Labels("fields", panel => panel.Labels, (panel, labels) => panel with { Labels = labels }),
                SettingsOf<BoardPanel>.Field(
                    "totalField",
                    "Total in headings",
                    new SettingKind.OneField(Number: true),
                    panel => panel.TotalField,
                    (panel, field) => panel with { TotalField = field }
                ),
                SettingsOf<BoardPanel>.Field(
                    "orderField",
                    "Order field",
                    new SettingKind.OneField(Number: true),
                    panel => panel.OrderField,
                    (panel, field) => panel with { OrderField = field }
                ) with
                {
                    Help = "Keeps the order within a column.",
                },
                Of<BoardPanel>(
                    "limits",
                    "Limits, one per line",
                    SettingPart.Behaviour,
                    new SettingKind.Lines(),
                    panel => panel.Limits,
                    (panel, text) => panel with { Limits = Blank(text) }
                ) with
                {
                    Help = "A column and the most cards in it: in work: 20",
                },
                .. Behaviour,
            ]
        )
        {
            NeedsDataset = true,
        };

    /// <summary>A board of a dataset by its first choice.</summary>
    public static BoardPanel Usual(string name, Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        var table = AppDrafting.Table(name, dataset);
        var by = dataset.Fields.FirstOrDefault(field => field is { Hidden: false, Formula: null } && Suits(dataset, field.Name))?.Name;
        return new BoardPanel
        {
            Name = name,
            Dataset = dataset.Id,
            By = dataset.Fields.FirstOrDefault(field => field is { Hidden: false, Formula: null, Type: FieldType.Choice })?.Name ?? by,
            Fields = [.. table.Columns.Where(column => dataset.Title.All(part => part.Field != column)).Take(3)],
            SheetFields = table.SheetFields,
            Sort = table.Sort,
            RowsPerPage = 20,
        };
    }
}
