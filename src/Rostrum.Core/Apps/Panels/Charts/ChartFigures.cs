using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Panels.Charts;

/// <summary>One group of records, as the source gave it.</summary>
/// <param name="Key">The group's key; null for a blank.</param>
/// <param name="Title">The title of the record to which the key refers.</param>
/// <param name="SplitKey">The series' key.</param>
/// <param name="SplitTitle">The title of the record to which that refers.</param>
/// <param name="Numbers">What was computed, by measure.</param>
public sealed record ChartGroup(object? Key, string? Title, object? SplitKey, string? SplitTitle, ImmutableArray<decimal?> Numbers);

/// <summary>One place along the chart.</summary>
/// <param name="Key">The group's key; null for a blank, or where it is not one group.</param>
/// <param name="Label">What people read.</param>
/// <param name="IsRest">It stands for all groups that have no place of their own.</param>
public sealed record ChartCategory(object? Key, string Label, bool IsRest = false);

/// <summary>One series of figures.</summary>
/// <param name="Label">What people read.</param>
/// <param name="Key">The key of the split; null for a blank, or where there is none.</param>
/// <param name="Measure">The number of its measure.</param>
/// <param name="Values">Its figures by category; null where there is none.</param>
public sealed record ChartSeries(string Label, object? Key, int Measure, ImmutableArray<decimal?> Values)
{
    /// <summary>It stands for all series that have no place of their own.</summary>
    public bool IsRest { get; init; }

    /// <summary>It is of the period before.</summary>
    public bool IsBefore { get; init; }
}

/// <summary>What a measure computes, and what people read for it.</summary>
/// <param name="Total">What is computed; null for how many records there are.</param>
/// <param name="Label">What people read.</param>
public sealed record ChartMeasure(FieldTotal? Total, string Label)
{
    /// <summary>What people read for a total over a field.</summary>
    public static string LabelOf(Total total, string field) =>
        total switch
        {
            Datasets.Total.Sum => field,
            Datasets.Total.Average => $"{field}, average",
            Datasets.Total.Median => $"{field}, median",
            Datasets.Total.Least => $"{field}, minimum",
            Datasets.Total.Most => $"{field}, maximum",
            _ => $"{field}, different values",
        };

    /// <summary>Where there are no records it is zero, and not unknown.</summary>
    public bool IsZeroOfNone => Total is null or { Total: Datasets.Total.Sum or Datasets.Total.Distinct };

    /// <summary>The figure of several groups together; null where it cannot be had from theirs.</summary>
    public Func<IEnumerable<decimal>, decimal>? Together =>
        Total?.Total switch
        {
            null or Datasets.Total.Sum => Enumerable.Sum,
            Datasets.Total.Least => Enumerable.Min,
            Datasets.Total.Most => Enumerable.Max,
            _ => null,
        };
}

/// <summary>A figure computed from the measures of each group.</summary>
/// <param name="Label">What people read.</param>
/// <param name="Of">The figure of the measures, by their order; null where there is none.</param>
public sealed record MeasureFormula(string Label, Func<ImmutableArray<decimal?>, decimal?> Of);

/// <summary>How groups become a chart's figures.</summary>
/// <param name="By">How records are grouped.</param>
/// <param name="Split">How groups are split; null where they are not.</param>
/// <param name="Measures">What is computed, one at least.</param>
public sealed record ChartShape(Dimension By, Dimension? Split, ImmutableArray<ChartMeasure> Measures)
{
    /// <summary>So many groups have a place of their own; all where 0.</summary>
    public int Largest { get; init; }

    /// <summary>The order of groups that have none of their own.</summary>
    public ChartOrder Order { get; init; }

    /// <summary>What is made of the figures.</summary>
    public ShowAs ShowAs { get; init; }

    /// <summary>What is computed from the measures and shown in their place; null where they are shown.</summary>
    public MeasureFormula? Formula { get; init; }

    /// <summary>The first measure is shown beside the formula.</summary>
    public bool FirstBesideFormula { get; init; }

    /// <summary>The figure of groups taken together: of a measure, with nothing where that is unknown.</summary>
    internal decimal? Of(int measure, IEnumerable<ChartGroup> groups)
    {
        decimal[] numbers = [.. groups.Select(group => group.Numbers[measure]).OfType<decimal>()];
        return numbers.Length == 0
            ? Measures[measure].IsZeroOfNone
                ? 0
                : null
            : numbers.Length == 1 || Measures[measure].Together is not { } together
                ? numbers[0]
                : together(numbers);
    }

    /// <summary>The formula's figure of groups taken together.</summary>
    internal decimal? OfFormula(MeasureFormula formula, IEnumerable<ChartGroup> groups) =>
        formula.Of([.. Enumerable.Range(0, Measures.Length).Select(measure => Of(measure, groups))]);

    /// <summary>How much groups weigh where the largest are looked for.</summary>
    internal decimal Weight(IEnumerable<ChartGroup> groups) =>
        Formula is { } formula && !FirstBesideFormula
            ? Math.Abs(OfFormula(formula, groups) ?? 0)
            : groups.Sum(group => Math.Abs(group.Numbers[0] ?? 0));

