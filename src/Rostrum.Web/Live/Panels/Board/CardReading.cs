using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live.Panels.Moving;

namespace Rostrum.Web.Live.Panels.Board;

/// <summary>What is read of each record for its card, and the card that it makes.</summary>
internal sealed class CardReading(BoardView view)
{
    private readonly RecordFormulas _formulas = new(view.Run, view.Panel, "card");
    private readonly ImmutableArray<FieldName> _fields =
    [
        .. view.Panel.Fields.Where(name => view.Dataset.Find(name) is not null && name != view.Panel.By && name != view.Panel.Lanes),
    ];
    private RecordValue? _title;

    private RecordValue Title => _title ??= _formulas.Setting(view.Panel.CardTitle);

    /// <summary>The request for cards, in the order of their columns.</summary>
    public ReadRequest Request(Filter filter)
    {
        var (panel, dataset) = (view.Panel, view.Dataset);
        _ = Title;
        FieldName[] own =
        [
            .. new[] { panel.By, panel.Lanes, panel.OrderField, panel.Picture }
                .OfType<FieldName>()
                .Where(name => dataset.Find(name) is not null),
        ];
        ImmutableArray<SortBy> order = panel.OrderField is { } kept && dataset.Find(kept) is not null ? [new SortBy(kept)] : panel.Sort;
        return new ReadRequest(dataset.Id)
        {
            Fields = [.. _fields.Union(own)],
            Titles = dataset.RelationsAt([.. _fields.Union(panel.Lanes is { } lanes ? [lanes] : [])]),
            Computed = _formulas.Columns,
            Filter = filter,
            Search = view.State.Search,
            Sort = [.. order.Where(sort => dataset.Find(sort.Field) is { Type.IsSortable: true } && view.Grant.Readable.Has(sort.Field))],
            Names = view.Run.Names,
            Now = view.Run.Context.Now,
        };
    }

    public BoardCard Card(Record record, MoveRights rights)
    {
        var (run, panel, dataset) = (view.Run, view.Panel, view.Dataset);
        var key = record.Key?.ToText(dataset);
        return new BoardCard(
            key,
            panel.CardTitle is not null && Title.Shown(record) is { Length: > 0 } own ? own : record.Title,
            run.PictureOf(panel, panel.Picture, record, key),
            ShownField.Of(run.Format, dataset, _fields, record),
            panel.OrderField is { } order && record.Has(order) && record[order] is { } place and not Unreadable
                ? FieldText.ToCanonical(dataset[order].Type, place)
                : null,
            rights.Stays(dataset, record.Key)
        );
    }
}
