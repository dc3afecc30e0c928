using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Visuals;

namespace Rostrum.Core.Apps.Panels.Charts;

/// <summary>How a chart draws its figures.</summary>
public enum ChartType
{
    /// <summary>Upright bars.</summary>
    Bars,

    /// <summary>Bars from left to right.</summary>
    SidewaysBars,

    /// <summary>Lines.</summary>
    Line,

    /// <summary>Lines with the area below them.</summary>
    Area,

    /// <summary>Bars, and a line for the second measure with an axis of its own.</summary>
    BarsAndLine,

    /// <summary>A pie.</summary>
    Pie,

    /// <summary>A ring.</summary>
    Ring,

    /// <summary>How many records there are in each range of numbers.</summary>
    Histogram,

    /// <summary>Two groupings against each other, in depths of one colour.</summary>
    HeatMap,

    /// <summary>A point for each record, by two of its numbers.</summary>
    Scatter,
}

/// <summary>In which order groups stand that have none of their own.</summary>
public enum ChartOrder
{
    /// <summary>The greatest first; choices in the order of their options.</summary>
    Usual,

    /// <summary>The greatest first.</summary>
    Greatest,

    /// <summary>The least first.</summary>
    Least,

    /// <summary>By their labels.</summary>
    Label,
}

/// <summary>What is made of the figures of a measure.</summary>
public enum ShowAs
{
    /// <summary>They are shown as they are.</summary>
    Value,

    /// <summary>Each as its part of all, in percent.</summary>
    Share,

    /// <summary>Each with all before it.</summary>
    RunningTotal,
}

/// <summary>Figures over groups of a dataset's records, drawn.</summary>
public sealed record ChartPanel : GroupedPanel, IPanelKind
{
    /// <summary>How it is drawn.</summary>
    public ChartType Type { get; init; }

    /// <summary>The field by which records are grouped.</summary>
    public FieldName? By { get; init; }

    /// <summary>How its values are put together; as suits the field where null.</summary>
    public Grouping? ByGrouping { get; init; }

    /// <summary>The size of ranges of numbers; one that suits where 0.</summary>
    public int RangeSize { get; init; }

    /// <summary>The field by which each group is split into series; none where null.</summary>
    public FieldName? Split { get; init; }

    /// <summary>How its values are put together; as suits the field where null.</summary>
    public Grouping? SplitGrouping { get; init; }

    /// <summary>Of a scatter, the number that makes a point larger.</summary>
    public FieldName? SizeField { get; init; }

    /// <summary>So many groups are shown, the largest, and the others as one; all where 0.</summary>
    public int Largest { get; init; }

    /// <summary>The order of groups that have none of their own.</summary>
    public ChartOrder Order { get; init; }

    /// <summary>What is made of the figures.</summary>
    public ShowAs ShowAs { get; init; }

    /// <summary>The period of the calendar that it covers; all where null.</summary>
    public Period? Period { get; init; }

    /// <summary>The period before is drawn beside it.</summary>
    public bool CompareWithPrevious { get; init; }

    /// <summary>Records without a value are a group of their own.</summary>
    public bool ShowBlanks { get; init; } = true;

    /// <summary>A line across the chart: a number, or a formula for one after <c>=</c>.</summary>
    public string? Target { get; init; }

    /// <summary>What that line is called.</summary>
    public string? TargetLabel { get; init; }

    /// <summary>Other lines across the chart.</summary>
    public ImmutableArray<ReferenceLine> ReferenceLines { get; init; } = [];

    /// <summary>A page on whose table the records of a mark are shown; they open in a sheet where blank.</summary>
    public string RecordsPage { get; init; } = "";

    /// <summary>A date range input that is set by drawing across the chart; none where blank.</summary>
    public string RangeInput { get; init; } = "";

    /// <summary>How bars of several series stand to each other.</summary>
    public Stacking Stacking { get; init; }

    /// <summary>How high the plot is, in pixels.</summary>
    public int Height { get; init; } = 220;

