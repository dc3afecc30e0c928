using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Panels.Charts;

/// <summary>A cross-tab: figures over groups in rows and columns, with their totals.</summary>
public sealed record SummaryPanel : GroupedPanel, IPanelKind
{
    /// <summary>The field whose groups are the rows.</summary>
    public FieldName? Rows { get; init; }

    /// <summary>How its values are put together; as suits the field where null.</summary>
    public Grouping? RowsGrouping { get; init; }

    /// <summary>The field by which each row is divided again; none where null.</summary>
    public FieldName? ThenBy { get; init; }

    /// <summary>How its values are put together; as suits the field where null.</summary>
    public Grouping? ThenByGrouping { get; init; }

    /// <summary>The field whose groups are the columns; none where null.</summary>
    public new FieldName? Columns { get; init; }

    /// <summary>How its values are put together; as suits the field where null.</summary>
    public Grouping? ColumnsGrouping { get; init; }

    /// <summary>Cells are the deeper in colour the greater they are.</summary>
    public bool Shaded { get; init; }

    /// <summary>People can download it.</summary>
    public bool AllowDownload { get; init; } = true;

    /// <summary>How records are grouped: into rows, into rows within them, and into columns. Null where a field is not there.</summary>
    public SummaryShape? Shape(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        var (rows, then, columns) = (
            Grouped(dataset, Rows, RowsGrouping),
            Grouped(dataset, ThenBy, ThenByGrouping),
            Grouped(dataset, Columns, ColumnsGrouping)
        );
        return rows is null || (ThenBy is not null && then is null) || (Columns is not null && columns is null)
            ? null
            : new SummaryShape(rows, then, columns, Measures(dataset));
    }

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        if (place.Dataset is not { } dataset)
        {
            return [];
        }

        return
        [
            .. Rows is null ? new[] { Lacks("rows", "A summary groups records by a field: choose which.") } : [],
            .. Unsuited("rowsGrouping", Grouped(dataset, Rows, RowsGrouping)),
            .. Unsuited("thenByGrouping", Grouped(dataset, ThenBy, ThenByGrouping)),
            .. Unsuited("columnsGrouping", Grouped(dataset, Columns, ColumnsGrouping)),
            .. MeasureProblems(dataset),
        ];
    }

    /// <inheritdoc/>
    public override PanelState? ReadState(AddressParts address) => SummaryState.Read(address);

    /// <inheritdoc/>
    public override bool LooksTheSame(PanelState? state, PanelState? other) => SummaryState.Of(state) == SummaryState.Of(other);

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Summary table",
            "Figures in rows and columns, with totals",
            "grid-3x3",
            (name, dataset) =>
                new SummaryPanel
                {
                    Name = name,
                    Dataset = dataset!.Id,
                    Rows = dataset.Relations.FirstOrDefault()?.Field ?? dataset.Fields.FirstOrDefault(field => !field.Hidden)?.Name,
                    Columns = dataset.Fields.FirstOrDefault(field => field is { Hidden: false, Type: FieldType.Choice })?.Name,
                },
            [
                .. Records,
                .. By(
                    "rows",
                    "Rows",
                    panel => (panel.Rows, panel.RowsGrouping),
                    (panel, field) => panel with { Rows = field },
                    (panel, grouping) => panel with { RowsGrouping = grouping }
                ),
                .. By(
                    "thenBy",
                    "Then by",
                    panel => (panel.ThenBy, panel.ThenByGrouping),
                    (panel, field) => panel with { ThenBy = field },
                    (panel, grouping) => panel with { ThenByGrouping = grouping }
                ),
                .. By(
                    "columns",
                    "Columns",
                    panel => (panel.Columns, panel.ColumnsGrouping),
                    (panel, field) => panel with { Columns = field },
                    (panel, grouping) => panel with { ColumnsGrouping = grouping }
                ),
                .. FirstMeasure,
                .. OtherMeasure,
                .. OverMeasures,
                SettingsOf<SummaryPanel>.Toggle(
                    "shaded",
                    "Shade cells by value",
                    SettingPart.Appearance,
                    panel => panel.Shaded,
                    (panel, on) => panel with { Shaded = on }
                ),
                SettingsOf<SummaryPanel>.Toggle(
                    "allowDownload",
                    "Allow download",
                    SettingPart.Behaviour,
                    panel => panel.AllowDownload,
                    (panel, on) => panel with { AllowDownload = on }
                ),
            ]
        )
        {
            NeedsDataset = true,
        };

    private static IEnumerable<Setting> By(
        string key,
        string label,
        Func<SummaryPanel, (FieldName? Field, Grouping? Grouping)> get,
        Func<SummaryPanel, FieldName?, SummaryPanel> setField,
        Func<SummaryPanel, Grouping?, SummaryPanel> setGrouping
    ) =>
        [
            SettingsOf<SummaryPanel>.Field(key, label, new SettingKind.OneField(), panel => get(panel).Field, setField),
            SettingsOf<SummaryPanel>.Choice(
                $"{key}Grouping",
                "Grouping",
                SettingPart.Content,
                "as suits",
                Dimension.Offered,
                panel => get(panel).Grouping,
                setGrouping
            ),
        ];
}

/// <summary>What the page's address says of a summary table.</summary>
public sealed record SummaryState : PanelState
{
    /// <summary>The row whose records are shown, as its key stands in an address; null where no cell, or all rows, are meant.</summary>
    public string? Row { get; init; }

    /// <summary>The row within it.</summary>
    public string? Then { get; init; }

    /// <summary>The column.</summary>
    public string? Column { get; init; }

    /// <summary>Records of a cell are shown, be it that of all of them.</summary>
    public bool IsChosen { get; init; }

    /// <summary>The page of those records, from 1.</summary>
    public int Page { get; init; } = 1;

    /// <summary>By which measure's total the rows stand, the greatest first; by their labels where null.</summary>
    public int? Sort { get; init; }

    /// <summary>A state that is a summary table's; the usual one where it is none.</summary>
    public static SummaryState Of(PanelState? state) => state as SummaryState ?? new SummaryState();

    /// <summary>Reads the parts of an address; null where they say nothing.</summary>
    public static SummaryState? Read(AddressParts address)
    {
        ArgumentNullException.ThrowIfNull(address);
        var state = new SummaryState
        {
            Row = address.First("row"),
            Then = address.First("then"),
            Column = address.First("column"),
            IsChosen = address.First("cell") == "1",
            Page = address.Page("page", ChartState.MostPages),
            Sort = address.Whole("sort") is >= 0 and <= 1 and var sort ? sort : null,
        };
        return state.Parts().Any() ? state : null;
    }

    /// <inheritdoc/>
    public override PanelState Closed(bool keepsSelection) => new SummaryState { Sort = Sort };

    /// <inheritdoc/>
    public override IEnumerable<(string Name, ImmutableArray<string> Values)> Parts()
    {
        var parts = new[]
        {
            ("row", Row),
            ("then", Then),
            ("column", Column),
            ("cell", IsChosen ? "1" : null),
            ("page", Page > 1 ? Page.ToString(CultureInfo.InvariantCulture) : null),
            ("sort", Sort?.ToString(CultureInfo.InvariantCulture)),
        };
        return [.. from part in parts where part.Item2 is not null select (part.Item1, ImmutableArray.Create(part.Item2!))];
    }
}
