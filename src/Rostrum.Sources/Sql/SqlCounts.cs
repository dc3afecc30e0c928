using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>Says how many records a request concerns: exactly as far as that is cheap, and beyond by the server's estimate.</summary>
internal sealed class SqlCounts(SqlEngine engine, RequestScope scope)
{
    /// <summary>Below this many rows the server counts an unfiltered table exactly; above, its own estimate is taken.</summary>
    private const int ExactlyBelow = 100_000;

    /// <summary>A filtered count goes no further than this.</summary>
    private const int FilteredUpTo = 10_000;

    private static readonly TimeSpan EstimatesKept = TimeSpan.FromSeconds(30);

    public bool IsNarrowed(Dataset dataset, ReadRequest request) =>
        request.Filter is not Filter.Everything
        || request.Search.Length > 0
        || scope.Grants.For(dataset.Id).Condition is not Filter.Everything;

    /// <summary>Counts what a request concerns; past the most that is counted of a narrowed one, the server estimates.</summary>
    public Task<RecordCount> CountAsync(Statements statements, Dataset dataset, ReadRequest request, CancellationToken cancellation) =>
        Of(dataset, request).CountAsync(statements, cancellation);

    /// <summary>The count of a request, not yet carried out.</summary>
    public Counting Of(Dataset dataset, ReadRequest request)
    {
        var sql = new SqlText(engine);
        var plan = new SelectPlan(scope, dataset, sql, "t");
        return new Counting(plan, sql, plan.Conditions(request.Filter, request.Search), IsNarrowed(dataset, request));
    }

    /// <param name="plan">The statement's plan.</param>
    /// <param name="sql">The statement's values.</param>
    /// <param name="conditions">Its conditions.</param>
    /// <param name="isNarrowed">Whether there is one.</param>
    internal sealed class Counting(SelectPlan plan, SqlText sql, ImmutableArray<string> conditions, bool isNarrowed)
    {
        private static readonly ImmutableArray<Aggregate> Count = [new("count(*)")];

        public SelectPlan Plan => plan;

        /// <summary>The server cannot decide the condition.</summary>
        public bool IsRefused => sql.IsRefused;

        public async Task<RecordCount> CountAsync(Statements statements, CancellationToken cancellation)
        {
            if (!isNarrowed)
            {
                return await AllAsync(statements, cancellation);
            }

            var from = plan.From(conditions);
            var number = await statements.OneAsync(
                sql.Copy().Add($"SELECT count(*) FROM (SELECT 1{from} LIMIT {FilteredUpTo + 1}) c"),
                Overall.Of(plan, conditions, Count, sql),
                (row, at) => row.GetInt64(at),
                cancellation
            );
            if (number <= FilteredUpTo)
            {
                return new RecordCount(number, CountKind.Exact);
            }

            if (sql.Engine.EstimateOf($"SELECT 1{from}") is not { } asked)
            {
                return new RecordCount(FilteredUpTo, CountKind.MoreThan);
            }

            return await KeptAsync(statements, from, () => EstimateAsync(statements, sql.Copy().Add(asked), cancellation));
        }

        private async Task<RecordCount> AllAsync(Statements statements, CancellationToken cancellation)
        {
            var from = plan.From(conditions);
            return await KeptAsync(statements, from, async () =>
            {
                var isTable = plan.Dataset is { Query: null, Join: null };
                var estimated = isTable ? sql.Engine.CountOrEstimate(sql, plan.Dataset.Table, from, ExactlyBelow) : null;
                sql.Add(estimated ?? $"SELECT count(*){from}");
                var number = await statements.OneAsync(sql, null, (row, at) => row.GetInt64(at), cancellation);
                return number < 0 ? new RecordCount(-number, CountKind.About) : new RecordCount(number, CountKind.Exact);
            });
        }

        // What many rows come to is as good a moment later, and costs the server as much each time: it is kept, and said to be about right.
        private async Task<RecordCount> KeptAsync(Statements statements, string from, Func<Task<RecordCount>> countAsync)
        {
            var values = sql.Parameters.Select(parameter => Convert.ToString(parameter.Value, CultureInfo.InvariantCulture));
            var key = $"{from}\n{string.Join('\n', values)}";
            var now = Environment.TickCount64;
            var estimates = statements.Experience.Estimates;
            if (estimates.TryGet(key, out var known) && now - known.At <= EstimatesKept.TotalMilliseconds)
            {
                return known.Count;
            }

            var count = await countAsync();
            if (count.Kind is not CountKind.Exact)
            {
                estimates.Keep(key, (count, now));
            }
            else if (count.Number >= ExactlyBelow)
            {
                estimates.Keep(key, (count with { Kind = CountKind.About }, now));
            }

            return count;
        }
    }

    private static async Task<RecordCount> EstimateAsync(Statements statements, SqlText sql, CancellationToken cancellation)
    {
        var estimate = (await statements.RowsAsync(sql, statements.Engine.ReadEstimate, cancellation))[0];
        return estimate > FilteredUpTo ? new RecordCount(estimate, CountKind.About) : new RecordCount(FilteredUpTo, CountKind.MoreThan);
    }
}
