using System.Collections.Immutable;
using System.Runtime.InteropServices;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Panels.Charts;

/// <summary>How a summary table's records are grouped and measured.</summary>
/// <param name="Rows">Into rows.</param>
/// <param name="Then">Into rows within those; null where there are none.</param>
/// <param name="Columns">Into columns; null where there is one only.</param>
/// <param name="Measures">What is computed, one at least.</param>
public sealed record SummaryShape(Dimension Rows, Dimension? Then, Dimension? Columns, ImmutableArray<ChartMeasure> Measures)
{
    /// <summary>What is computed from the measures and shown in their place; null where they are shown.</summary>
    public MeasureFormula? Formula { get; init; }

    /// <summary>What is shown in each cell.</summary>
    public ImmutableArray<string> Labels => Formula is { } formula ? [formula.Label] : [.. Measures.Select(measure => measure.Label)];

    /// <summary>
    /// The groupings whose figures the table needs, each as which of rows, rows within and columns are told apart; one alone where the
    /// totals can be had from the cells.
    /// </summary>
    public ImmutableArray<SummaryLevel> Levels
    {
        get
        {
            var cells = new SummaryLevel(true, Then is not null, Columns is not null);
            if (Measures.All(measure => measure.Together is not null))
            {
                return [cells];
            }

            bool[] thens = Then is null ? [false] : [true, false];
            bool[] columns = Columns is null ? [false] : [true, false];
            return
            [
                .. from then in thens from column in columns select new SummaryLevel(true, then, column),
                .. from column in columns select new SummaryLevel(false, false, column),
            ];
        }
    }
}

/// <summary>Which groups are told apart.</summary>
/// <param name="Rows">Rows.</param>
/// <param name="Then">The rows within them.</param>
/// <param name="Columns">Columns.</param>
[StructLayout(LayoutKind.Auto)]
public readonly record struct SummaryLevel(bool Rows, bool Then, bool Columns);

/// <summary>One group's figures.</summary>
/// <param name="Row">The row's key and title; blank where rows are not told apart.</param>
/// <param name="Then">Those of the row within it.</param>
/// <param name="Column">Those of the column.</param>
/// <param name="Numbers">What was computed, by measure.</param>
public sealed record SummaryFigure(KeyTitle Row, KeyTitle Then, KeyTitle Column, ImmutableArray<decimal?> Numbers);

/// <summary>A group's key, and the title of the record to which it refers.</summary>
/// <param name="Key">The key; null for a blank.</param>
/// <param name="Title">The title; null where it refers to none.</param>
[StructLayout(LayoutKind.Auto)]
public readonly record struct KeyTitle(object? Key, string? Title)
{
    /// <summary>Two are the same where their keys are.</summary>
    public bool Equals(KeyTitle other) => Equals(Key, other.Key);

    /// <inheritdoc/>
    public override int GetHashCode() => Key?.GetHashCode() ?? 0;
}

/// <summary>A heading of a row or a column.</summary>
/// <param name="Of">Its key.</param>
/// <param name="Label">What people read.</param>
public sealed record SummaryHeading(KeyTitle Of, string Label);

/// <summary>A row of a summary table.</summary>
/// <param name="Heading">Its heading; null for the row of all.</param>
/// <param name="Then">The heading of a row within another; null for the other, and for the row of all.</param>
/// <param name="Cells">By column, the last that of all columns: the figures by measure.</param>
public sealed record SummaryRow(SummaryHeading? Heading, SummaryHeading? Then, ImmutableArray<ImmutableArray<decimal?>> Cells);

/// <summary>A cross-tab with its totals.</summary>
/// <param name="Columns">The columns; none where there is only that of all.</param>
/// <param name="Rows">The rows: each with those within it after it, the row of all last.</param>
/// <param name="Note">What is not shown; null where all is.</param>
public sealed record SummaryTable(ImmutableArray<SummaryHeading> Columns, ImmutableArray<SummaryRow> Rows, string? Note)
{
    private const int MostColumns = 60;
    private const int MostRows = 1_000;

