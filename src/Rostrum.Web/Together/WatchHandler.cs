using Microsoft.AspNetCore.Mvc;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.People;

namespace Rostrum.Web.Together;

/// <summary>The button with which one watches a record, or a list as it is narrowed.</summary>
/// <param name="Action">Where it is sent.</param>
/// <param name="IsWatched">It is watched already.</param>
/// <param name="What">What is watched, for whoever does not see where the button stands.</param>
internal sealed record WatchButton(string Action, bool IsWatched, string What);

/// <summary>Shows whether the person watches something.</summary>
[Handles("GET", "Watch")]
internal sealed class WatchShownHandler(WatchToggle toggle) : LiveHandler
{
    public override Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation) =>
        toggle.AnswerAsync(page, turns: false, cancellation);
}

/// <summary>Watches something, or watches it no longer.</summary>
[Handles("POST", "Watch")]
internal sealed class WatchHandler(WatchToggle toggle) : LiveHandler
{
    public override Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation) =>
        toggle.AnswerAsync(page, turns: true, cancellation);
}

/// <summary>What the two have in common.</summary>
internal sealed class WatchToggle(RostrumStore store, CurrentPerson person, TimeProvider time)
{
    private const int MostWatches = 500;

    public async Task<IActionResult> AnswerAsync(AppPageModel page, bool turns, CancellationToken cancellation)
    {
        if (
            page.IsDraft
            || person.Id is not { } id
            || page.Named is not { Of: { } of } panel
            || page.App.Datasets.Find(of) is not { } dataset
        )
        {
            return page.NotFound();
        }

        await page.PrepareAsync(cancellation);
        var wanted =
            page.Value("record") is { Length: > 0 } text ? await RecordAsync(page, panel, dataset, text, id, cancellation)
            : panel is TablePanel table ? List(page, table, dataset, id)
            : null;
        if (wanted is null)
        {
            return page.NotFound();
        }

        var kept = await store.Watches.FirstOrDefaultAsync(
            watch =>
                watch.PersonId == id
                && watch.DatasetId == wanted.DatasetId
                && watch.Key == wanted.Key
                && watch.App == wanted.App
                && watch.Page == wanted.Page
                && watch.Panel == wanted.Panel
                && watch.State == wanted.State,
            cancellation
        );
        if (turns)
        {
            if (kept is not null)
            {
                store.Watches.Remove(kept);
            }
            else if (await store.Watches.CountAsync(watch => watch.PersonId == id, cancellation) < MostWatches)
            {
                store.Watches.Add(wanted);
            }

            await store.SaveChangesAsync(cancellation);
        }

        var action = page.Run.State.At(page.Path, ("handler", "Watch"), ("panel", panel.Name), ("record", wanted.Key ?? ""));
        return page.Partial(
            "/Together/_Watch.cshtml",
            new WatchButton(action, turns ? kept is null : kept is not null, wanted.Key is null ? "this list" : $"“{wanted.Label}”")
        );
    }

    // Whoever sees a record may watch it.
    private async Task<Watch?> RecordAsync(
        AppPageModel page,
        Panel panel,
        Dataset dataset,
        string text,
        Guid id,
        CancellationToken cancellation
    ) =>
        RecordKey.Parse(dataset, text) is { } key
        && await page.Run.Gate.ReadAsync(page.App.Datasets, ReadRequest.Of(dataset, key), page.Run.Grants, cancellation)
            is ReadResult.Rows { Records: [var record] }
            ? new Watch
            {
                Id = Guid.NewGuid(),
                PersonId = id,
                DatasetId = dataset.Id.Value,
                Key = key.ToText(dataset),
                Label = record.Title,
                Address = page.Run.State.At(page.Path),
                At = time.GetUtcNow(),
            }
            : null;

    private Watch List(AppPageModel page, TablePanel table, Dataset dataset, Guid id)
    {
        var state = page.Run.State.With(table.Name, page.Run.State.List(table.Name).ToKeep());
        return new Watch
        {
            Id = Guid.NewGuid(),
            PersonId = id,
            DatasetId = dataset.Id.Value,
            App = page.App.Address,
            Page = page.Current.Address,
            Panel = table.Name,
            State = state.ToQuery(),
            Label = $"{dataset.Label} in {page.App.Definition.Name}, {page.Current.Name}{(state.ToQuery().Length > 0 ? ", filtered" : "")}",
            Address = state.At(page.Path),
            At = time.GetUtcNow(),
        };
    }
}
