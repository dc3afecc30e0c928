using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Apart;
using Rostrum.Sources.Memory;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Carries out reads as one round trip: the rows, and beside them the count where it is wanted. What the server cannot narrow or sort by is
/// left to <see cref="SqlScan"/>.
/// </summary>
internal sealed partial class SqlReads(SqlEngine engine, RequestScope scope, RecordFormat format, OtherSources others)
{
    /// <summary>From here on rows are found by their keys first in every order.</summary>
    private const int FarOffset = 1_000;
    private const int RowsOfLongReads = 500;

    private readonly SqlCounts _counts = new(engine, scope);
    private readonly RequestFormulas _formulas = scope.Formulas!;

    /// <summary>Has the server do all of it; where it turns out that it cannot, the request is split.</summary>
    public async Task<ReadResult> ReadAsync(Statements statements, Dataset dataset, ReadRequest request, CancellationToken cancellation)
    {
        if (request is { Counted: true, Window: PageWindow.FromStart { Limit: 0 } })
        {
            var counted = _counts.Of(dataset, request);
            if (!counted.IsRefused)
            {
                return new ReadResult.Rows([], await counted.CountAsync(statements, cancellation), false, false, null, null)
                {
                    Explanation = RequestSplit.Explained(request, _formulas, counted.Plan, decidesAll: true),
                };
            }
        }
        else if (Prepare(dataset, request) is { Sql.IsRefused: false } prepared)
        {
            return await ReadAsync(statements, dataset, request, prepared, cancellation);
        }

        var split = RequestSplit.Of(engine, scope, dataset, request);
        return await new SqlScan(engine, scope, format, others).ReadAsync(statements, dataset, request, split, cancellation);
    }

    /// <summary>Has the server give all records of a request by one statement, some at a time.</summary>
    /// <returns>False where the server cannot, and nothing was given.</returns>
    public async Task<bool> GiveAllAsync(
        Statements statements,
        Dataset dataset,
        ReadRequest request,
        int atOnce,
        Func<ReadResult.Rows, ValueTask> give,
        CancellationToken cancellation
    )
    {
        // Few rows at a time are gone before the next come, however many are wanted of a read of its own.
        atOnce = Math.Min(atOnce, RowsOfLongReads);
        var all = request with { Window = PageWindow.Everything, Counted = false };
        if (
            Prepare(dataset, all) is not { Sql.IsRefused: false } prepared
            || statements.Parts(prepared.Sql, prepared.Wanted.Selected.Read, atOnce, cancellation) is not { } parts
        )
        {
            return false;
        }

        var isFirst = true;
        await foreach (var rows in parts)
        {
            var computed = await prepared.Memory.EvaluateAsync(statements, rows, cancellation);
            var records = await prepared.Wanted.RecordsAsync(rows, computed, cancellation);
            await give(new ReadResult.Rows(records, null, !isFirst, rows.Count == atOnce, null, null));
            isFirst = false;
        }

        return true;
    }

    private async Task<ReadResult> ReadAsync(
        Statements statements,
        Dataset dataset,
        ReadRequest request,
        Prepared prepared,
        CancellationToken cancellation
    )
    {
        var explanation = RequestSplit.Explained(request, _formulas, prepared.Plan, decidesAll: true);
        if (!prepared.HasPlace)
        {
            return new ReadResult.Rows([], null, false, false, null, null) { Explanation = explanation };
        }

        var (wanted, columns, turned) = (prepared.Wanted, prepared.Wanted.Selected, request.Window is PageWindow.Before);
        var (rows, count) =
            statements.Decided is { } decided && prepared.Plan.StoredPlaces(columns.Leaves) is { } places
                ? ([.. decided.Select(row => Array.ConvertAll(places, place => row[place]))], null)
                : await FetchAsync(statements, prepared.Sql, columns, dataset, request, cancellation);
        var more = rows.Count > request.Window.Limit;
        if (more)
        {
            rows.RemoveAt(rows.Count - 1);
        }

        if (turned)
        {
            rows.Reverse();
        }

        var computed = await prepared.Memory.EvaluateAsync(statements, rows, cancellation);
        PageCursor? PlaceOf(object?[] row) => RowOrder.Place(prepared.Place.Select(index => (columns.Leaves[index], row[index])));
        var earlier = request.Window switch
        {
            PageWindow.FromStart start => start.Offset > 0,
            PageWindow.After => true,
            _ => more,
        };
        return new ReadResult.Rows(
            await wanted.RecordsAsync(rows, computed, cancellation),
            count,
            earlier,
            turned || more,
            rows.Count > 0 && wanted.HasKey ? PlaceOf(rows[0]) : null,
            rows.Count > 0 && wanted.HasKey ? PlaceOf(rows[^1]) : null
        )
        {
            Explanation = explanation,
        };
    }

