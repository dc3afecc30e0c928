using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Apart;
using Rostrum.Sources.Memory;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Reads where the server cannot decide everything: it narrows as far as it can, and the rest is decided in memory, row after row.
/// </summary>
internal sealed class SqlScan(SqlEngine engine, RequestScope scope, RecordFormat format, OtherSources others)
{
    private readonly RequestFormulas _formulas = scope.Formulas!;

    /// <summary>So many rows are looked at for one request and no more.</summary>
    public const int MostRows = 50_000;

    private const int FirstChunk = 200;
    private const int GreatestChunk = 5_000;

    /// <summary>The statement for the first rows that are looked at.</summary>
    public SqlText First(Dataset dataset, ReadRequest request, RequestSplit split) =>
        new Statement(engine, scope, dataset, request, split, format, others).Sql(null, turned: false, FirstChunk)!;

    private sealed record Row(object?[] Columns, object?[] Computed);

    public async Task<ReadResult> ReadAsync(
        Statements statements,
        Dataset dataset,
        ReadRequest request,
        RequestSplit split,
        CancellationToken cancellation
    )
    {
        var scan = new Statement(engine, scope, dataset, request, split, format, others);
        return split.SortsInMemory
            ? await SortedAsync(statements, scan, request, split, cancellation)
            : await NarrowedAsync(statements, scan, request, split, cancellation);
    }

    /// <summary>Records in groups, counted in memory.</summary>
    public async Task<SummaryResult> SummariseAsync(
        Statements statements,
        Dataset dataset,
        ReadRequest request,
        SummaryRequest summary,
        RequestSplit split,
        CancellationToken cancellation
    )
    {
        FieldName[] read = [.. summary.By.Concat(summary.Measures.OfType<FieldTotal>().Select(total => total.Field)).Distinct()];
        Relation?[] relations = [.. summary.By.Select(field => _formulas.Columns.ContainsKey(field) ? null : dataset.RelationOf(field))];
        var scan = new Statement(
            engine,
            scope,
            dataset,
            request with
            {
                Fields = [.. read.Where(field => !_formulas.Columns.ContainsKey(field))],
                Titles = [.. relations.OfType<Relation>().Select(relation => relation.Name).Distinct()],
                Sort = [],
            },
            split,
            format,
            others
        );
        var groups = new Dictionary<GroupOf, GroupMeasures>();
        if (summary.By.IsEmpty)
        {
            groups.Add(new GroupOf([], []), new GroupMeasures(summary.Measures));
        }

        var seen = 0;
        await foreach (var row in RowsAsync(statements, scan, null, turned: false, cancellation))
        {
            if (++seen > MostRows)
            {
                return new SummaryResult.Invalid(TooMany);
            }

            if (scan.Keeps(row.Columns, row.Computed))
            {
                var record = scan.Wanted.AsRecord(row.Columns, row.Computed);
                var group = new GroupOf(
                    [.. summary.By.Select(field => record[field])],
                    [.. relations.Select(relation => relation is null ? null : record.TitleOf(relation.Name))]
                );
                if (!groups.TryGetValue(group, out var measures))
                {
                    groups.Add(group, measures = new GroupMeasures(summary.Measures));
                }

                measures.Add(record);
            }
        }

        try
        {
            var ordered = groups.OrderByDescending(group => group.Value.Count);
            for (var at = 0; at < summary.By.Length; at++)
            {
                var place = at;
                ordered = ordered.ThenBy(group => group.Key.Values[place], MemoryOrder.Values);
            }

            return Cut(
                [.. ordered.Select(group => new SummaryGroup(group.Key.Values, group.Key.Titles, group.Value.Numbers))],
                summary.Limit
            );
        }
        catch (OverflowException)
        {
            return new SummaryResult.Invalid("The total has more digits than can be shown.");
        }
    }

    /// <summary>No more groups than are wanted.</summary>
    public static SummaryResult.Groups Cut(ImmutableArray<SummaryGroup> groups, int limit) =>
        groups.Length > limit
            ? new SummaryResult.Groups([.. groups.Take(limit)], IsCut: true)
            : new SummaryResult.Groups(groups, IsCut: false);

    private static string TooMany =>
        string.Create(
            CultureInfo.InvariantCulture,
            $"More than {MostRows:#,##0} records would have to be computed one by one. Narrow the list by something that the "
                + $"database can decide."
        );

