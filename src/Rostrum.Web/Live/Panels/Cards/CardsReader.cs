using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Actions;
using Rostrum.Web.Live.Panels.Table;

namespace Rostrum.Web.Live.Panels.Cards;

internal sealed class CardsReader() : PanelReader<CardsPanel>("Cards")
{
    protected override async Task<object?> ReadAsync(PageRun run, CardsPanel panel, CancellationToken cancellation) =>
        await ReadCardsAsync(run, panel, cancellation);

    private static async Task<CardsView> ReadCardsAsync(PageRun run, CardsPanel panel, CancellationToken cancellation)
    {
        var dataset = panel.Shown(run.DatasetOf(panel));
        var grant = run.Grants.For(dataset.Id);
        var state = run.State.List(panel.Name);
        var formulas = new RecordFormulas(run, panel, "card");
        var (title, subtitle) = (formulas.Setting(panel.CardTitle), formulas.Setting(panel.Subtitle));
        var offers = new ActionOffers(run, panel, ActionPlace.Record);
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        ImmutableArray<FieldName> fields = [.. panel.Fields.Where(name => dataset.Find(name) is not null)];
        var request = new ReadRequest(dataset.Id)
        {
            Fields =
            [
                .. fields.Union(panel.Picture is { } picture ? [picture] : []).Union(NestedReading.TargetsOf(run, dataset, panel.Nested)),
            ],
            Titles = dataset.RelationsAt(fields),
            Computed = [.. formulas.Columns, .. offers.Columns],
            Filter = narrowed ?? new Filter.Nothing(),
            Search = state.Search,
            Sort = [.. panel.Sort.Where(sort => dataset.Find(sort.Field) is { Type.IsSortable: true } && grant.Readable.Has(sort.Field))],
            Window = TableReader.WindowOf(state, panel.RowsPerPage),
            Counted = true,
            Names = run.Names,
            Now = run.Context.Now,
        };
        var result = because is not null
            ? new ReadResult.Rows([], null, false, false, null, null)
            : await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation);
        var records = (result as ReadResult.Rows)?.Records ?? [];
        await offers.DecideAsync(records, cancellation);
        var nested = await new NestedReading(run).ReadAsync(dataset, records, panel.Nested, cancellation);
        return new CardsView
        {
            Run = run,
            Panel = panel,
            Dataset = dataset,
            Result = result,
            Waiting = because,
            Cards =
            [
                .. records.Select(
                    (record, at) =>
                    {
                        var key = record.Key?.ToText(dataset);
                        return new CardView(
                            key,
                            panel.CardTitle is not null && title.Shown(record) is { Length: > 0 } own ? own : record.Title,
                            subtitle.Shown(record),
                            run.PictureOf(panel, panel.Picture, record, key),
                            ShownField.Of(run.Format, dataset, fields, record),
                            [.. offers.Of(record, key)],
                            nested[at]
                        );
                    }
                ),
            ],
        };
    }
}