    /// <summary>The statement for a request, with the server's plan for it.</summary>
    public async Task<ExplainResult> ExplainAsync(
        Statements statements,
        Dataset dataset,
        ReadRequest request,
        bool run,
        CancellationToken cancellation
    )
    {
        var split = RequestSplit.Of(engine, scope, dataset, request);
        var sql =
            split.NeedsScan ? new SqlScan(engine, scope, format, others).First(dataset, request, split)
            : Prepare(dataset, request) is { HasPlace: true, Sql: var whole } ? whole
            : new SqlText(engine).Add("SELECT 1 WHERE FALSE");
        var statement = sql.ToString();
        var plan = await statements.RowsAsync(sql.Copy().Add(engine.Explain(statement, run)), engine.ReadExplained, cancellation);
        return new ExplainResult.Plan(statement, string.Join('\n', plan), split.Explanation);
    }

    /// <param name="Sql">The statement.</param>
    /// <param name="HasPlace">Whether the place to go on from belongs to this order: somebody's address may be from another list.</param>
    /// <param name="Plan">The statement's plan.</param>
    /// <param name="Wanted">Its columns.</param>
    /// <param name="Memory">What memory computes.</param>
    /// <param name="Place">The columns that say where a row stands in the order.</param>
    private sealed record Prepared(
        SqlText Sql,
        bool HasPlace,
        SelectPlan Plan,
        ReadColumns Wanted,
        MemoryPart Memory,
        ImmutableArray<int> Place
    );

    private Prepared Prepare(Dataset dataset, ReadRequest request)
    {
        var sql = new SqlText(engine);
        var memory = new MemoryPart(scope.Catalogue, scope.Grants, _formulas, others);
        var page = _formulas.LookAtLists && !dataset.Key.IsEmpty ? "f" : null;
        var plan = new SelectPlan(scope, dataset, sql, "t", page);
        var wanted = new ReadColumns(plan, request, _formulas, memory, format, others);
        memory.Select(plan, wanted.Selected);
        var order = RowOrder.Of(plan, request.Sort);
        ImmutableArray<int> place = [.. order.Leaves.Select(wanted.Selected.Add)];
        return new Prepared(
            sql,
            AddStatement(sql, plan, wanted.Selected, order, request, request.Window is PageWindow.Before, page),
            plan,
            wanted,
            memory,
            place
        );
    }

    private async Task<(List<object?[]> Rows, RecordCount? Count)> FetchAsync(
        Statements statements,
        SqlText sql,
        SelectedColumns columns,
        Dataset dataset,
        ReadRequest request,
        CancellationToken cancellation
    )
    {
        if (!request.Counted)
        {
            return (await statements.RowsAsync(sql, columns.Read, cancellation), null);
        }

        // A first page that is not full has counted the records already. Where it will be, counting need not wait for it; what it was the
        // last time is a good guess.
        var first = request.Window is PageWindow.FromStart { Offset: 0 } && _counts.IsNarrowed(dataset, request) ? sql.ToString() : null;
        var reading = statements.RowsAsync(sql, columns.Read, cancellation);
        var counting =
            first is null || statements.Experience.FullPages.Has(first)
                ? _counts.CountAsync(statements, dataset, request, cancellation)
                : null;
        await Task.WhenAll(reading, (Task?)counting ?? Task.CompletedTask);
        var rows = await reading;
        var full = rows.Count > request.Window.Limit;
        if (first is not null)
        {
            Remember(statements.Experience.FullPages, first, full);
        }

        return (
            rows,
            first is not null && !full
                ? new RecordCount(rows.Count, CountKind.Exact)
                : await (counting ?? _counts.CountAsync(statements, dataset, request, cancellation))
        );
    }

    private static void Remember(Remembered<bool> pages, string first, bool full)
    {
        if (full)
        {
            pages.Keep(first, true);
        }
        else
        {
            pages.Forget(first);
        }
    }

    private bool AddStatement(
        SqlText sql,
        SelectPlan plan,
        SelectedColumns columns,
        RowOrder order,
        ReadRequest request,
        bool turned,
        string? page
    )
    {
        if (request.Each is { } each && !plan.Dataset.Key.IsEmpty)
        {
            AddRowsOfEach(sql, plan, columns, order, request, each, page);
            return true;
        }

        if (page is null && !FindsKeysFirst(plan, order, request))
        {
            return AddRows(sql, plan, order, request, turned, columns.Sql);
        }

        // The rows of a page are found by their keys, without a join; then they alone are fetched whole and joined.
        var found = new SelectPlan(scope, plan.Dataset, sql, "k");
        var key = plan
            .Dataset.Key.Select(name =>
                (Found: found.Stored(name).Sql, Column: engine.Quote(plan.Dataset[name].Column), Row: plan.Stored(name).Sql)
            )
            .ToArray();
        var selected = columns.Sql;
        sql.Add(page is null ? $"SELECT {selected} FROM (" : $"WITH {page} AS (");
        if (!AddRows(sql, found, RowOrder.Of(found, request.Sort), request, turned, string.Join(", ", key.Select(part => part.Found))))
        {
            return false;
        }

        sql.Add(page is null ? ") f" : $") SELECT {selected} FROM {page}");
        sql.Add(
            $" JOIN {plan.Table()} ON "
                + $"{string.Join(" AND ", key.Select(part => $"f.{part.Column} = {part.Row}"))}{plan.Joins()}{order.OrderBy(turned)}"
        );
        return true;
    }

