using System.Collections.Concurrent;
using System.Globalization;
using System.Text.Json;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>Says how many records a request concerns: exactly as far as that is cheap, and beyond by the server's estimate.</summary>
internal sealed class PostgresCounts(DatasetCatalogue catalogue, Grants grants, RequestFormulas formulas)
{
    /// <summary>Below this many rows the server counts an unfiltered table exactly; above, its own estimate is taken.</summary>
    private const int ExactlyBelow = 100_000;

    /// <summary>A filtered count goes no further than this.</summary>
    private const int FilteredUpTo = 10_000;

    private const int MostEstimates = 1_000;

    private static readonly TimeSpan EstimatesKept = TimeSpan.FromSeconds(30);
    private static readonly ConcurrentDictionary<string, (RecordCount Count, long At)> Estimates = new();

    public bool IsNarrowed(Dataset dataset, ReadRequest request) =>
        request.Filter is not Filter.Everything || request.Search.Length > 0 || grants.For(dataset.Id).Condition is not Filter.Everything;

    /// <summary>Counts all records that a request without a condition concerns.</summary>
    public async Task<RecordCount> AllAsync(Statements statements, Dataset dataset, ReadRequest request, CancellationToken cancellation)
    {
        var sql = new SqlText();
        var from = Plan(dataset, sql).From(request.Filter, request.Search);
        sql.Add($"SELECT CASE WHEN c.reltuples >= {ExactlyBelow} THEN -c.reltuples::int8 ELSE (SELECT count(*){from}) END FROM pg_class c WHERE c.oid = {sql.Text(SqlIdentifier.Quote(dataset.Table))}::regclass");
        var number = (await statements.RowsAsync(sql, row => row.GetInt64(0), cancellation))[0];
        return number < 0 ? new RecordCount(-number, CountKind.About) : new RecordCount(number, CountKind.Exact);
    }

    /// <summary>Counts what a request concerns; past the most that is counted of a narrowed one, the server estimates.</summary>
    public async Task<RecordCount> CountAsync(Statements statements, Dataset dataset, ReadRequest request, CancellationToken cancellation)
    {
        if (!IsNarrowed(dataset, request))
        {
            return await AllAsync(statements, dataset, request, cancellation);
        }

        var sql = new SqlText();
        var from = Plan(dataset, sql).From(request.Filter, request.Search);
        var number = (await statements.RowsAsync(sql.Copy().Add($"SELECT count(*) FROM (SELECT 1{from} LIMIT {FilteredUpTo + 1}) c"), row => row.GetInt64(0), cancellation))[0];
        if (number <= FilteredUpTo)
        {
            return new RecordCount(number, CountKind.Exact);
        }

        // An estimate is as good a moment later, and the server plans for it each time as it would for a read.
        var key = $"{dataset.Source}\n{from}\n{string.Join('\n', sql.Parameters.Select(parameter => Convert.ToString(parameter.Value, CultureInfo.InvariantCulture)))}";
        var now = Environment.TickCount64;
        if (!Estimates.TryGetValue(key, out var known) || now - known.At > EstimatesKept.TotalMilliseconds)
        {
            if (Estimates.Count >= MostEstimates)
            {
                Estimates.Clear();
            }

            known = (await EstimateAsync(statements, sql.Copy().Add("EXPLAIN (FORMAT JSON) SELECT 1" + from), cancellation), now);
            Estimates[key] = known;
        }

        return known.Count;
    }

    private static async Task<RecordCount> EstimateAsync(Statements statements, SqlText sql, CancellationToken cancellation)
    {
        using var document = JsonDocument.Parse((await statements.RowsAsync(sql, row => row.GetString(0), cancellation))[0]);
        var estimate = document.RootElement[0].GetProperty("Plan").GetProperty("Plan Rows").GetInt64();
        return estimate > FilteredUpTo ? new RecordCount(estimate, CountKind.About) : new RecordCount(FilteredUpTo, CountKind.MoreThan);
    }

    private SelectPlan Plan(Dataset dataset, SqlText sql) => new(catalogue, grants, dataset, sql, "t", formulas.Context, formulas);
}
