using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live.Panels.Calendar.Feed;

/// <summary>The addresses at which somebody's calendar programs read a calendar.</summary>
/// <param name="Action">Where one is made or withdrawn.</param>
/// <param name="Rows">Those that there are.</param>
/// <param name="Made">One that was just made: it is shown this once.</param>
/// <param name="Problem">Why none was made.</param>
internal sealed record FeedsView(string Action, ImmutableArray<(Guid Id, string Says)> Rows, string? Made, string? Problem);

/// <summary>Shows somebody's addresses of a calendar.</summary>
[Handles("GET", "Feed")]
internal sealed class FeedsShownHandler(CalendarFeeds feeds) : LiveHandler
{
    public override Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation) =>
        feeds.AnswerAsync(page, cancellation);
}

/// <summary>Makes such an address, or withdraws one.</summary>
[Handles("POST", "Feed")]
internal sealed class FeedsHandler(CalendarFeeds feeds) : LiveHandler
{
    public override Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation) =>
        feeds.AnswerAsync(page, cancellation, changes: true);
}

/// <summary>What the two have in common.</summary>
internal sealed class CalendarFeeds(RostrumStore store, CurrentPerson person, TimeProvider time)
{
    private const int MostOfAPerson = 50;

    public async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation, bool changes = false)
    {
        if (
            !page.Run.IsLive
            || person.Id is not { } id
            || page.Named is not CalendarPanel panel
            || !page.Run.MayDownload(page.Run.DatasetOf(panel))
        )
        {
            return page.NotFound();
        }

        var (made, problem) = ((string?)null, (string?)null);
        if (changes && Guid.TryParse(page.Value("withdraw"), out var withdrawn))
        {
            if (
                await store.CalendarFeeds.FirstOrDefaultAsync(feed => feed.Id == withdrawn && feed.PersonId == id, cancellation) is { } feed
            )
            {
                store.CalendarFeeds.Remove(feed);
                await store.SaveChangesAsync(cancellation);
            }
        }
        else if (changes && await store.CalendarFeeds.CountAsync(feed => feed.PersonId == id, cancellation) >= MostOfAPerson)
        {
            problem = $"Not made: you have {MostOfAPerson} addresses. Withdraw one first.";
        }
        else if (changes)
        {
            made = await MakeAsync(page, panel, id, cancellation);
        }

        var rows = await store
            .CalendarFeeds.AsNoTracking()
            .Where(feed =>
                feed.PersonId == id && feed.App == page.App.Address && feed.Page == page.Current.Address && feed.Panel == panel.Name
            )
            .OrderBy(feed => feed.MadeAt)
            .ToListAsync(cancellation);
        return page.Partial(
            "/Live/Panels/Calendar/Feed/_Feeds.cshtml",
            new FeedsView(
                page.Run.State.At(page.Path, ("handler", "Feed"), ("panel", panel.Name)),
                [.. rows.Select(feed => (feed.Id, Says(feed, page.Run.Format)))],
                made,
                problem
            )
        );
    }

    // What is narrowed on the page is narrowed in the feed; which day is looked at is the program's.
    private async Task<string> MakeAsync(AppPageModel page, CalendarPanel panel, Guid id, CancellationToken cancellation)
    {
        var (token, digest) = LinkToken.Make();
        var kept = page.Run.State.List(panel.Name).ToKeep() with { Day = null, Span = null };
        store.CalendarFeeds.Add(
            new CalendarFeed
            {
                Id = Guid.NewGuid(),
                PersonId = id,
                App = page.App.Address,
                Page = page.Current.Address,
                Panel = panel.Name,
                State = page.Run.State.AllClosed().With(panel.Name, kept).ToQuery(),
                Digest = digest,
                MadeAt = time.GetUtcNow(),
            }
        );
        await store.SaveChangesAsync(cancellation);
        return $"{page.Request.Scheme}://{page.Request.Host}{CalendarFeedEndpoint.Root}/{token}.ics";
    }

    private static string Says(CalendarFeed feed, RecordFormat format)
    {
        var read = feed.ReadAt is { } at ? format.Display(new FieldType.Instant(), at) : "never";
        return $"Made {format.Display(new FieldType.Instant(), feed.MadeAt)}, read {read}";
    }
}