    // In the server's order: a page is full as soon as enough rows have passed.
    private static async Task<ReadResult> NarrowedAsync(
        Statements statements,
        Statement scan,
        ReadRequest request,
        RequestSplit split,
        CancellationToken cancellation
    )
    {
        var turned = request.Window is PageWindow.Before;
        var place = request.Window switch
        {
            PageWindow.After after => after.Place,
            PageWindow.Before before => before.Place,
            _ => null,
        };
        var skipped = request.Window is PageWindow.FromStart { Offset: var offset } ? offset : 0;
        var kept = new List<Row>();
        Row? last = null;
        var (seen, passed, cut) = (0, 0L, false);
        await foreach (var row in RowsAsync(statements, scan, place, turned, cancellation))
        {
            if (seen++ == MostRows)
            {
                cut = true;
                break;
            }

            last = row;
            if (!scan.Keeps(row.Columns, row.Computed))
            {
                continue;
            }

            passed++;
            if (passed > skipped && kept.Count <= request.Window.Limit)
            {
                kept.Add(row);
            }

            if (kept.Count > request.Window.Limit && !(request.Counted && place is null))
            {
                break;
            }
        }

        var count =
            !request.Counted ? null
            : place is null ? new RecordCount(passed, cut ? CountKind.MoreThan : CountKind.Exact)
            : await CountAsync(statements, scan, cancellation);
        var more = kept.Count > request.Window.Limit;
        if (more)
        {
            kept.RemoveAt(kept.Count - 1);
        }

        // Where the search ended before the page was full, the next page goes on from there.
        var further = more || !cut ? kept.LastOrDefault() : last;
        if (turned)
        {
            kept.Reverse();
        }

        var earlier = request.Window switch
        {
            PageWindow.FromStart start => start.Offset > 0,
            PageWindow.After => true,
            _ => more || cut,
        };
        return new ReadResult.Rows(
            await scan.RecordsAsync(kept, cancellation),
            count,
            earlier,
            turned || more || cut,
            scan.PlaceOf((turned ? further : kept.FirstOrDefault())?.Columns),
            scan.PlaceOf((turned ? kept.LastOrDefault() : further)?.Columns)
        )
        {
            Explanation = split.Explanation,
        };
    }

    private static async Task<RecordCount> CountAsync(Statements statements, Statement scan, CancellationToken cancellation)
    {
        var (seen, passed) = (0, 0L);
        await foreach (var row in RowsAsync(statements, scan, null, turned: false, cancellation))
        {
            if (seen++ == MostRows)
            {
                return new RecordCount(passed, CountKind.MoreThan);
            }

            passed += scan.Keeps(row.Columns, row.Computed) ? 1 : 0;
        }

        return new RecordCount(passed, CountKind.Exact);
    }

    // In memory's order: all rows are needed before the first one is known.
    private static async Task<ReadResult> SortedAsync(
        Statements statements,
        Statement scan,
        ReadRequest request,
        RequestSplit split,
        CancellationToken cancellation
    )
    {
        var rows = new List<Row>();
        var seen = 0;
        await foreach (var row in RowsAsync(statements, scan, null, turned: false, cancellation))
        {
            if (++seen > MostRows)
            {
                return new ReadResult.Invalid(TooMany);
            }

            if (scan.Keeps(row.Columns, row.Computed))
            {
                rows.Add(row);
            }
        }

        var order = scan.Order;
        Row[] sorted = [.. rows.OrderBy(row => order.KeyOf(row.Columns, row.Computed), order)];
        var (from, to) = request.Window switch
        {
            PageWindow.FromStart start => (
                (int)Math.Min(start.Offset, sorted.Length),
                (int)Math.Min(start.Offset + start.Limit, sorted.Length)
            ),
            PageWindow.After after => order.Parse(after.Place) is { } place
            && Array.FindIndex(sorted, row => order.Compare(order.KeyOf(row.Columns, row.Computed), place) > 0) is >= 0 and var next
                ? (next, Math.Min(next + after.Limit, sorted.Length))
                : (sorted.Length, sorted.Length),
            PageWindow.Before before => order.Parse(before.Place) is { } place
            && sorted.Count(row => order.Compare(order.KeyOf(row.Columns, row.Computed), place) < 0) is var end
                ? (Math.Max(end - before.Limit, 0), end)
                : (0, 0),
            _ => throw new ArgumentOutOfRangeException(nameof(request), request.Window, "unknown window"),
        };
        PageCursor? Place(int index) =>
            from < to && scan.Wanted.HasKey ? order.PlaceOf(order.KeyOf(sorted[index].Columns, sorted[index].Computed)) : null;
        return new ReadResult.Rows(
            await scan.RecordsAsync(sorted[from..to], cancellation),
            request.Counted ? new RecordCount(sorted.Length, CountKind.Exact) : null,
            from > 0,
            to < sorted.Length,
            Place(from),
            Place(to - 1)
        )
        {
            Explanation = split.Explanation,
        };
    }

