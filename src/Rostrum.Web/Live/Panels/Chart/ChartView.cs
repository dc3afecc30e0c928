using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Visuals;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>Everything that the partials of a chart show.</summary>
internal sealed record ChartView(PageRun Run, ChartPanel Panel, Dataset Dataset)
{
    /// <summary>Why there is no chart; null where there is one.</summary>
    public string? Because { get; init; }

    /// <summary>How the records are grouped; null for a scatter.</summary>
    public Dimension? By { get; init; }

    public Dimension? Split { get; init; }

    public ImmutableArray<ChartMeasure> Measures { get; init; } = [];

    public ChartFigures Figures { get; init; } = ChartFigures.None;

    public ScatterView? Scatter { get; init; }

    /// <summary>What is computed from the measures and shown in their place; null where they are shown.</summary>
    public MeasureFormula? Formula { get; init; }

    /// <summary>The first measure is shown beside the formula, which is the line above its bars.</summary>
    public bool FirstBesideFormula => Formula is not null && Panel.Type is ChartType.BarsAndLine;

    /// <summary>The lines across the chart.</summary>
    public ImmutableArray<ChartReference> References { get; init; } = [];

    /// <summary>The records of the group that was chosen; null where none was.</summary>
    public GroupRecords? Records { get; init; }

    public ChartState State => ChartState.Of(Run.State.Of(Panel.Name));

    public string Id => $"panel-{Panel.Name}";

    /// <summary>What the chart is, for those who do not see it.</summary>
    public string Says =>
        Scatter is { } scatter
            ? $"{Dataset.Label}: {Wording.InSentence(scatter.Y.Field.Label)} by {Wording.InSentence(scatter.X.Field.Label)}"
            : $"{(Formula is null || FirstBesideFormula ? Measures[0].Label : Formula.Label)} by {Wording.InSentence(By!.Field.Label)}"
                + (Split is null ? "" : $" and {Wording.InSentence(Split.Field.Label)}");

    public bool IsEmpty => Scatter is { } scatter ? scatter.Points.IsEmpty : Figures.IsEmpty;

    /// <summary>How the numbers of a measure are written.</summary>
    public ChartWords Words(int measure) =>
        (_words ??= [.. Shown.Select(one => ChartWords.Of(Run.Format, Dataset, one, Panel.ShowAs is ShowAs.Share))])[measure];

    private ChartWords[]? _words;

    // The measures that are shown; null stands for the formula.
    private IEnumerable<ChartMeasure?> Shown =>
        Formula is null ? Measures
        : FirstBesideFormula ? new[] { Measures[0], null }
        : new ChartMeasure?[] { null };

    /// <summary>What people read at a mark.</summary>
    public string Said(int series, int category)
    {
        var of = Figures.Series[series];
        var words = Words(of.Measure);
        var value = of.Values[category];
        var share =
            Panel.Stacking is Stacking.Share
            && value is { } part
            && Figures.Series.Sum(other => Math.Abs(other.Values[category] ?? 0)) is > 0 and var whole
                ? $" ({words.Percent(part / whole * 100)})"
                : "";
        return $"{(Figures.Series.Length > 1 ? of.Label + ": " : "")}{words.Exact(value)}{share}";
    }

    /// <summary>What people read of a category: all series at once.</summary>
    public string SaidOf(int category) =>
        $"{Figures.Categories[category].Label}: "
        + string.Join(
            "; ",
            Enumerable.Range(0, Figures.Series.Length).Where(at => !State.Without.Contains(at)).Select(at => Said(at, category))
        );

    /// <summary>Where the records behind a mark are shown; null where they cannot be.</summary>
    public string? RecordsAddress(int? series, int category)
    {
        if (Run.IsPublic)
        {
            return null;
        }

        var of = series is { } at ? Figures.Series[at] : null;
        return of is { IsBefore: true } or { IsRest: true }
            ? null
            : OnPage(Figures.Categories[category], of) ?? Behind(Figures.Categories[category], of);
    }

    // A chart has many marks: what their addresses have in common is found once.
    private string Behind(ChartCategory category, ChartSeries? series)
    {
        _common ??= Common();
        var group = $"{_common}group={Uri.EscapeDataString(KeyOf(category))}";
        return series is null || Split is null ? group : $"{group}&{Panel.Name}.series={Uri.EscapeDataString(Split.Text(series.Key))}";
    }

    private string Common()
    {
        var address = Address(State with { Group = null, Series = null, Page = 1 });
        return $"{address}{(address.Contains('?', StringComparison.Ordinal) ? '&' : '?')}{Panel.Name}.";
    }

    private string? _common;

    // The page that the builder chose for them, with its table narrowed to them; null where that cannot be narrowed so.
    private string? OnPage(ChartCategory category, ChartSeries? series)
    {
        (_place, _isPlaceKnown) = (_isPlaceKnown ? _place : Place(), true);
        if (_place is not var (state, table) || category.IsRest || By!.Condition(category.Key) is not { } condition)
        {
            return null;
        }

        var narrowed = new ListState().With(By.Field.Name.Value, condition);
        if (series is not null && Split is not null)
        {
            if (Split.Field.Name == By.Field.Name || Split.Condition(series.Key) is not { } also)
            {
                return null;
            }

            narrowed = narrowed.With(Split.Field.Name.Value, also);
        }

        return $"{Run.Root}/{state.Page.Address}{state.With(table, narrowed).ToQuery()}";
    }

