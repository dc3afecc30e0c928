using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Npgsql;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Postgres;

/// <summary>Carries out reads as one round trip: the rows, and beside them the count where it is wanted.</summary>
internal sealed class PostgresReads(DatasetCatalogue catalogue, Grants grants, RecordFormat format)
{
    /// <summary>Below this many rows the server counts an unfiltered table exactly; above, its own estimate is taken.</summary>
    private const int CountExactlyBelow = 100_000;

    /// <summary>A filtered count goes no further than this.</summary>
    private const int CountFilteredUpTo = 10_000;

    /// <summary>From here on rows are found by their keys first in every order.</summary>
    private const int FarOffset = 1_000;

    public async Task<ReadResult> ReadAsync(NpgsqlConnection connection, Dataset dataset, ReadRequest request, CancellationToken cancellation)
    {
        var sql = new SqlText();
        var columns = new SelectedColumns();
        var plan = new SelectPlan(catalogue, grants, dataset, sql, "t");
        var titles = request.Titles.Select(name => dataset.Relations.FirstOrDefault(relation => relation.Name == name)).OfType<Relation>().ToArray();

        var fields = request.Fields.Select(name => columns.Add(plan.Own(name))).ToArray();
        var key = dataset.Key.Select(name => columns.Add(plan.Own(name))).ToArray();
        var own = plan.Title().Select(columns.Add).ToArray();
        var related = titles.Select(relation => plan.TitleOf(relation).Select(columns.Add).ToArray()).ToArray();
        var order = RowOrder.Of(plan, request.Sort);
        var place = order.Leaves.Select(columns.Add).ToArray();

        var turned = request.Window is PageWindow.Before;
        if (!AddStatement(sql, plan, columns, order, request, turned))
        {
            return new ReadResult.Rows([], null, false, false, null, null);
        }

        await using var batch = new NpgsqlBatch(connection);
        batch.BatchCommands.Add(AsBatchCommand(sql));
        var narrowed = IsNarrowed(dataset, request);
        if (request.Counted && !narrowed)
        {
            batch.BatchCommands.Add(AsBatchCommand(CountStatement(dataset, request)));
        }

        var layout = new RecordLayout(request.Fields, titles.Select(relation => relation.Name));
        var rows = new List<object?[]>(request.Window.Limit + 1);
        RecordCount? count = null;
        await using (var reader = await batch.ExecuteReaderAsync(cancellation))
        {
            while (await reader.ReadAsync(cancellation))
            {
                rows.Add(columns.Read(reader));
            }

            if (request.Counted && !narrowed && await reader.NextResultAsync(cancellation) && await reader.ReadAsync(cancellation))
            {
                var number = reader.GetInt64(0);
                count = number < 0 ? new RecordCount(-number, CountKind.About) : new RecordCount(number, CountKind.Exact);
            }
        }

        if (request.Counted && narrowed)
        {
            // A first page that is not full has counted the records already.
            count = request.Window is PageWindow.FromStart { Offset: 0 } && rows.Count <= request.Window.Limit
                ? new RecordCount(rows.Count, CountKind.Exact)
                : await CountAsync(connection, dataset, request, cancellation);
        }

        var more = rows.Count > request.Window.Limit;
        if (more)
        {
            rows.RemoveAt(rows.Count - 1);
        }

        if (turned)
        {
            rows.Reverse();
        }

        Record AsRecord(object?[] row) => new(
            layout,
            key.Length == 0 ? null : new RecordKey([.. key.Select(index => row[index] ?? throw new InvalidOperationException("a key is blank"))]),
            [.. fields.Select(index => row[index])],
            TitleText(columns, own, row, $"{dataset.RecordLabel} without a name")!,
            [.. related.Zip(titles, (indexes, relation) => TitleText(columns, indexes, row, null))]);

        PageCursor? PlaceOf(object?[] row) => RowOrder.Place(place.Select(index => (columns.Leaves[index], row[index])));

        var earlier = request.Window switch { PageWindow.FromStart start => start.Offset > 0, PageWindow.After => true, _ => more };
        return new ReadResult.Rows(
            [.. rows.Select(AsRecord)], count, earlier, turned || more,
            rows.Count > 0 && key.Length > 0 ? PlaceOf(rows[0]) : null, rows.Count > 0 && key.Length > 0 ? PlaceOf(rows[^1]) : null);
    }