    /// <summary>The table of figures.</summary>
    /// <param name="shape">How records are grouped and measured.</param>
    /// <param name="figures">The figures of each level.</param>
    /// <param name="sort">By which measure's total rows stand; in their own order where null.</param>
    /// <param name="format">How the workspace writes.</param>
    public static SummaryTable Of(
        SummaryShape shape,
        IReadOnlyDictionary<SummaryLevel, ImmutableArray<SummaryFigure>> figures,
        int? sort,
        RecordFormat format
    )
    {
        ArgumentNullException.ThrowIfNull(shape);
        ArgumentNullException.ThrowIfNull(figures);
        var cube = new Cube(shape, figures);
        var all = figures[shape.Levels[0]];
        var columns = shape.Columns is null ? [] : Headings(shape.Columns, all.Select(figure => figure.Column), format, null);
        Func<KeyTitle, decimal?>? Weight(Func<KeyTitle, ImmutableArray<decimal?>> of) =>
            sort is { } measure && measure < shape.Labels.Length ? key => of(key)[measure] : null;
        var rows = Headings(shape.Rows, all.Select(figure => figure.Row), format, Weight(key => cube[key, null, null]));
        var cut = rows.Length > MostRows || columns.Length > MostColumns;
        columns = columns[..Math.Min(columns.Length, MostColumns)];
        var lines = ImmutableArray.CreateBuilder<SummaryRow>();
        ImmutableArray<ImmutableArray<decimal?>> Cells(KeyTitle? row, KeyTitle? then) =>
            [.. columns.Select(column => cube[row, then, column.Of]), cube[row, then, null]];
        var within = all.ToLookup(figure => figure.Row, figure => figure.Then);
        foreach (var row in rows.Take(MostRows))
        {
            lines.Add(new SummaryRow(row, null, Cells(row.Of, null)));
            if (shape.Then is not null)
            {
                lines.AddRange(
                    Headings(shape.Then, within[row.Of], format, Weight(key => cube[row.Of, key, null]))
                        .Select(then => new SummaryRow(row, then, Cells(row.Of, then.Of)))
                );
            }
        }

        lines.Add(new SummaryRow(null, null, Cells(null, null)));
        return new SummaryTable(
            columns,
            lines.ToImmutable(),
            cut ? string.Create(format.Culture, $"Only the first {MostRows:#,##0} rows and {MostColumns} columns are shown.") : null
        );
    }

    private static ImmutableArray<SummaryHeading> Headings(
        Dimension by,
        IEnumerable<KeyTitle> keys,
        RecordFormat format,
        Func<KeyTitle, decimal?>? weight
    )
    {
        var options = by.Field.Type is FieldType.Choice choice ? choice.Options : [];
        var headings = keys.Distinct().Select(key => new SummaryHeading(key, by.Label(key.Key, key.Title, format)));
        return
        [
            .. weight is not null ? headings.OrderByDescending(heading => weight(heading.Of) ?? decimal.MinValue)
            : by.IsOrdered ? headings.OrderBy(heading => heading.Of.Key, Comparer<object?>.Create(Dimension.Order))
            : !options.IsEmpty ? headings.OrderBy(heading => heading.Of.Key is string option ? options.IndexOf(option) : int.MaxValue)
            : headings.OrderBy(heading => heading.Label, StringComparer.Create(format.Culture, ignoreCase: true)),
        ];
    }

    // The figures of each level by their keys; those of a level that was not read are had from the cells.
    private sealed class Cube
    {
        private readonly Dictionary<(SummaryLevel, KeyTitle, KeyTitle, KeyTitle), ImmutableArray<decimal?>> _known = [];
        private readonly ImmutableArray<decimal?> _none;
        private readonly MeasureFormula? _formula;

        public Cube(SummaryShape shape, IReadOnlyDictionary<SummaryLevel, ImmutableArray<SummaryFigure>> figures)
        {
            _none = [.. shape.Measures.Select(_ => (decimal?)null)];
            _formula = shape.Formula;
            foreach (var (level, all) in figures)
            {
                foreach (var figure in all)
                {
                    _known[Key(level, figure)] = figure.Numbers;
                }
            }

            if (figures.Count > 1)
            {
                return;
            }

            var (cells, found) = figures.First();
            SummaryLevel[] totals =
            [
                new(true, false, cells.Columns),
                new(true, cells.Then, false),
                new(true, false, false),
                new(false, false, cells.Columns),
                new(false, false, false),
            ];
            foreach (var level in totals.Distinct().Where(level => level != cells))
            {
                foreach (var group in found.GroupBy(figure => Key(level, figure)))
                {
                    _known[group.Key] =
                    [
                        .. shape.Measures.Select((measure, at) => Together(measure, group.Select(one => one.Numbers[at]))),
                    ];
                }
            }
        }

        public ImmutableArray<decimal?> this[KeyTitle? row, KeyTitle? then, KeyTitle? column] =>
            _formula is null ? Measured(row, then, column) : [_formula.Of(Measured(row, then, column))];

        private ImmutableArray<decimal?> Measured(KeyTitle? row, KeyTitle? then, KeyTitle? column) =>
            _known.GetValueOrDefault(
                (
                    new SummaryLevel(row is not null, then is not null, column is not null),
                    row ?? default,
                    then ?? default,
                    column ?? default
                ),
                _none
            );

        private static (SummaryLevel, KeyTitle, KeyTitle, KeyTitle) Key(SummaryLevel level, SummaryFigure figure) =>
            (level, level.Rows ? figure.Row : default, level.Then ? figure.Then : default, level.Columns ? figure.Column : default);

        private static decimal? Together(ChartMeasure measure, IEnumerable<decimal?> numbers)
        {
            decimal[] known = [.. numbers.OfType<decimal>()];
            return known.Length == 0 ? null : measure.Together!(known);
        }
    }
}
