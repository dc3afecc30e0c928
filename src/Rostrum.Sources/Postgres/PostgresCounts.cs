using System.Globalization;
using System.Text.Json;
using Npgsql;
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

    public bool IsNarrowed(Dataset dataset, ReadRequest request) =>
        request.Filter is not Filter.Everything || request.Search.Length > 0 || grants.For(dataset.Id).Condition is not Filter.Everything;

    // A negative number says that it is an estimate.
    public SqlText Statement(Dataset dataset, ReadRequest request)
    {
        var sql = new SqlText();
        var from = Plan(dataset, sql).From(request.Filter, request.Search);
        return IsNarrowed(dataset, request)
            ? sql.Add($"SELECT count(*) FROM (SELECT 1{from} LIMIT {FilteredUpTo + 1}) c")
            : sql.Add($"SELECT CASE WHEN c.reltuples >= {ExactlyBelow} THEN -c.reltuples::int8 ELSE (SELECT count(*){from}) END FROM pg_class c WHERE c.oid = {sql.Text(SqlIdentifier.Quote(dataset.Table))}::regclass");
    }

    public async Task<RecordCount> CountAsync(NpgsqlConnection connection, Dataset dataset, ReadRequest request, CancellationToken cancellation)
    {
        await using var command = Statement(dataset, request).Command(connection);
        var number = Convert.ToInt64(await command.ExecuteScalarAsync(cancellation), CultureInfo.InvariantCulture);
        return number <= FilteredUpTo ? new RecordCount(number, CountKind.Exact) : await EstimateAsync(connection, dataset, request, cancellation);
    }

    private async Task<RecordCount> EstimateAsync(NpgsqlConnection connection, Dataset dataset, ReadRequest request, CancellationToken cancellation)
    {
        var sql = new SqlText();
        sql.Add("EXPLAIN (FORMAT JSON) SELECT 1" + Plan(dataset, sql).From(request.Filter, request.Search));
        await using var command = sql.Command(connection);
        var json = Convert.ToString(await command.ExecuteScalarAsync(cancellation), CultureInfo.InvariantCulture) ?? "[]";
        using var document = JsonDocument.Parse(json);
        var estimate = document.RootElement[0].GetProperty("Plan").GetProperty("Plan Rows").GetInt64();
        return estimate > FilteredUpTo ? new RecordCount(estimate, CountKind.About) : new RecordCount(FilteredUpTo, CountKind.MoreThan);
    }

    private SelectPlan Plan(Dataset dataset, SqlText sql) => new(catalogue, grants, dataset, sql, "t", formulas.Context, formulas);
}
