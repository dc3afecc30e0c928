using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live.Panels;
using Rostrum.Web.Live.Sheet;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live;

/// <content>Shows the page, whole or the parts of it that are otherwise than before.</content>
internal sealed partial class AppPageModel
{
    private async Task<IActionResult> ShowAsync(CancellationToken cancellation)
    {
        await PrepareAsync(cancellation);
        if (!Request.IsPartial())
        {
            if (!IsDraft && SeenAs is null && Link is null && Editing is null)
            {
                await openings.OpenedAsync(store, person.Id!.Value, App.Address, cancellation);
            }

            return await WholeAsync(cancellation);
        }

        var before = Request.CurrentState(Current);
        string[] changed = [.. Run.Graph.Affected(Run.State.Changed(before)), .. Run.State.ChangedPanels(before), .. Request.TargetPanel()];
        return await PartsAsync(changed, Request.Target() == "sheet" || Run.State.OpenTable != before.OpenTable, cancellation);
    }

    /// <summary>The whole page.</summary>
    public async Task<IActionResult> WholeAsync(CancellationToken cancellation)
    {
        var reading = new PageReading(Run);
        if (Sheet is RecordFormView.Closed && Run.State.OpenTable is { } table)
        {
            Sheet = await new FormReader(Run).ReadAsync(table, cancellation);
        }

        using var late = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        var (way, panels) = Together(() =>
            (
                RecordWay.ReadAsync(Run, late.Token),
                Current.Panels.Select(panel => (panel, Run, reading.ReadAsync(panel, late.Token))).ToArray()
            )
        );
        Panels = await PageReading.InTimeAsync(panels, late);
        cancellation.ThrowIfCancellationRequested();
        Way = late.IsCancellationRequested && !way.IsCompletedSuccessfully ? null : await way;
        return Page();
    }

    /// <summary>The panels to be shown anew, and what else goes with them. Those within another that is shown go with it.</summary>
    public async Task<IActionResult> PartsAsync(IEnumerable<string> names, bool withSheet, CancellationToken cancellation)
    {
        var reading = new PageReading(Run);
        var wanted = Run.Graph.Order.Intersect(names).ToHashSet();
        var shown = new List<Panel>();
        foreach (var panel in wanted.Select(name => Current.Find(name)!).Where(panel => !Within(panel, wanted)))
        {
            if (await reading.HasPlaceAsync(panel, cancellation))
            {
                shown.Add(panel);
            }
        }

        if (withSheet && Sheet is RecordFormView.Closed && Run.State.OpenTable is { } table)
        {
            Sheet = await new FormReader(Run).ReadAsync(table, cancellation);
        }

        Panels = [.. await Together(() => Task.WhenAll(shown.Select(panel => reading.ReadAsync(panel, cancellation))))];
        return Partial("/Live/_Parts.cshtml", new PageParts(this, Request.Target(), withSheet));
    }

    /// <summary>The page after a form was saved: what was changed is read anew wherever it is shown.</summary>
    public Task<IActionResult> AfterSaveAsync(Panel? asked, DatasetId? changed, RecordKey? marked, CancellationToken cancellation) =>
        AfterSaveAsync(asked, changed is { } dataset ? [dataset] : [], marked, cancellation);

    /// <summary>The page after records were saved: the record that is marked is of the first dataset.</summary>
    public async Task<IActionResult> AfterSaveAsync(
        Panel? asked,
        ImmutableArray<DatasetId> changed,
        RecordKey? marked,
        CancellationToken cancellation
    )
    {
        var state = asked is ListPanel list
            ? Run.State.With(list.Name, Run.State.List(list.Name).Closed(keepsSelection: !list.OpensRecords))
            : Run.State;
        (DatasetId, RecordKey)? mark = changed is [var of, ..] && marked is not null ? (of, marked) : null;
        return await NowAsync(state, changed, mark, asked is null ? [] : [asked.Name], cancellation);
    }

    /// <summary>The page in another state, after records of some datasets were changed.</summary>
    public async Task<IActionResult> NowAsync(
        PageState state,
        ImmutableArray<DatasetId> changed,
        (DatasetId Dataset, RecordKey Key)? marked,
        IEnumerable<string> also,
        CancellationToken cancellation
    )
    {
        var before = Run.State;
        Run = Run.At(state);
        Run.Marked = marked;
        await Run.PrepareAsync(cancellation);
        Sheet = new RecordFormView.Closed();
        if (!Request.IsPartial())
        {
            return await WholeAsync(cancellation);
        }

        Response.Headers["HX-Push-Url"] = Path + state.ToQuery();
        string[] panels =
        [
            .. changed.SelectMany(dataset => Run.Graph.Affected(dataset, App.Datasets)),
            .. Run.Graph.Affected(state.Changed(before)),
            .. state.ChangedPanels(before),
            .. also,
        ];
        return await PartsAsync(panels, true, cancellation);
    }

    // What is begun here asks each source in one round trip.
    private T Together<T>(Func<T> begin)
    {
        using var held = Run.Gate.Hold();
        return begin();
    }

    private bool Within(Panel panel, HashSet<string> others)
    {
        for (var parent = Current.ParentOf(panel.Name); parent is not null; parent = Current.ParentOf(parent.Name))
        {
            if (others.Contains(parent.Name))
            {
                return true;
            }
        }

        return false;
    }
}
