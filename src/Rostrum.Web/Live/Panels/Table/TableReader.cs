using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>Reads what a table panel shows, in the state that the address gives.</summary>
internal static class TableReader
{
    public static async Task<TableView> ReadAsync(RecordGate gate, RecordFormat format, RunningApp app, string path, TablePanel panel, Grants grants, ListState state, RecordKey? marked, CancellationToken cancellation)
    {
        var dataset = app.Datasets.Find(panel.Dataset) ?? throw new InvalidOperationException($"App {app.Address} has no dataset {panel.Dataset}.");
        var grant = grants.For(dataset.Id);
        var columns = ColumnsOf(panel, dataset, grant);
        var (filter, ignored) = Conditions.Read(dataset, state, format.Zone);
        var request = new ReadRequest(dataset.Id)
        {
            Fields = [.. columns.Select(column => column.Field.Name)],
            Titles = [.. columns.Select(column => column.Relation).OfType<Relation>().Select(relation => relation.Name)],
            Filter = filter,
            Search = state.Search,
            Sort = SortOf(panel, dataset, grant, state),
            Window = WindowOf(state, panel.PageSize),
            Counted = true,
        };
        var result = await gate.ReadAsync(app.Datasets, request, grants, cancellation);
        return new TableView
        {
            App = app,
            Path = path,
            Panel = panel,
            Dataset = dataset,
            Grant = grant,
            State = state,
            Columns = columns,
            Sentence = await SentenceAsync(gate, format, app, dataset, grants, state, cancellation),
            Ignored = ignored,
            Result = result,
            Format = format,
            Marked = marked,
            BroughtIntoView = marked is not null && result is ReadResult.Rows rows && !rows.Records.Any(record => marked.Equals(record.Key))
                ? await OneAsync(gate, app, dataset, marked, request.Fields, request.Titles, grants, cancellation)
                : null,
        };
    }

    /// <summary>One record by its key; null where it is not there for this person.</summary>
    public static async Task<Record?> OneAsync(RecordGate gate, RunningApp app, Dataset dataset, RecordKey key, ImmutableArray<FieldName> fields, ImmutableArray<FieldName> titles, Grants grants, CancellationToken cancellation) =>
        await gate.ReadAsync(app.Datasets, OneRequest(dataset, key, fields, titles), grants, cancellation) is ReadResult.Rows { Records: [var record] } ? record : null;

    public static ReadRequest OneRequest(Dataset dataset, RecordKey key, ImmutableArray<FieldName> fields, ImmutableArray<FieldName> titles) => new(dataset.Id)
    {
        Fields = fields,
        Titles = titles,
        Filter = new Filter.And([.. dataset.Key.Zip(key.Values, (name, value) => new Filter.OneOf(name, [value]))]),
        Window = new PageWindow.FromStart(0, 1),
    };

    private static ImmutableArray<TableColumn> ColumnsOf(TablePanel panel, Dataset dataset, Grant grant) =>
    [
        .. panel.Columns
            .Where(name => dataset.Find(name) is not null && grant.Readable.Has(name))
            .Select(name => new TableColumn(dataset[name], dataset.RelationOf(name), dataset.LabelOf(name))),
    ];

    private static ImmutableArray<SortBy> SortOf(TablePanel panel, Dataset dataset, Grant grant, ListState state) =>
        state.Sort is { } wish && dataset.Find(wish.Field) is { Type.IsSortable: true } && grant.Readable.Has(wish.Field)
            ? [wish]
            : [.. panel.Sort.Where(sort => grant.Readable.Has(sort.Field))];

    private static PageWindow WindowOf(ListState state, int size) =>
        PageCursor.Parse(state.After) is { } after ? new PageWindow.After(after, size)
        : PageCursor.Parse(state.Before) is { } before ? new PageWindow.Before(before, size)
        : new PageWindow.FromStart((long)(state.Page - 1) * size, size);

    private static async Task<ImmutableArray<SentencePart>> SentenceAsync(RecordGate gate, RecordFormat format, RunningApp app, Dataset dataset, Grants grants, ListState state, CancellationToken cancellation)
    {
        var parts = ImmutableArray.CreateBuilder<SentencePart>();
        foreach (var (name, condition) in state.Conditions)
        {
            if (dataset.Find(new FieldName(name)) is { } field)
            {
                parts.Add(new SentencePart(name, dataset.LabelOf(field.Name), await SaysAsync(gate, format, app, dataset, field, grants, condition, cancellation)));
            }
        }

        return parts.ToImmutable();
    }

    private static async Task<string> SaysAsync(RecordGate gate, RecordFormat format, RunningApp app, Dataset dataset, Field field, Grants grants, FieldCondition condition, CancellationToken cancellation)
    {
        var says = new List<string>();
        if (!condition.Values.IsEmpty)
        {
            var words = new List<string>();
            foreach (var value in condition.Values)
            {
                words.Add(await ValueWordAsync(gate, format, app, dataset, field, grants, value, cancellation));
            }

            says.Add("is " + string.Join(" or ", words));
        }

        if (condition.Contains.Length > 0)
        {
            says.Add($"contains “{condition.Contains}”");
        }

        var temporal = field.Type.IsTemporal;
        if (condition.From.Length > 0)
        {
            says.Add((temporal ? "from " : "at least ") + BoundWord(format, field, condition.From));
        }

        if (condition.To.Length > 0)
        {
            says.Add((temporal ? "until " : "at most ") + BoundWord(format, field, condition.To));
        }

        return string.Join(", ", says);
    }

    private static string BoundWord(RecordFormat format, Field field, string text)
    {
        var type = field.Type is FieldType.Instant or FieldType.LocalDateTime ? new FieldType.Date() : field.Type;
        return FieldText.FromInput(type, text, format.Zone) is Parsed.Value value ? format.Display(type, value.Is) : text;
    }

    private static async Task<string> ValueWordAsync(RecordGate gate, RecordFormat format, RunningApp app, Dataset dataset, Field field, Grants grants, string value, CancellationToken cancellation)
    {
        if (value == FieldCondition.Blank)
        {
            return "blank";
        }

        if (FieldText.FromCanonical(field.Type, value) is not Parsed.Value { Is: { } parsed })
        {
            return value;
        }

        if (dataset.RelationOf(field.Name) is { } relation && app.Datasets.Find(relation.Target) is { } target && target.Key is [var key] && key == relation.TargetField)
        {
            return (await OneAsync(gate, app, target, new RecordKey([parsed]), [], [], grants, cancellation))?.Title ?? format.Display(field.Type, parsed);
        }

        return format.Display(field.Type, parsed);
    }
}
