using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.People;

/// <summary>An open session, as people read it.</summary>
internal sealed record SessionRow(Guid Id, string Device, string RemoteAddress, string Started, string LastUsed, bool IsThis)
{
    /// <summary>A person's sessions, the newest first.</summary>
    public static async Task<SessionRow[]> OfAsync(
        RostrumStore store,
        Guid person,
        Guid? current,
        RecordFormat format,
        DateTimeOffset now,
        CancellationToken cancellation
    )
    {
        var rows = await store
            .SignInSessions.AsNoTracking()
            .Where(session => session.PersonId == person && session.Ends > now)
            .OrderByDescending(session => session.LastUsed)
            .ToListAsync(cancellation);
        string Said(DateTimeOffset at) => format.Display(new FieldType.Instant(), at);
        return
        [
            .. rows.Select(row => new SessionRow(
                row.Id,
                DeviceOf(row.Device),
                row.RemoteAddress ?? "",
                Said(row.Started),
                Said(row.LastUsed),
                row.Id == current
            )),
        ];
    }

    /// <summary>The browser and the system of a User-Agent header (RFC 9110, 10.1.5), as far as it says them.</summary>
    internal static string DeviceOf(string agent)
    {
        string? First(params (string Mark, string Name)[] known) =>
            known.FirstOrDefault(pair => agent.Contains(pair.Mark, StringComparison.Ordinal)).Name;
        var browser = First(
            ("Edg/", "Edge"),
            ("Firefox/", "Firefox"),
            ("HeadlessChrome/", "Chromium"),
            ("Chrome/", "Chrome"),
            ("Safari/", "Safari")
        );
        var system = First(
            ("Android", "Android"),
            ("iPhone", "iPhone"),
            ("iPad", "iPad"),
            ("Windows", "Windows"),
            ("Mac OS", "macOS"),
            ("Linux", "Linux")
        );
        return (browser, system) switch
        {
            (null, null) => "a program",
            (null, { } only) => only,
            ({ } only, null) => only,
            ({ } one, { } other) => $"{one} on {other}",
        };
    }
}