    /// <summary>It has an axis of values, with lines across it.</summary>
    private bool HasAxis =>
        Type
            is ChartType.Bars
                or ChartType.SidewaysBars
                or ChartType.Line
                or ChartType.Area
                or ChartType.BarsAndLine
                or ChartType.Histogram;

    /// <summary>How the records are grouped; null where the field is not there.</summary>
    public Dimension? Grouped(Dataset dataset) =>
        Grouped(dataset, By, Type is ChartType.Histogram ? Grouping.Range : ByGrouping, RangeSize);

    /// <summary>How the groups are split; null where they are not.</summary>
    public Dimension? SplitBy(Dataset dataset) => Grouped(dataset, Split, SplitGrouping, RangeSize);

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        if (place.Dataset is not { } dataset)
        {
            return [];
        }

        return Type is ChartType.Scatter ? ScatterProblems(dataset) : GroupProblems(dataset);
    }

    private IEnumerable<AppProblem> ScatterProblems(Dataset dataset)
    {
        if (!IsNumber(dataset, Field))
        {
            yield return Lacks("field", "A scatter needs a field with numbers along the bottom: choose which.");
        }

        if (!IsNumber(dataset, SecondField))
        {
            yield return Lacks("secondField", "A scatter needs a field with numbers up the side: choose which.");
        }
    }

    private IEnumerable<AppProblem> GroupProblems(Dataset dataset)
    {
        var grouped = Grouped(dataset);
        if (grouped is null)
        {
            yield return Lacks("by", "A chart groups records by a field: choose which.");
        }
        foreach (
            var problem in Unsuited(Type is ChartType.Histogram ? "by" : "byGrouping", grouped)
                .Concat(Unsuited("splitGrouping", SplitBy(dataset)))
                .Concat(MeasureProblems(dataset))
        )
        {
            yield return problem;
        }

        if (Type is ChartType.HeatMap && Split is null)
        {
            yield return Lacks("split", "A heat map needs a second field: choose which.");
        }

        if (SecondMeasure is not null && Split is not null && Formula is null)
        {
            yield return Lacks("secondMeasure", "A chart is split, or has a second measure: choose one of them.");
        }

        if (Type is ChartType.BarsAndLine && SecondMeasure is null)
        {
            yield return Lacks("secondMeasure", "The line needs a second measure: choose which.");
        }

        if (Period is not null && grouped?.Field.Type.HasDay is false)
        {
            yield return Lacks("period", "A period needs groups by a date field.");
        }
        else if (CompareWithPrevious && (Period is null || grouped?.IsCalendar is not true))
        {
            yield return Lacks("compareWithPrevious", "A comparison needs a period and groups of the calendar.", warns: true);
        }
    }

    /// <inheritdoc/>
    public override PanelState? ReadState(AddressParts address) => ChartState.Read(address);

    /// <inheritdoc/>
    public override bool LooksTheSame(PanelState? state, PanelState? other) =>
        ChartState.Of(state).Parts().Select(Text).SequenceEqual(ChartState.Of(other).Parts().Select(Text));

    private static string Text((string Name, ImmutableArray<string> Values) part) => $"{part.Name}={string.Join('\n', part.Values)}";

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Chart",
            "Figures over groups of records, drawn as bars, lines, a pie or points",
            "bar-chart",
            (name, dataset) => ChartProposals.Usual(name, dataset!),
            [
                .. Records,
                SettingsOf<ChartPanel>.Choice(
                    "type",
                    "Type",
                    SettingPart.Content,
                    [
                        (ChartType.Bars, "bars"),
                        (ChartType.SidewaysBars, "bars, sideways"),
                        (ChartType.Line, "line"),
                        (ChartType.Area, "area"),
                        (ChartType.BarsAndLine, "bars and line"),
                        (ChartType.Pie, "pie"),
                        (ChartType.Ring, "ring"),
                        (ChartType.Histogram, "histogram"),
                        (ChartType.HeatMap, "heat map"),
                        (ChartType.Scatter, "scatter"),
                    ],
                    panel => panel.Type,
                    (panel, type) => panel with { Type = type }
                ),
                SettingsOf<ChartPanel>
                    .Field("by", "Group by", new SettingKind.OneField(), panel => panel.By, (panel, field) => panel with { By = field })
                    .Where<ChartPanel>(panel => panel.Type is not ChartType.Scatter),
                SettingsOf<ChartPanel>
                    .Choice(
                        "byGrouping",
                        "Grouping",
                        SettingPart.Content,
                        "as suits",
                        Dimension.Offered,
                        panel => panel.ByGrouping,
                        (panel, grouping) => panel with { ByGrouping = grouping }
                    )
                    .Where<ChartPanel>(panel => panel.Type is not (ChartType.Scatter or ChartType.Histogram)),
                SettingsOf<ChartPanel>
                    .Number(
                        "rangeSize",
                        "Size of ranges",
                        SettingPart.Content,
                        0,
                        1_000_000_000,
                        panel => panel.RangeSize,
                        (panel, number) => panel with { RangeSize = number }
                    )
                    .Where<ChartPanel>(panel =>
                        panel.Type is ChartType.Histogram || Grouping.Range == panel.ByGrouping || Grouping.Range == panel.SplitGrouping
                    ) with
                {
                    Help = "For ranges of numbers; 0 for one that suits.",
                },
                .. FirstMeasure.Select(OfGroups),
                SettingsOf<ChartPanel>
                    .Field(
                        "split",
                        "Split by",
                        new SettingKind.OneField(),
                        panel => panel.Split,
                        (panel, field) => panel with { Split = field }
                    )
                    .Where<ChartPanel>(panel => panel.Type is not (ChartType.Scatter or ChartType.Pie or ChartType.Ring)),
                SettingsOf<ChartPanel>
                    .Choice(
                        "splitGrouping",
                        "Grouping of the split",
                        SettingPart.Content,
                        "as suits",
                        Dimension.Offered,
                        panel => panel.SplitGrouping,
                        (panel, grouping) => panel with { SplitGrouping = grouping }
                    )
                    .Where<ChartPanel>(panel =>
                        panel.Type is not (ChartType.Scatter or ChartType.Pie or ChartType.Ring) && panel.Split is not null
                    ),
                .. OtherMeasure.Select(OfGroups),
                .. OverMeasures.Select(OfGroups),
                SettingsOf<ChartPanel>
                    .Field(
                        "sizeField",
                        "Point size",
                        new SettingKind.OneField(Number: true),
                        panel => panel.SizeField,
                        (panel, field) => panel with { SizeField = field }
                    )
                    .Where<ChartPanel>(panel => panel.Type is ChartType.Scatter),
                SettingsOf<ChartPanel>
                    .Period(panel => panel.Period, (panel, period) => panel with { Period = period })
                    .Where<ChartPanel>(panel => panel.Type is not ChartType.Scatter),
                SettingsOf<ChartPanel>
                    .CompareWithPrevious(panel => panel.CompareWithPrevious, (panel, on) => panel with { CompareWithPrevious = on })
                    .Where<ChartPanel>(panel => panel.Type is not ChartType.Scatter && panel.Period is not null),
                SettingsOf<ChartPanel>
                    .Number(
                        "largest",
                        "Largest groups only",
                        SettingPart.Content,
                        0,
                        200,
                        panel => panel.Largest,
                        (panel, number) => panel with { Largest = number }
                    )
                    .Where<ChartPanel>(panel => panel.Type is not (ChartType.Scatter or ChartType.Histogram)) with
                {
                    Help = "The others are one group; 0 for all.",
                },
                SettingsOf<ChartPanel>
                    .Choice(
                        "order",
                        "Order",
                        SettingPart.Content,
                        [
                            (ChartOrder.Usual, "as suits"),
                            (ChartOrder.Greatest, "greatest first"),
                            (ChartOrder.Least, "least first"),
                            (ChartOrder.Label, "by label"),
                        ],
                        panel => panel.Order,
                        (panel, order) => panel with { Order = order }
                    )
                    .Where<ChartPanel>(panel => panel.Type is not (ChartType.Scatter or ChartType.Histogram)),
                SettingsOf<ChartPanel>
                    .Toggle(
                        "showBlanks",
                        "Show blanks",
                        SettingPart.Content,
                        panel => panel.ShowBlanks,
                        (panel, on) => panel with { ShowBlanks = on }
                    )
                    .Where<ChartPanel>(panel => panel.Type is not ChartType.Scatter),
                SettingsOf<ChartPanel>
                    .Named(
                        "rangeInput",
                        "Drawing across sets",
                        SettingPart.Behaviour,
                        NamedThing.Input,
                        panel => panel.RangeInput,
                        (panel, text) => panel with { RangeInput = text }
                    )
                    .Where<ChartPanel>(panel =>
                        panel.Type is ChartType.Bars or ChartType.Line or ChartType.Area or ChartType.BarsAndLine
                    ) with
                {
                    Help = "A date range input; blank for none.",
                },
                SettingsOf<ChartPanel>.Named(
                    "recordsPage",
                    "Records open on page",
                    SettingPart.Behaviour,
                    NamedThing.Page,
                    panel => panel.RecordsPage,
                    (panel, text) => panel with { RecordsPage = text }
                ) with
                {
                    Help = "A page with a table of them, narrowed; blank for a sheet here.",
                },
                SettingsOf<ChartPanel>
                    .Choice(
                        "showAs",
                        "Show as",
                        SettingPart.Appearance,
                        [(ShowAs.Value, "value"), (ShowAs.Share, "share of all"), (ShowAs.RunningTotal, "running total")],
                        panel => panel.ShowAs,
                        (panel, shown) => panel with { ShowAs = shown }
                    )
                    .Where<ChartPanel>(panel => panel.Type is not ChartType.Scatter),
                SettingsOf<ChartPanel>
                    .Choice(
                        "stacking",
                        "Series",
                        SettingPart.Appearance,
                        [(Stacking.None, "side by side"), (Stacking.Stacked, "stacked"), (Stacking.Share, "stacked to 100 %")],
                        panel => panel.Stacking,
                        (panel, stacking) => panel with { Stacking = stacking }
                    )
                    .Where<ChartPanel>(panel => panel.Type is ChartType.Bars or ChartType.SidewaysBars or ChartType.Area),
                SettingsOf<ChartPanel>
                    .NumberOrFormula("target", "Target", panel => panel.Target, (panel, text) => panel with { Target = text })
                    .Where<ChartPanel>(panel => panel.HasAxis) with
                {
                    Help = "A number, or a formula after =",
                },
                SettingsOf<ChartPanel>
                    .Text(
                        "targetLabel",
                        "Label of the target",
                        SettingPart.Appearance,
                        panel => panel.TargetLabel,
                        (panel, text) => panel with { TargetLabel = text }
                    )
                    .Where<ChartPanel>(panel => panel.HasAxis),
                Setting
                    .Of<ChartPanel>(
                        "referenceLines",
                        "Reference lines, one per line",
                        SettingPart.Appearance,
                        new SettingKind.ReferenceLines(),
                        panel => ReferenceLine.Write(panel.ReferenceLines),
                        (panel, text) => panel with { ReferenceLines = ReferenceLine.Read(text)!.Value }
                    )
                    .Where<ChartPanel>(panel => panel.HasAxis) with
                {
                    Help = "A label and a number or formula: Last year: =1200",
                },
                SettingsOf<ChartPanel>
                    .Number(
                        "height",
                        "Height",
                        SettingPart.Appearance,
                        80,
                        1000,
                        panel => panel.Height,
                        (panel, number) => panel with { Height = number }
                    )
                    .Where<ChartPanel>(panel => panel.Type is not (ChartType.SidewaysBars or ChartType.HeatMap)),
            ]
        )
        {
            NeedsDataset = true,
        };

    // A scatter has fields, and measures nothing.
    private static Setting OfGroups(Setting setting) =>
        setting.Kind is SettingKind.OneField ? setting : setting.Where<ChartPanel>(panel => panel.Type is not ChartType.Scatter);
}