    // The rows that the server lets through, in chunks that grow; each goes on where the one before ended.
    private static async IAsyncEnumerable<Row> RowsAsync(
        Statements statements,
        Statement scan,
        PageCursor? place,
        bool turned,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation
    )
    {
        var size = scan.Wanted.HasKey ? FirstChunk : MostRows + 1;
        while (scan.Sql(place, turned, size) is { } sql)
        {
            var rows = await statements.RowsAsync(sql, scan.Wanted.Selected.Read, cancellation);
            var computed = await scan.Memory.EvaluateAsync(statements, rows, cancellation);
            for (var i = 0; i < rows.Count; i++)
            {
                yield return new Row(rows[i], computed[i]);
            }

            if (rows.Count < size || (place = scan.PlaceOf(rows[^1])) is null)
            {
                yield break;
            }

            size = Math.Min(size * 4, GreatestChunk);
        }
    }

    // The statement that gives the rows, and what memory decides of each.
    private sealed class Statement
    {
        private readonly SqlText _sql;
        private readonly SelectPlan _plan;
        private readonly RowOrder _rowOrder;
        private readonly ImmutableArray<int> _place;
        private readonly List<string> _conditions;
        private readonly MemoryFilter _filter;

        public Statement(
            SqlEngine engine,
            RequestScope scope,
            Dataset dataset,
            ReadRequest request,
            RequestSplit split,
            RecordFormat format,
            OtherSources others
        )
        {
            var formulas = scope.Formulas!;
            _sql = new SqlText(engine);
            _plan = new SelectPlan(scope, dataset, _sql, "t");
            Memory = new MemoryPart(scope.Catalogue, scope.Grants, formulas, others);
            Wanted = new ReadColumns(_plan, request, formulas, Memory, format, others);
            _filter = new MemoryFilter(
                _plan,
                Wanted.Selected,
                Memory,
                formulas,
                split.InMemory,
                split.SearchesInMemory ? request.Search : ""
            );
            Order = new MemoryOrder(_plan, Wanted.Selected, Memory, formulas, request.Sort);
            Memory.Select(_plan, Wanted.Selected);
            _rowOrder = RowOrder.Of(_plan, split.SortsInMemory ? [] : request.Sort);
            _place = [.. _rowOrder.Leaves.Select(Wanted.Selected.Add)];
            _conditions =
            [
                .. _plan.Seen,
                .. split.InSql.Select(_plan.Condition),
                .. split.SearchesInMemory ? [] : SelectPlan.Words(request.Search).Select(word => _plan.Search(word).Sql),
            ];
        }

        public MemoryPart Memory { get; }

        public ReadColumns Wanted { get; }

        public MemoryOrder Order { get; }

        public Task<ImmutableArray<Record>> RecordsAsync(IReadOnlyCollection<Row> rows, CancellationToken cancellation) =>
            Wanted.RecordsAsync([.. rows.Select(row => row.Columns)], [.. rows.Select(row => row.Computed)], cancellation);

        public bool Keeps(object?[] columns, object?[] computed) => _filter.Keeps(columns, computed);

        public PageCursor? PlaceOf(object?[]? row) =>
            row is null || !Wanted.HasKey ? null : RowOrder.Place(_place.Select(index => (Wanted.Selected.Leaves[index], row[index])));

        public SqlText? Sql(PageCursor? place, bool turned, int size)
        {
            var sql = _sql.Copy();
            var beyond = place is null ? null : _rowOrder.Beyond(place, turned, sql);
            if (place is not null && beyond is null)
            {
                return null;
            }

            var from = _plan.From(beyond is null ? _conditions : [.. _conditions, beyond]);
            var limit = size.ToString(CultureInfo.InvariantCulture);
            return sql.Add($"SELECT {Wanted.Selected.Sql}{from}{_rowOrder.OrderBy(turned)} LIMIT {limit}");
        }
    }
}