    private (PageState State, string Table)? _place;
    private bool _isPlaceKnown;

    // That page with the inputs that it has as well, and its table; null where there is none.
    private (PageState State, string Table)? Place()
    {
        if (
            Run.Sees(Panel.RecordsPage) is not { } page
            || page.All.OfType<TablePanel>().FirstOrDefault(table => table.Dataset == Dataset.Id) is not { } table
        )
        {
            return null;
        }

        var inputs = Run.Page.All.OfType<InputPanel>().Where(input => page.Find(input.Name) is InputPanel);
        return (inputs.Aggregate(new PageState(page), (state, input) => state.With(input.Name, Run.State.Of(input.Name))), table.Name);
    }

    /// <summary>What stands in the address for all groups that have no place of their own.</summary>
    public const string Rest = "~";

    private string KeyOf(ChartCategory category) => category.IsRest ? Rest : By!.Text(category.Key);

    public string Address(ChartState state) => Run.Path + Run.State.With(Panel.Name, state).ToQuery();

    /// <summary>The same chart with a series drawn that is not, or the other way round.</summary>
    public string Switched(int series) => Address(State with { Without = State.Without.SymmetricExcept([series]) });

    /// <summary>The first day of each group and that after the last, for whoever draws across them; null where they are no days.</summary>
    public string? Days =>
        Panel.RangeInput.Length > 0 && By is { IsCalendar: true } && Figures.Categories is [{ Key: DateOnly }, ..]
            ? string.Join(
                ' ',
                Figures
                    .Categories.Select(category => category.Key)
                    .OfType<DateOnly>()
                    .Append(By.After((DateOnly)Figures.Categories.Last(category => category.Key is DateOnly).Key!))
                    .Select(day => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture))
            )
            : null;

    /// <summary>The figures as a file.</summary>
    public string FiguresAddress => Run.State.At(Run.Path, ("handler", "Figures"), ("panel", Panel.Name));

    /// <summary>The class of a series' colour and pattern: the only one has none, an option has its own.</summary>
    public string ColourOf(int series)
    {
        var of = Figures.Series[series];
        return Figures.Series.Length == 1 ? "only"
            : of.IsRest ? "rest"
            : Split is { Field: var field } && of.Key is string option && field.Look(option)?.Colour is { } colour ? $"c{colour}"
            : $"c{(series % ChartFigures.MostSeries) + 1}";
    }

    /// <summary>The class of a slice's colour and pattern.</summary>
    public string ColourOfSlice(int category)
    {
        var of = Figures.Categories[category];
        return of.IsRest ? "rest"
            : By is { Field: var field } && of.Key is string option && field.Look(option)?.Colour is { } colour ? $"c{colour}"
            : $"c{(category % ChartFigures.MostSeries) + 1}";
    }

    /// <summary>What fills a shape of a colour class: the colour with its pattern.</summary>
    public string Fill(string colour) => colour is "only" or "rest" ? "" : $"url(#{Id}-{colour})";

    /// <summary>The class and the fill of a series' marks.</summary>
    public (string Class, string? Fill) LookOf(int series) =>
        (
            _looks ??= [
                .. Figures.Series.Select(
                    (of, at) =>
                    {
                        var colour = ColourOf(at);
                        return ($"fill-{colour}{(of.IsBefore ? " before" : "")}", Fill(colour) is { Length: > 0 } fill ? fill : null);
                    }
                ),
            ]
        )[series];

    private (string Class, string? Fill)[]? _looks;

    public ChartPlot Plot() => ChartPlot.Of(Panel, Figures, State.Without, [.. References.Select(line => (double)line.Value)]);

    /// <summary>The labels along the chart with the widths of plots in which each is shown.</summary>
    public static ImmutableArray<(string Label, string Shown)> Ticks(ImmutableArray<string> labels)
    {
        double[] widths = [.. labels.Select(TextWidth.Of)];
        int[] every = [.. AxisLabels.Widths.Select(plot => AxisLabels.Every(widths, plot))];
        return
        [
            .. labels.Select(
                (label, at) =>
                    (label, string.Join(' ', AxisLabels.Widths.Where((_, width) => at % every[width] == 0).Select(width => $"at-{width}")))
            ),
        ];
    }
}

/// <summary>A line across a chart.</summary>
internal sealed record ChartReference(string Label, decimal Value, bool IsTarget)
{
    public string Says(ChartWords words) => $"{(Label.Length > 0 ? Label + ": " : "")}{words.Exact(Value)}";
}

/// <summary>Records as points.</summary>
internal sealed record ScatterView(ScatterAxis X, ScatterAxis Y, ImmutableArray<ScatterPoint> Points, string? Note);

/// <summary>A field whose numbers stand along one side.</summary>
internal sealed record ScatterAxis(Field Field, ValueAxis Axis, ChartWords Words);

/// <summary>One record as a point.</summary>
internal sealed record ScatterPoint(double X, double Y, double Radius, string Said, string? Address, ImmutableArray<string> Cells);