    public async Task<GroupResult> GroupAsync(NpgsqlConnection connection, Dataset dataset, GroupRequest request, CancellationToken cancellation)
    {
        var sql = new SqlText();
        var columns = new SelectedColumns();
        var plan = new SelectPlan(catalogue, grants, dataset, sql, "t");
        var value = columns.Add(plan.Own(request.Field));
        var title = dataset.RelationOf(request.Field) is { } relation ? plan.TitleOf(relation).Select(columns.Add).ToArray() : [];
        var groups = string.Join(", ", columns.Leaves.Select(leaf => leaf.Sql));
        sql.Add($"SELECT {columns.Sql}, count(*){plan.From(request.Filter, request.Search)} GROUP BY {groups} ORDER BY count(*) DESC, {groups} LIMIT {sql.Number(request.Limit)}");

        var values = ImmutableArray.CreateBuilder<ValueCount>();
        await using var command = sql.Command(connection);
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        while (await reader.ReadAsync(cancellation))
        {
            var row = columns.Read(reader);
            values.Add(new ValueCount(row[value], TitleText(columns, title, row, null), reader.GetInt64(columns.Leaves.Count)));
        }

        return new GroupResult.Groups(values.ToImmutable());
    }

    private bool IsNarrowed(Dataset dataset, ReadRequest request) =>
        request.Filter is not Filter.Everything || request.Search.Length > 0 || grants.For(dataset.Id).Condition is not Filter.Everything;

    // False where the place to go on from does not belong to this order: somebody's address is from another list.
    private bool AddStatement(SqlText sql, SelectPlan plan, SelectedColumns columns, RowOrder order, ReadRequest request, bool turned)
    {
        if (!FindsKeysFirst(plan, order, request))
        {
            return AddRows(sql, plan, order, request, turned, columns.Sql);
        }

        // The rows of a page are found by their keys, without a join; then they alone are fetched whole and joined.
        var found = new SelectPlan(catalogue, grants, plan.Dataset, sql, "k");
        var key = plan.Dataset.Key.Select(name => (Found: found.Own(name).Sql, Column: SqlIdentifier.Quote(plan.Dataset[name].Column), Row: plan.Own(name).Sql)).ToArray();
        sql.Add($"SELECT {columns.Sql} FROM (");
        if (!AddRows(sql, found, RowOrder.Of(found, request.Sort), request, turned, string.Join(", ", key.Select(part => part.Found))))
        {
            return false;
        }

        sql.Add($") f JOIN {plan.Table()} ON {string.Join(" AND ", key.Select(part => $"f.{part.Column} = {part.Row}"))}{plan.Joins()}{order.OrderBy(turned)}");
        return true;
    }