    // The first rows of each value are found by their keys; then they alone are fetched whole. Where the values are known, each has a look
    // of its own: with an index, what belongs to it need not be read to its end.
    private void AddRowsOfEach(
        SqlText sql,
        SelectPlan plan,
        SelectedColumns columns,
        RowOrder order,
        ReadRequest request,
        EachOf each,
        string? page
    )
    {
        var found = new SelectPlan(scope, plan.Dataset, sql, "k");
        var key = plan
            .Dataset.Key.Select(name =>
                (Found: found.Stored(name).Sql, Column: engine.Quote(plan.Dataset[name].Column), Row: plan.Stored(name).Sql)
            )
            .ToArray();
        var keys = string.Join(", ", key.Select((part, at) => $"{part.Found} AS {part.Column}"));
        var value = found.Own(each.Field).Sql;
        var selected = columns.Sql;
        var place = RowOrder.Of(found, request.Sort).OrderBy(false);
        var most = each.Most.ToString(CultureInfo.InvariantCulture);
        var known = RequestFormulas
            .Conjuncts(request.Filter)
            .OfType<Filter.OneOf>()
            .FirstOrDefault(one => one.Field == each.Field && !one.Values.Contains(null))
            ?.Values.OfType<object>()
            .Distinct()
            .ToArray()
            ?? [];
        sql.Add(page is null ? $"SELECT {selected} FROM (" : $"WITH {page} AS (");
        string RowsOf(string one) => $"SELECT {keys}{found.From(request.Filter, request.Search, $"{value} = {one}")}{place} LIMIT {most}";
        sql.Add(
            (known.Length > 0 ? engine.EachOf(sql, plan.Dataset[each.Field], known, RowsOf) : null)
                ?? $"SELECT * FROM (SELECT {keys}, row_number() OVER (PARTITION BY {value}{place}) AS "
                    + $"place_of_each{found.From(request.Filter, request.Search)}) r WHERE place_of_each <= {most}"
        );
        sql.Add(page is null ? ") f" : $") SELECT {selected} FROM {page}");
        sql.Add(
            $" JOIN {plan.Table()} ON "
                + $"{string.Join(" AND ", key.Select(part => $"f.{part.Column} = {part.Row}"))}{plan.Joins()}{order.OrderBy(false)} "
                + $"LIMIT {(request.Window.Limit + 1).ToString(CultureInfo.InvariantCulture)}"
        );
    }

    // Where the order needs no join, sorting the bare rows is many times cheaper than sorting joined ones; and skipping rows is, in any
    // order.
    private static bool FindsKeysFirst(SelectPlan plan, RowOrder order, ReadRequest request) =>
        !plan.Dataset.Key.IsEmpty
        && plan.Joins().Length > 0
        && request.Window != PageWindow.Everything
        && (
            request.Window is PageWindow.FromStart { Offset: >= FarOffset }
            || order.Leaves.All(leaf => leaf.Sql.StartsWith(plan.Alias + ".", StringComparison.Ordinal))
        );

    private static bool AddRows(SqlText sql, SelectPlan plan, RowOrder order, ReadRequest request, bool turned, string columns)
    {
        string? beyond = null;
        if (request.Window is PageWindow.After or PageWindow.Before)
        {
            var place = request.Window is PageWindow.After after ? after.Place : ((PageWindow.Before)request.Window).Place;
            if ((beyond = order.Beyond(place, turned, sql)) is null)
            {
                return false;
            }
        }

        // The page's size is the app's, not a person's: written out, the server can plan for it once and for all.
        var limit =
            request.Window == PageWindow.Everything ? "" : $" LIMIT {(request.Window.Limit + 1).ToString(CultureInfo.InvariantCulture)}";
        var offset = request.Window is PageWindow.FromStart { Offset: > 0 and var skipped } ? $" OFFSET {sql.Number(skipped)}" : "";
        sql.Add($"SELECT {columns}{plan.From(request.Filter, request.Search, beyond)}{order.OrderBy(turned)}{limit}{offset}");
        return true;
    }
}
