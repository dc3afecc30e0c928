using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Cards;

/// <summary>Reads what belongs to records, and to those again: one request a list and level, however many records there are.</summary>
internal sealed class NestedReading(PageRun run)
{
    private const int MostAtOnce = 5000;

    /// <summary>The fields by which others refer to a dataset's records.</summary>
    public static IEnumerable<FieldName> TargetsOf(PageRun run, Dataset dataset, ImmutableArray<NestedList> lists) =>
        from list in lists
        let known = NestedLists.RelationOf(run.App.Datasets, dataset, list)
        where known is not null
        select known.Value.Relation.TargetField;

    /// <summary>
    /// For each record what belongs to it, in the order of the records. Lists that are not open to the person, and empty ones, are left
    /// out.
    /// </summary>
    public Task<ImmutableArray<NestedView>[]> ReadAsync(
        Dataset dataset,
        ImmutableArray<Record> records,
        ImmutableArray<NestedList> lists,
        CancellationToken cancellation
    ) => ReadAsync(dataset, records, lists, 1, cancellation);

    private async Task<ImmutableArray<NestedView>[]> ReadAsync(
        Dataset dataset,
        ImmutableArray<Record> records,
        ImmutableArray<NestedList> lists,
        int depth,
        CancellationToken cancellation
    )
    {
        if (records.IsEmpty || lists.IsEmpty || depth > NestedList.Deepest)
        {
            return [.. records.Select(_ => ImmutableArray<NestedView>.Empty)];
        }

        var read = await Task.WhenAll(lists.Select(list => ReadAsync(dataset, records, list, depth, cancellation)));
        return [.. records.Select((_, at) => read.Select(views => views[at]).OfType<NestedView>().ToImmutableArray())];
    }

    private async Task<NestedView?[]> ReadAsync(
        Dataset dataset,
        ImmutableArray<Record> records,
        NestedList list,
        int depth,
        CancellationToken cancellation
    )
    {
        var none = new NestedView?[records.Length];
        if (NestedLists.RelationOf(run.App.Datasets, dataset, list) is not { } known || !records[0].Has(known.Relation.TargetField))
        {
            return none;
        }

        var (relation, from) = known;
        object?[] values =
        [
            .. records.Select(record => record[relation.TargetField]).Where(value => value is not (null or Unreadable)).Distinct(),
        ];
        ImmutableArray<FieldName> fields = [.. list.Fields.Where(name => from.Find(name) is not null)];
        var filter = Filter.Both(
            new Filter.OneOf(relation.Field, [.. values]),
            list.Filter is null ? new Filter.Everything() : new Filter.Holds(list.Filter)
        );
        var request = new ReadRequest(from.Id)
        {
            Fields = [.. fields.Append(relation.Field).Union(TargetsOf(run, from, list.Nested))],
            Titles = from.RelationsAt(fields),
            Filter = filter,
            Sort = AppDrafting.UsualOrder(from),
            Each = new EachOf(relation.Field, list.Most + 1),
            Window = new PageWindow.FromStart(0, Math.Clamp(values.Length * (list.Most + 1), 1, MostAtOnce)),
            Names = run.Names,
            Now = run.Context.Now,
        };
        if (
            values.Length == 0
            || await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation)
                is not ReadResult.Rows { Records: { IsEmpty: false } found }
            || !found[0].Has(relation.Field)
        )
        {
            return none;
        }

        var inner = await ReadAsync(from, found, list.Nested, depth + 1, cancellation);
        var page = run.Pages.FirstOrDefault(page => page.ParameterFor(from.Id) is not null);
        var shown = found
            .Select(
                (record, at) =>
                    (
                        Of: record[relation.Field],
                        Record: new NestedRecord(
                            record.Title,
                            Address(page, from, record),
                            ShownField.Of(run.Format, from, fields, record),
                            inner[at]
                        )
                    )
            )
            .ToLookup(pair => pair.Of!, pair => pair.Record);
        var counts = shown.Any(group => group.Count() > list.Most)
            ? await CountsAsync(from, relation.Field, filter, values.Length, cancellation)
            : new Dictionary<object, long>();
        return
        [
            .. records.Select(record =>
                record[relation.TargetField] is { } value && shown[value].ToArray() is { Length: > 0 } own
                    ? new NestedView(
                        from.Label,
                        own.Length > list.Most ? counts.GetValueOrDefault(value, own.Length) : own.Length,
                        [.. own.Take(list.Most)]
                    )
                    : null
            ),
        ];
    }

    private string? Address(Page? page, Dataset dataset, Record record)
    {
        if (page is null || record.Key is not { } key)
        {
            return null;
        }

        var from = Uri.EscapeDataString(run.Page.Address + run.State.ToQuery());
        var of = Uri.EscapeDataString(key.ToText(dataset));
        return $"{run.Root}/{page.Address}?{page.ParameterFor(dataset.Id)!.Name}={of}&from={from}";
    }

    private async Task<Dictionary<object, long>> CountsAsync(
        Dataset dataset,
        FieldName field,
        Filter filter,
        int groups,
        CancellationToken cancellation
    ) =>
        await run.Gate.GroupAsync(
            run.App.Datasets,
            new GroupRequest(dataset.Id, field, filter, "", groups) { Names = run.Names },
            run.Grants,
            cancellation
        )
            is GroupResult.Groups known
            ? known.Values.Where(value => value.Value is not null).ToDictionary(value => value.Value!, value => value.Count)
            : [];
}
