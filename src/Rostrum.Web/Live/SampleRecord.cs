using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live;

/// <summary>
/// In Build a page about one record shows one, though its address names none: the first, as if it had been chosen in its list.
/// </summary>
internal static class SampleRecord
{
    /// <summary>The page's state with a record where it lacks one.</summary>
    public static async Task<PageState> AddedAsync(
        PageState state,
        RunningApp app,
        IReadOnlyCollection<Page> pages,
        Grants grants,
        RecordGate gate,
        CancellationToken cancellation
    )
    {
        if (
            state.Page.Parameters.FirstOrDefault(parameter => parameter.Dataset is not null) is not { Dataset: { } of } parameter
            || state.Parameters.ContainsKey(parameter.Name)
            || app.Datasets.Find(of) is not { } dataset
        )
        {
            return state;
        }

        var request = new ReadRequest(of) { Sort = AppDrafting.UsualOrder(dataset), Window = new PageWindow.FromStart(0, 1) };
        if (await gate.ReadAsync(app.Datasets, request, grants, cancellation) is not ReadResult.Rows { Records: [{ Key: { } key }] })
        {
            return state;
        }

        var list = pages.FirstOrDefault(page =>
            page.All.OfType<ListPanel>().Any(list => list.Dataset == of && list.RecordPage == state.Page.Address)
        );
        return state with
        {
            Parameters = state.Parameters.SetItem(parameter.Name, key.ToText(dataset)),
            From = state.From.Length > 0 ? state.From : list?.Address ?? "",
        };
    }
}
