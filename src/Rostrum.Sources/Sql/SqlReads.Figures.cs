using System.Collections.Immutable;
using System.Data.Common;
using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Apart;

namespace Rostrum.Sources.Sql;

/// <summary>Groups and totals.</summary>
internal sealed partial class SqlReads
{
    /// <summary>Records in groups, by one statement; where the server cannot compute all of it, memory does.</summary>
    public async Task<SummaryResult> SummariseAsync(
        Statements statements,
        Dataset dataset,
        ReadRequest request,
        SummaryRequest summary,
        CancellationToken cancellation
    )
    {
        var result = await SelectSummaryAsync(statements, dataset, request, summary, cancellation)
            ?? await new SqlScan(engine, scope, format, others).SummariseAsync(
                statements,
                dataset,
                request,
                summary,
                RequestSplit.Of(engine, scope, dataset, request),
                cancellation
            );
        for (var at = 0; result is SummaryResult.Groups groups && at < summary.By.Length; at++)
        {
            if (dataset.RelationOf(summary.By[at]) is { } relation && scope.Catalogue.ApartTarget(dataset, relation) is { } target)
            {
                result = await TitledAsync(groups, at, relation, target, cancellation);
            }
        }

        return result;
    }

    private async Task<SummaryResult> TitledAsync(
        SummaryResult.Groups groups,
        int at,
        Relation relation,
        Dataset target,
        CancellationToken cancellation
    )
    {
        object[] values =
        [
            .. groups.Found.Select(group => group.Values[at]).Where(value => value is not (null or Unreadable)).OfType<object>().Distinct(),
        ];
        var titles = await others.TitlesAsync(relation, target, values, cancellation);
        return groups with
        {
            Found =
            [
                .. groups.Found.Select(group =>
                    group.Values[at] is { } value
                        ? group with
                        {
                            Titles = group.Titles.SetItem(at, titles.GetValueOrDefault(value)),
                        }
                        : group
                ),
            ],
        };
    }

    // Null where the server cannot compute it.
    private async Task<SummaryResult?> SelectSummaryAsync(
        Statements statements,
        Dataset dataset,
        ReadRequest request,
        SummaryRequest summary,
        CancellationToken cancellation
    )
    {
        var sql = new SqlText(engine);
        var columns = new SelectedColumns(engine);
        var plan = new SelectPlan(scope, dataset, sql, "t");
        var by = new List<(int Value, ImmutableArray<int> Title, Leaf Leaf, bool IsComputed)>();
        foreach (var field in summary.By)
        {
            var isComputed = _formulas.Columns.ContainsKey(field);
            if ((isComputed ? plan.Computed(field).Leaf : plan.Own(field)) is not { } leaf)
            {
                return null;
            }

            var relation = isComputed ? null : dataset.RelationOf(field);
            var value = columns.Add(leaf);
            by.Add((value, relation is null ? [] : [.. plan.TitleOf(relation).Select(columns.Add)], leaf, isComputed));
        }

        string[] measures =
        [
            .. summary.Measures.Select(measure => (measure is { } total ? Aggregate(plan, sql, total) : "count(*)") + engine.TotalCast),
        ];
        var from = plan.From(request.Filter, request.Search);
        var groups = string.Join(", ", columns.Leaves.Select(column => column.Sql));
        var limit = sql.Number(summary.Limit + 1);
        if (sql.IsRefused)
        {
            return null;
        }

        string[] selected = [.. columns.Leaves.Count == 0 ? [] : new[] { columns.Sql }, .. measures];
        sql.Add(
            $"SELECT {string.Join(", ", selected)}{from}"
                + (columns.Leaves.Count == 0 ? "" : $" GROUP BY {groups} ORDER BY count(*) DESC, {groups} LIMIT {limit}")
        );
        var first = columns.Leaves.Count;
        var tooLong = false;
        decimal? Number(DbDataReader reader, int at)
        {
            if (reader.IsDBNull(at))
            {
                return null;
            }

            var text = Convert.ToString(reader.GetValue(at), CultureInfo.InvariantCulture);
            tooLong |= !decimal.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number);
            return number;
        }

