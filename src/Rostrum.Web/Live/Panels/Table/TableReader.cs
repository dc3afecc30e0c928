using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live.Actions;
using Rostrum.Web.Live.Panels.Table.Grid;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>Reads what a table panel shows, in the state that the address gives.</summary>
internal sealed class TableReader() : PanelReader<TablePanel>("Table")
{
    /// <summary>The records that a table shows in a state; null where it waits for something to be chosen.</summary>
    public static Filter? FilterOf(PageRun run, TablePanel panel, Dataset dataset)
    {
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        var (filter, _) = Conditions.Read(dataset, run.State.List(panel.Name), run.Format);
        return because is not null || narrowed is null ? null : Filter.Both(narrowed, filter);
    }

    protected override async Task<object?> ReadAsync(PageRun run, TablePanel panel, CancellationToken cancellation) =>
        await ReadTableAsync(run, panel, cancellation);

    private static async Task<TableView> ReadTableAsync(PageRun run, TablePanel panel, CancellationToken cancellation)
    {
        var arranged = Arranged(run, panel);
        var (dataset, request, waits) = (arranged.Dataset, arranged.Request, arranged.Waiting is not null);
        var reading = waits ? Task.FromResult(arranged.Result) : run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation);
        var totals = waits ? arranged.Totals : await TotalsAsync(run, panel, request, arranged.Columns, cancellation);
        var result = await reading;
        await arranged.Offers.DecideAsync((result as ReadResult.Rows)?.Records ?? [], cancellation);
        var table = arranged with
        {
            Totals = totals,
            Sentence = await new TableSentence(run, dataset).SayAsync(arranged.State, cancellation),
            Result = result,
            BroughtIntoView =
                arranged.Marked is { } marked
                && result is ReadResult.Rows rows
                && panel.OnChoice is RowChoice.Sheet
                && panel.RelatedTo is null
                && panel.Filter is null
                && !rows.Records.Any(record => marked.Equals(record.Key))
                    ? await run.OneAsync(
                        ReadRequest.Of(dataset, marked) with
                        {
                            Fields = request.Fields,
                            Titles = request.Titles,
                        },
                        cancellation
                    )
                    : null,
        };
        return table with { Grid = await GridEditing.ReadAsync(table, cancellation) };
    }

    /// <summary>A table as a person has it, without any records: what its menus show.</summary>
    public static TableView Arranged(PageRun run, TablePanel panel)
    {
        var dataset = panel.Shown(run.DatasetOf(panel));
        var grant = run.Grants.For(dataset.Id);
        var state = run.State.List(panel.Name);
        var own = run.Personal.GetValueOrDefault(panel.Name) ?? PersonalTable.AsBuilt;
        var (view, personal) = own.Under(state.View, panel.Views);
        var all = ColumnsOf(run, panel, dataset, grant, personal);
        var columns = all.Where(column => !personal.Hidden.Contains(column.Field.Name)).ToImmutableArray() is { IsEmpty: false } some
            ? some
            : all;
        var offers = new ActionOffers(run, panel, ActionPlace.Record);
        var highlights = new TableHighlights(run, panel);
        var (filter, ignored) = Conditions.Read(dataset, state, run.Format);
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        var request = new ReadRequest(dataset.Id)
        {
            Fields = [.. columns.Where(column => !column.IsOwn).Select(column => column.Field.Name)],
            Computed =
            [
                .. columns.Where(column => column.IsOwn).Select(column => column.Computed),
                .. offers.Columns,
                .. highlights.Columns,
            ],
            Titles = [.. columns.Select(column => column.Relation).OfType<Relation>().Select(relation => relation.Name)],
            Filter = narrowed is null ? new Filter.Nothing() : Filter.Both(narrowed, filter),
            Search = state.Search,
            Sort = SortOf(panel, dataset, grant, state, columns),
            Window = WindowOf(state, panel.RowsPerPage),
            Counted = true,
            Names = run.Names,
            Now = run.Context.Now,
        };
        return new TableView
        {
            Run = run,
            Panel = panel,
            Dataset = dataset,
            Columns = columns,
            AllColumns = all,
            Personal = personal,
            View = view,
            Offers = offers,
            CheckedOffers = panel.Checkboxes ? [.. new ActionOffers(run, panel, ActionPlace.Checked).All] : [],
            Highlights = highlights,
            CanBeChanged = dataset.ReadOnlyBecause is null && !dataset.Key.IsEmpty,
            Ignored = ignored,
            Request = request,
            Waiting = because,
            Marked = run.Marked is { } saved && saved.Dataset == dataset.Id ? saved.Key : null,
        };
    }

    // What stands under the columns: over all records that fit, of which the page shows some.
    private static async Task<ImmutableDictionary<FieldName, string>> TotalsAsync(
        PageRun run,
        TablePanel panel,
        ReadRequest request,
        ImmutableArray<TableColumn> columns,
        CancellationToken cancellation
    )
    {
        var wanted = columns
            .Where(column => column.Relation is null && column.Field.Type.IsNumeric && panel.Totals.ContainsKey(column.Field.Name))
            .ToArray();
        if (wanted.Length == 0)
        {
            return ImmutableDictionary<FieldName, string>.Empty;
        }

        var totals = wanted.Select(column => new FieldTotal(column.Field.Name, panel.Totals[column.Field.Name]));
        var asked = new TotalRequest(panel.Dataset, [.. totals], request.Filter, request.Search)
        {
            Computed = [.. wanted.Where(column => column.IsOwn).Select(column => column.Computed)],
            Names = run.Names,
            Now = run.Context.Now,
        };
        return await run.Gate.TotalAsync(run.App.Datasets, asked, run.Grants, cancellation) is TotalResult.Values values
            ? wanted
                .Zip(values.Numbers)
                .Where(pair => pair.Second is not null)
                .ToImmutableDictionary(
                    pair => pair.First.Field.Name,
                    pair => run.Format.Display(pair.First.Field, Rounded(panel, pair.First.Field, pair.Second!.Value))
                )
            : ImmutableDictionary<FieldName, string>.Empty;
    }

    // A mean has more digits than its parts.
    private static decimal Rounded(TablePanel panel, Field field, decimal value) =>
        panel.Totals[field.Name] is Total.Average ? decimal.Round(value, 2) : value;

    private static ImmutableArray<TableColumn> ColumnsOf(
        PageRun run,
        TablePanel panel,
        Dataset dataset,
        Grant grant,
        PersonalTable personal
    ) =>
        [
            .. panel
                .Columns.Select(name =>
                    panel.Computed.FirstOrDefault(own => own.Name == name) is { } own ? Own(run, panel, own)
                    : dataset.Find(name) is { } field && grant.Readable.Has(name)
                        ? new TableColumn(field, dataset.RelationOf(name), dataset.LabelOf(name))
                    : null
                )
                .OfType<TableColumn>()
                .Select(column =>
                    column with
                    {
                        Width =
                            personal.Widths.TryGetValue(column.Field.Name.Value, out var own) ? own
                            : panel.Widths.TryGetValue(column.Field.Name, out var width) ? width
                            : null,
                    }
                ),
        ];

    // A column of this table alone; none where its formula cannot be computed for the person.
    private static TableColumn? Own(PageRun run, TablePanel panel, PanelColumn own) =>
        run.Scope.Check(panel, new FormulaPlace(own.Formula) { OverRecord = true })
            is { Tree: { Type: not (FormulaType.List or FormulaType.Record or FormulaType.Json) } tree }
            ? new TableColumn(
                new Field
                {
                    Name = own.Name,
                    Column = "",
                    NativeType = "",
                    Label = own.Label,
                    Type = DatasetShapes.FieldTypeOf(tree.Type),
                    Formula = own.Formula,
                },
                null,
                own.Label
            )
            {
                IsOwn = true,
            }
            : null;

    private static ImmutableArray<SortBy> SortOf(
        TablePanel panel,
        Dataset dataset,
        Grant grant,
        ListState state,
        ImmutableArray<TableColumn> columns
    )
    {
        bool Possible(SortBy sort) =>
            columns.Any(column => column.IsOwn && column.Field.Name == sort.Field)
            || (dataset.Find(sort.Field) is { Type.IsSortable: true } && grant.Readable.Has(sort.Field));
        return state.Sort.Where(Possible).ToImmutableArray() is { IsEmpty: false } wish ? wish : [.. panel.Sort.Where(Possible)];
    }

    /// <summary>The stretch of a list that its state names.</summary>
    public static PageWindow WindowOf(ListState state, int size) =>
        PageCursor.Parse(state.After) is { } after ? new PageWindow.After(after, size)
        : PageCursor.Parse(state.Before) is { } before ? new PageWindow.Before(before, size)
        : new PageWindow.FromStart((long)(state.Page - 1) * size, size);
}
