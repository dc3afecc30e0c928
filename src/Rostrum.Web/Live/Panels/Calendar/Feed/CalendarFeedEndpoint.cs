using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live.Panels.Schedules;
using Rostrum.Web.People;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live.Panels.Calendar.Feed;

/// <summary>Gives calendar programs what a calendar panel shows, with the rights that the address's owner has at that moment.</summary>
internal static class CalendarFeedEndpoint
{
    /// <summary>Where the feeds are.</summary>
    public const string Root = "/calendars";

    private const int MostEvents = 2_000;
    private const int DaysBefore = 92;
    private const int DaysAfter = 366;

    public static void MapCalendarFeeds(this WebApplication application) =>
        application.MapGet(Root + "/{token}.ics", AnswerAsync).AllowAnonymous();

    private static async Task<IResult> AnswerAsync(
        string token,
        HttpContext context,
        RostrumStore store,
        WorkspaceCache workspaces,
        PersonRecords records,
        PublishedApps apps,
        RecordGate gate,
        RecordFormat format,
        CancellationToken cancellation
    )
    {
        var digest = LinkToken.Digest(token);
        if (await store.CalendarFeeds.AsNoTracking().FirstOrDefaultAsync(known => known.Digest == digest, cancellation) is not { } feed)
        {
            return Results.StatusCode(StatusCodes.Status410Gone);
        }

        var workspace = await workspaces.GetAsync(cancellation);
        if (
            workspace.People.GetValueOrDefault(feed.PersonId) is not { IsActive: true } person
            || await apps.LiveAsync(feed.App, cancellation) is not { } app
            || app.Definition.Find(feed.Page) is not { } page
            || !page.IsFor(person.RolesAtWork)
            || page.Find(feed.Panel) is not CalendarPanel panel
            || app.Datasets.Find(panel.Dataset) is not { } known
            || panel.Shown(known) is not { } dataset
            || panel.Places(dataset) is not var (start, end)
        )
        {
            return Results.StatusCode(StatusCodes.Status410Gone);
        }

        var all = await records.GrantsOfAsync(workspace, person.RolesAtWork, person.AsUser, cancellation);
        if (all.ForDownload(dataset.Id) is not { } grants)
        {
            return Results.StatusCode(StatusCodes.Status410Gone);
        }

        var run = new PageRun(app, page, $"/apps/{feed.App}/{feed.Page}", PageAddress.Read(page, feed.State), grants, gate, format)
        {
            Pages = [.. app.Definition.Pages.Where(other => other.IsFor(person.RolesAtWork))],
        };
        await run.PrepareAsync(cancellation);
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        var view = new CalendarView
        {
            Run = run,
            Panel = panel,
            Dataset = dataset,
        };
        var reading = new EventReading(view, start, end) { Title = panel.EventTitle, Most = MostEvents };
        var today = run.Context.Today;
        var (result, events) =
            because is null && narrowed is not null
                ? await reading.ReadAsync(narrowed, today.AddDays(-DaysBefore), today.AddDays(DaysAfter), cancellation)
                : (new ReadResult.Rows([], null, false, false, null, null), []);
        if (result is not ReadResult.Rows)
        {
            // What a source refuses now it may give the next time: the program keeps what it has.
            return Results.StatusCode(result is ReadResult.Denied ? StatusCodes.Status410Gone : StatusCodes.Status503ServiceUnavailable);
        }

        await ReadNowAsync(store, feed, run.Context.Now, cancellation);
        context.Response.Headers.CacheControl = "private, max-age=300";
        context.Response.Headers["X-Robots-Tag"] = "noindex";
        var origin = $"{context.Request.Scheme}://{context.Request.Host}";
        var name = $"{app.Definition.Name}: {run.Text(panel, panel.Heading) ?? dataset.Label}";
        string? AddressOf(string key) => view.Opens is null ? null : origin + view.RecordAddress + Uri.EscapeDataString(key);
        return Results.Text(CalendarFile.Of(name, $"{dataset.Id}", events, format, AddressOf), "text/calendar", System.Text.Encoding.UTF8);
    }

    private static async Task ReadNowAsync(RostrumStore store, CalendarFeed feed, DateTimeOffset now, CancellationToken cancellation)
    {
        if (feed.ReadAt is null || now - feed.ReadAt > TimeSpan.FromHours(1))
        {
            await store
                .CalendarFeeds.Where(row => row.Id == feed.Id)
                .ExecuteUpdateAsync(row => row.SetProperty(one => one.ReadAt, now), cancellation);
        }
    }
}