        var found = await statements.RowsAsync(
            sql,
            reader =>
            {
                var row = columns.Read(reader);
                return new SummaryGroup(
                    [
                        .. by.Select(one =>
                            one.IsComputed ? ComputedLeaf.Carried(one.Leaf.Field, row[one.Value], format.Zone) : row[one.Value]
                        ),
                    ],
                    [.. by.Select(one => ReadColumns.TitleText(format, columns, one.Title, row, null))],
                    [.. measures.Select((_, at) => Number(reader, first + at))]
                );
            },
            cancellation
        );
        return tooLong ? new SummaryResult.Invalid(TooLong.Problem) : SqlScan.Cut([.. found], summary.Limit);
    }

    // What is computed over rows; the statement is refused where the server would not give it to the last digit.
    private string Aggregate(SelectPlan plan, SqlText sql, FieldTotal total) =>
        (_formulas.Columns.ContainsKey(total.Field) ? plan.Computed(total.Field).Leaf : plan.Own(total.Field)) is not { } leaf
            ? sql.Refuse()
        : total.Total is Total.Distinct ? $"count(DISTINCT {engine.ByCodePoints(leaf.Sql, leaf.Field)})"
        : !engine.TotalsExactly(leaf.Field) ? sql.Refuse()
        : total.Total is Total.Median ? engine.Median(leaf.Sql) ?? sql.Refuse()
        : $"{FunctionOf(total.Total)}({leaf.Sql})";

    /// <summary>Totals over fields by which a request sorts: one statement for all that the database can compute.</summary>
    public async Task<TotalResult> TotalsAsync(
        Statements statements,
        Dataset dataset,
        ReadRequest request,
        ImmutableArray<FieldTotal> totals,
        CancellationToken cancellation
    )
    {
        var numbers = new decimal?[totals.Length];
        if (
            await SelectTotalsAsync(statements, dataset, request, totals, [.. Enumerable.Range(0, totals.Length)], numbers, cancellation) is
            { } all
        )
        {
            return all ? new TotalResult.Values([.. numbers]) : TooLong;
        }

        var here = new List<int>();
        for (var at = 0; at < totals.Length; at++)
        {
            var alone = request with { Sort = [new SortBy(totals[at].Field)] };
            var split = RequestSplit.Of(engine, scope, dataset, alone);
            if (!split.NeedsScan && (dataset.Find(totals[at].Field) is not { } field || engine.TotalsExactly(field)))
            {
                here.Add(at);
            }
            else if (
                await new SqlScan(engine, scope, format, others).SummariseAsync(
                    statements,
                    dataset,
                    alone,
                    new SummaryRequest(dataset.Id, [], [totals[at]], alone.Filter),
                    split,
                    cancellation
                )
                is SummaryResult.Groups { Found: [{ Numbers: [var number] }] }
            )
            {
                numbers[at] = number;
            }
            else
            {
                return TooLong;
            }
        }

        return here.Count == 0 || await SelectTotalsAsync(statements, dataset, request, totals, here, numbers, cancellation) == true
            ? new TotalResult.Values([.. numbers])
            : TooLong;
    }

    private static TotalResult.Invalid TooLong => new("The total has more digits than can be shown.");

    // Null where the server cannot compute them; false where one cannot be carried.
    private async Task<bool?> SelectTotalsAsync(
        Statements statements,
        Dataset dataset,
        ReadRequest request,
        ImmutableArray<FieldTotal> totals,
        List<int> here,
        decimal?[] numbers,
        CancellationToken cancellation
    )
    {
        var sql = new SqlText(engine);
        var plan = new SelectPlan(scope, dataset, sql, "t");
        ImmutableArray<Aggregate> selected = [.. here.Select(at => new Aggregate(Aggregate(plan, sql, totals[at]), engine.TotalCast))];
        var conditions = plan.Conditions(request.Filter, request.Search);
        if (sql.IsRefused)
        {
            return null;
        }

        var statement = sql.Copy()
            .Add($"SELECT {string.Join(", ", selected.Select(aggregate => aggregate.Of + aggregate.Cast))}{plan.From(conditions)}");
        var row = await statements.OneAsync(
            statement,
            here.Any(at => totals[at].Total is Total.Median) ? null : Overall.Of(plan, conditions, selected, sql),
            (reader, first) =>
                here.Select(
                        (_, at) =>
                            reader.IsDBNull(first + at) ? null : Convert.ToString(reader.GetValue(first + at), CultureInfo.InvariantCulture)
                    )
                    .ToArray(),
            cancellation
        );
        for (var column = 0; column < here.Count; column++)
        {
            if (row[column] is { } text)
            {
                if (!decimal.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number))
                {
                    return false;
                }

                numbers[here[column]] = number;
            }
        }

        return true;
    }

    private static string FunctionOf(Total total) =>
        total switch
        {
            Total.Sum => "sum",
            Total.Average => "avg",
            Total.Least => "min",
            _ => "max",
        };
}
