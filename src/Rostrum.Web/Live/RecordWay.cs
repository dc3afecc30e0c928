using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Panels;
using Rostrum.Web.Live.Panels.Table;

namespace Rostrum.Web.Live;

/// <summary>
/// The way to a page: the pages before it, the record that it is about, and that record's neighbours in the list that one came from.
/// </summary>
/// <param name="Crumbs">The pages, the first first, each as it was left.</param>
/// <param name="Here">The record's name, or the page's where it is about none.</param>
/// <param name="Previous">The same page for the record before; null where there is none.</param>
/// <param name="Next">The same page for the record after.</param>
/// <param name="Place">Which of how many the record is.</param>
internal sealed record RecordWay(
    ImmutableArray<(string Name, string Address)> Crumbs,
    string Here,
    string? Previous,
    string? Next,
    string? Place
)
{
    private const int Longest = 6;

    /// <summary>The way to a page; null where it was come to directly and is about no record.</summary>
    /// <param name="run">The page.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public static async Task<RecordWay?> ReadAsync(PageRun run, CancellationToken cancellation)
    {
        var crumbs = new List<(string Name, string Address)>();
        PageState? state = run.State;
        for (var steps = 0; steps < Longest && state is not null; steps++)
        {
            state = Before(state, run);
            if (state is not null)
            {
                crumbs.Insert(0, (state.Page.Name, $"{run.Root}/{state.Page.Address}{state.ToQuery()}"));
            }
        }

        var record = await RecordAsync(run, cancellation);
        if (crumbs.Count == 0)
        {
            // Come to by a link: the list of such records is what lies before it.
            return record is not { } known
                ? null
                : new RecordWay(
                    [
                        .. run
                            .Pages.Where(page =>
                                page != run.Page && page.All.OfType<ListPanel>().Any(list => list.Dataset == known.Dataset)
                            )
                            .OrderBy(page => page.All.Count())
                            .Select(page => (page.Name, $"{run.Root}/{page.Address}"))
                            .Take(1),
                    ],
                    known.Title,
                    null,
                    null,
                    null
                );
        }

        var (previous, next, place) = await NeighboursAsync(run, Before(run.State, run)!, cancellation);
        return new RecordWay([.. crumbs], record?.Title ?? run.Page.Name, previous, next, place);
    }

    // The record that the page is about.
    private static async Task<(DatasetId Dataset, string Title)?> RecordAsync(PageRun run, CancellationToken cancellation) =>
        run.Page.Parameters.FirstOrDefault(parameter => parameter.Dataset is not null) is { Dataset: { } of } parameter
        && run.State.Parameters.GetValueOrDefault(parameter.Name) is { } text
        && run.App.Datasets.Find(of) is { } dataset
        && RecordKey.Parse(dataset, text) is { } key
        && await run.OneAsync(ReadRequest.Of(dataset, key), cancellation) is { } record
            ? (of, record.Title)
            : null;

    // The page that the address says one came from; null where it says none that there is.
    private static PageState? Before(PageState state, PageRun run)
    {
        var query = state.From.IndexOf('?', StringComparison.Ordinal) is >= 0 and var at ? state.From[at..] : "";
        return state.From.Length > 0 && run.Sees(state.From[..^query.Length]) is { } page ? PageAddress.Read(page, query) : null;
    }

    private static async Task<(string? Previous, string? Next, string? Place)> NeighboursAsync(
        PageRun run,
        PageState from,
        CancellationToken cancellation
    )
    {
        if (
            run.Page.Parameters.FirstOrDefault(parameter => parameter.Dataset is not null) is not { Dataset: { } of } parameter
            || run.State.Parameters.GetValueOrDefault(parameter.Name) is not { } text
            || run.App.Datasets.Find(of) is not { } dataset
            || RecordKey.Parse(dataset, text) is not { } key
            || from.Page.All.OfType<ListPanel>().FirstOrDefault(list => list.Dataset == of && list.RecordPage == run.Page.Address)
                is not { } list
        )
        {
            return default;
        }

        async Task<ListView?> ShownAsync(PageState state)
        {
            var there = run.At(state);
            await there.PrepareAsync(cancellation);
            return (await new PageReading(there).ReadAsync(list, cancellation)).Content as ListView;
        }

        if (
            await ShownAsync(from) is not { Rows: { } rows } shown
            || rows.Records.IndexOf(rows.Records.FirstOrDefault(record => key.Equals(record.Key))!) is not (>= 0 and var at)
        )
        {
            return default;
        }

        string Address(PageState state, RecordKey other) =>
            run.Path
            + (
                run.State with
                {
                    From = state.Page.Address + state.ToQuery(),
                    Parameters = run.State.Parameters.SetItem(parameter.Name, other.ToText(dataset)),
                }
            ).ToQuery();

        async Task<string?> BeyondAsync(ListState? beyond, Index which) =>
            beyond is not null
            && from.With(list.Name, beyond) is var state
            && await ShownAsync(state) is { Rows.Records: { IsEmpty: false } others }
            && others[which].Key is { } other
                ? Address(state, other)
                : null;

        string? Here(int index) => rows.Records[index].Key is { } other ? Address(from, other) : null;
        var place = ((shown.State.Page - 1) * list.RowsPerPage) + at + 1;
        return (
            at > 0 ? Here(at - 1) : await BeyondAsync(shown.Earlier, ^1),
            at < rows.Records.Length - 1 ? Here(at + 1) : await BeyondAsync(shown.Later, 0),
            rows.Count is { Kind: CountKind.Exact } count
                ? $"{place.ToString("#,##0", run.Format.Culture)} of {count.Number.ToString("#,##0", run.Format.Culture)}"
                : null
        );
    }
}