    // Where the order needs no join, sorting the bare rows is many times cheaper than sorting joined ones; and skipping rows is, in any order.
    private static bool FindsKeysFirst(SelectPlan plan, RowOrder order, ReadRequest request) =>
        !plan.Dataset.Key.IsEmpty && plan.Joins().Length > 0
        && (request.Window is PageWindow.FromStart { Offset: >= FarOffset } || order.Leaves.All(leaf => leaf.Sql.StartsWith(plan.Alias + ".", StringComparison.Ordinal)));

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
        var limit = (request.Window.Limit + 1).ToString(CultureInfo.InvariantCulture);
        var offset = request.Window is PageWindow.FromStart { Offset: > 0 and var skipped } ? $" OFFSET {sql.Number(skipped)}" : "";
        sql.Add($"SELECT {columns}{plan.From(request.Filter, request.Search, beyond)}{order.OrderBy(turned)} LIMIT {limit}{offset}");
        return true;
    }

    // A negative number says that it is an estimate.
    private SqlText CountStatement(Dataset dataset, ReadRequest request)
    {
        var sql = new SqlText();
        var plan = new SelectPlan(catalogue, grants, dataset, sql, "t");
        var from = plan.From(request.Filter, request.Search);
        return IsNarrowed(dataset, request)
            ? sql.Add($"SELECT count(*) FROM (SELECT 1{from} LIMIT {CountFilteredUpTo + 1}) c")
            : sql.Add($"SELECT CASE WHEN c.reltuples >= {CountExactlyBelow} THEN -c.reltuples::int8 ELSE (SELECT count(*){from}) END FROM pg_class c WHERE c.oid = {sql.Text(SqlIdentifier.Quote(dataset.Table))}::regclass");
    }

    private async Task<RecordCount> CountAsync(NpgsqlConnection connection, Dataset dataset, ReadRequest request, CancellationToken cancellation)
    {
        await using var command = CountStatement(dataset, request).Command(connection);
        var number = Convert.ToInt64(await command.ExecuteScalarAsync(cancellation), CultureInfo.InvariantCulture);
        return number <= CountFilteredUpTo ? new RecordCount(number, CountKind.Exact) : await EstimateAsync(connection, dataset, request, cancellation);
    }

    private async Task<RecordCount> EstimateAsync(NpgsqlConnection connection, Dataset dataset, ReadRequest request, CancellationToken cancellation)
    {
        var sql = new SqlText();
        sql.Add("EXPLAIN (FORMAT JSON) SELECT 1" + new SelectPlan(catalogue, grants, dataset, sql, "t").From(request.Filter, request.Search));
        await using var command = sql.Command(connection);
        var json = Convert.ToString(await command.ExecuteScalarAsync(cancellation), CultureInfo.InvariantCulture) ?? "[]";
        using var document = JsonDocument.Parse(json);
        var estimate = document.RootElement[0].GetProperty("Plan").GetProperty("Plan Rows").GetInt64();
        return estimate > CountFilteredUpTo ? new RecordCount(estimate, CountKind.About) : new RecordCount(CountFilteredUpTo, CountKind.MoreThan);
    }

    private string? TitleText(SelectedColumns columns, int[] parts, object?[] row, string? blank)
    {
        if (parts.All(index => row[index] is null))
        {
            return blank;
        }

        return RecordFormat.Title(parts.Select(index => format.Display(columns.Leaves[index].Field.Type, row[index])), blank ?? "");
    }

    private static NpgsqlBatchCommand AsBatchCommand(SqlText sql)
    {
        var command = new NpgsqlBatchCommand(sql.ToString());
        foreach (var parameter in sql.Parameters)
        {
            command.Parameters.Add(parameter);
        }

        return command;
    }
}

/// <summary>The columns of a SELECT, each expression once.</summary>
internal sealed class SelectedColumns
{
    private readonly Dictionary<string, int> _indexes = [];

    public List<Leaf> Leaves { get; } = [];

    public string Sql => Leaves.Count == 0 ? "1" : string.Join(", ", Leaves.Select(leaf => PostgresValues.Selected(leaf.Field.Type, leaf.Sql)));

    public int Add(Leaf leaf)
    {
        if (!_indexes.TryGetValue(leaf.Sql, out var index))
        {
            index = Leaves.Count;
            _indexes.Add(leaf.Sql, index);
            Leaves.Add(leaf);
        }

        return index;
    }

    public object?[] Read(NpgsqlDataReader reader)
    {
        var row = new object?[Leaves.Count];
        for (var i = 0; i < row.Length; i++)
        {
            row[i] = PostgresValues.Read(reader, i, Leaves[i].Field.Type);
        }

        return row;
    }
}