    /// <summary>Records without a value are a group.</summary>
    public bool ShowBlanks { get; init; } = true;

    /// <summary>Where the calendar begins, if not with the first record.</summary>
    public object? First { get; init; }

    /// <summary>Where it ends.</summary>
    public object? Last { get; init; }
}

/// <summary>A chart's figures: a table of categories and series.</summary>
/// <param name="Categories">The places along the chart, in order.</param>
/// <param name="Series">The series.</param>
/// <param name="Notes">What is not shown, in words.</param>
public sealed record ChartFigures(
    ImmutableArray<ChartCategory> Categories,
    ImmutableArray<ChartSeries> Series,
    ImmutableArray<string> Notes
)
{
    /// <summary>As many series can be told apart by colour.</summary>
    public const int MostSeries = 8;

    /// <summary>As many places are laid out.</summary>
    public const int MostCategories = 2_000;

    /// <summary>All that there is.</summary>
    public static ChartFigures None { get; } = new([], [], []);

    /// <summary>There is nothing to draw.</summary>
    public bool IsEmpty => Series.All(series => series.Values.All(value => value is null));

    /// <summary>The figures of groups.</summary>
    /// <param name="shape">How they become figures.</param>
    /// <param name="groups">The groups, each pair of keys once.</param>
    /// <param name="format">How the workspace writes.</param>
    public static ChartFigures Of(ChartShape shape, IReadOnlyCollection<ChartGroup> groups, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(shape);
        ArgumentNullException.ThrowIfNull(groups);
        var notes = ImmutableArray.CreateBuilder<string>();
        ChartGroup[] known = [.. groups.Where(group => shape.ShowBlanks || group.Key is not null)];
        if (known.Length == 0 && shape.First is null)
        {
            return None;
        }

        var (categories, placeOf) = CategoriesOf(shape, known, format, notes);
        var series = SeriesOf(shape, known, categories, placeOf, format, notes);
        return new ChartFigures(categories, [.. shape.ShowAs is ShowAs.Value ? series : Shown(shape.ShowAs, series)], notes.ToImmutable());
    }

    /// <summary>The same with the figures of the period before, each at the place of its like.</summary>
    public ChartFigures Against(ChartFigures before, string label)
    {
        ArgumentNullException.ThrowIfNull(before);
        return this with
        {
            Series =
            [
                .. Series,
                .. before.Series.Select(series =>
                    series with
                    {
                        Label = Series.Length == 1 ? label : $"{series.Label}, {label}",
                        IsBefore = true,
                        Values =
                        [
                            .. Enumerable.Range(0, Categories.Length).Select(at => at < series.Values.Length ? series.Values[at] : null),
                        ],
                    }
                ),
            ],
        };
    }

    private static (ImmutableArray<ChartCategory> Categories, Func<object?, int> PlaceOf) CategoriesOf(
        ChartShape shape,
        ChartGroup[] groups,
        RecordFormat format,
        ImmutableArray<string>.Builder notes
    )
    {
        var by = shape.By;
        var found = groups
            .GroupBy(group => new Key(group.Key))
            .Select(group => (Of: group.Key.Of, group.First().Title, Weight: shape.Weight(group)))
            .ToArray();
        var titles = found.ToDictionary(one => new Key(one.Of), one => one.Title);
        ChartCategory Category(object? key) => new(key, by.Label(key, titles.GetValueOrDefault(new Key(key)), format));
        object?[] ordered = by.IsOrdered
            ? Filled(shape, [.. found.Select(one => one.Of).OfType<object>().Order(Comparer<object>.Create(Dimension.Order))])
            : Sorted(shape, [.. found.Where(one => one.Of is not null)], format);
        var blank = found.Any(one => one.Of is null);
        var rest = shape.Largest > 0 && !by.IsOrdered && ordered.Length > shape.Largest ? ordered.Length - shape.Largest : 0;
        if (rest > 0)
        {
            var kept = found.OrderByDescending(one => one.Weight).Where(one => one.Of is not null).Take(shape.Largest);
            var largest = kept.Select(one => new Key(one.Of)).ToHashSet();
            ordered = [.. ordered.Where(key => largest.Contains(new Key(key)))];
        }
        else if (ordered.Length > MostCategories)
        {
            notes.Add($"{Count(ordered.Length - MostCategories, "more group", format)} not shown.");
            ordered = ordered[..MostCategories];
        }

        var places = ordered.Select((key, at) => (Key: new Key(key), at)).ToDictionary(place => place.Key, place => place.at);
        var categories = ordered.Select(Category).ToList();
        if (blank)
        {
            places.Add(new Key(null), categories.Count);
            categories.Add(Category(null));
        }

        if (rest > 0 && shape.Measures.All(measure => measure.Together is not null))
        {
            categories.Add(new ChartCategory(null, $"{Count(rest, "other", format)}", IsRest: true));
            return ([.. categories], key => places.GetValueOrDefault(new Key(key), categories.Count - 1));
        }

        if (rest > 0)
        {
            notes.Add($"{Count(rest, "smaller group", format)} not shown.");
        }

        return ([.. categories], key => places.GetValueOrDefault(new Key(key), -1));
    }

    // Each place of the calendar, of the clock or of the ranges has one, whether or not there are records.
    private static object?[] Filled(ChartShape shape, object[] keys)
    {
        if (keys.Length == 0 && shape.First is null && !shape.By.Recurs)
        {
            return keys;
        }

        var first = shape.First ?? keys.FirstOrDefault() ?? "";
        var last = shape.Last ?? keys.LastOrDefault() ?? "";
        return shape.By.Grouping is Grouping.Value ? keys
            : shape.By.Between(first, last, MostCategories) is { IsEmpty: false } all ? [.. all]
            : keys;
    }

    private static object?[] Sorted(ChartShape shape, (object? Of, string? Title, decimal Weight)[] found, RecordFormat format)
    {
        var options = shape.By.Field.Type is FieldType.Choice choice ? choice.Options : [];
        var byLabel = found.OrderBy(
            one => shape.By.Label(one.Of, one.Title, format),
            StringComparer.Create(format.Culture, ignoreCase: true)
        );
        var sorted = shape.Order switch
        {
            ChartOrder.Usual when !options.IsEmpty => found.OrderBy(one => options.IndexOf((string)one.Of!)),
            ChartOrder.Label => byLabel,
            ChartOrder.Least => byLabel.OrderBy(one => one.Weight),
            _ => byLabel.OrderByDescending(one => one.Weight),
        };
        return [.. sorted.Select(one => one.Of)];
    }

    private static ImmutableArray<ChartSeries> SeriesOf(
        ChartShape shape,
        ChartGroup[] groups,
        ImmutableArray<ChartCategory> categories,
        Func<object?, int> placeOf,
        RecordFormat format,
        ImmutableArray<string>.Builder notes
    )
    {
        if (shape.Split is not { } split)
        {
            return shape.Formula is not { } formula ? [.. shape.Measures.Select((measure, at) => Series(measure.Label, null, at, groups))]
                : shape.FirstBesideFormula
                    ? [Series(shape.Measures[0].Label, null, 0, groups), Series(formula.Label, null, 1, groups, formula)]
                : [Series(formula.Label, null, 0, groups, formula)];
        }

        var found = groups.GroupBy(group => new Key(group.SplitKey)).ToArray();
        var ordered =
            split.IsOrdered ? found.OrderBy(one => one.Key.Of, Comparer<object?>.Create(Dimension.Order))
            : split.Field.Type is FieldType.Choice choice
                ? found.OrderBy(one => one.Key.Of is string option ? choice.Options.IndexOf(option) : int.MaxValue)
            : found.OrderByDescending(shape.Weight);
        var many = found.Length > MostSeries;
        var kept = many ? found.OrderByDescending(shape.Weight).Take(MostSeries - 1).ToHashSet() : [.. found];
        var series = ordered
            .Where(kept.Contains)
            .Select(one => Series(split.Label(one.Key.Of, one.First().SplitTitle, format), one.Key.Of, 0, [.. one], shape.Formula))
            .ToList();
        if (many && shape.Measures.All(measure => measure.Together is not null))
        {
            var others = found.Where(one => !kept.Contains(one)).ToArray();
            series.Add(
                Series(Count(others.Length, "other", format), null, 0, [.. others.SelectMany(one => one)], shape.Formula) with
                {
                    IsRest = true,
                }
            );
        }
        else if (many)
        {
            notes.Add($"{Count(found.Length - kept.Count, "more series", format, plural: "more series")} not shown.");
        }

        return [.. series];

        ChartSeries Series(string label, object? key, int measure, IEnumerable<ChartGroup> of, MeasureFormula? formula = null)
        {
            decimal? Figure(IEnumerable<ChartGroup> at) => formula is null ? shape.Of(measure, at) : shape.OfFormula(formula, at);
            var values = new decimal?[categories.Length];
            Array.Fill(values, Figure([]));
            foreach (var place in of.GroupBy(group => placeOf(group.Key)).Where(place => place.Key >= 0))
            {
                values[place.Key] = Figure(place);
            }

            return new ChartSeries(label, key, measure, [.. values]);
        }
    }

    private static IEnumerable<ChartSeries> Shown(ShowAs shown, ImmutableArray<ChartSeries> all)
    {
        var whole = all.GroupBy(series => series.Measure)
            .ToDictionary(group => group.Key, group => group.Sum(series => series.Values.Sum(value => value ?? 0)));
        return all.Select(series =>
        {
            var sum = 0m;
            return series with
            {
                Values =
                [
                    .. series.Values.Select(value =>
                        shown is ShowAs.RunningTotal
                            ? value is null
                                ? null
                                : sum += value.Value
                            : whole[series.Measure] == 0
                                ? null
                                : value / whole[series.Measure] * 100
                    ),
                ],
            };
        });
    }

    private static string Count(int number, string one, RecordFormat format, string? plural = null) =>
        $"{number.ToString("#,##0", format.Culture)} {(number == 1 ? one : plural ?? one + "s")}";

    // A blank is a key as well.
    private readonly record struct Key(object? Of);
}
