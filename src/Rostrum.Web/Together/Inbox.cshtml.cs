using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Together;

/// <summary>What somebody is told of what they watch, by record; and what they watch.</summary>
internal sealed class InboxModel(RostrumStore store, CurrentPerson person, RecordFormat format, TimeProvider time) : PageModel
{
    private const int Most = 200;

    /// <summary>Something that was told.</summary>
    public sealed record Entry(long Id, ImmutableArray<string> Lines, string By, string At, bool IsRead);

    /// <summary>A record, with what was told of it.</summary>
    public sealed record Group(string Title, long Newest, ImmutableArray<Entry> Entries);

    /// <summary>Something that is watched.</summary>
    public sealed record Watched(Guid Id, string Label, string Address, string Since);

    public ImmutableArray<Group> Groups { get; private set; } = [];

    public ImmutableArray<Watched> Watches { get; private set; } = [];

    public int Unread { get; private set; }

    public WatchMail Mail { get; private set; }

    public bool HasMail { get; private set; }

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var items = await store
            .InboxItems.AsNoTracking()
            .Where(item => item.PersonId == person.Id)
            .OrderByDescending(item => item.Id)
            .Take(Most)
            .ToListAsync(cancellation);
        var zone = await store.Users.Where(row => row.Id == person.Id).Select(row => row.Zone).FirstAsync(cancellation);
        var own = format with { Zone = format.ZoneOf(zone) };
        string Shown(DateTimeOffset at) => own.Display(new FieldType.Instant(), at);
        Unread = await store.InboxItems.CountAsync(item => item.PersonId == person.Id && item.ReadAt == null, cancellation);
        Groups =
        [
            .. items
                .GroupBy(item => (item.DatasetId, item.Key))
                .Select(group => new Group(
                    group.First().Title,
                    group.First().Id,
                    [
                        .. group.Select(item => new Entry(
                            item.Id,
                            [.. item.Text.Split('\n')],
                            item.By,
                            Shown(item.At),
                            item.ReadAt is not null
                        )),
                    ]
                )),
        ];
        Watches =
        [
            .. (
                await store
                    .Watches.AsNoTracking()
                    .Where(watch => watch.PersonId == person.Id)
                    .OrderBy(watch => watch.Label)
                    .ToListAsync(cancellation)
            ).Select(watch => new Watched(watch.Id, watch.Label, watch.Address, Shown(watch.At))),
        ];
        (Mail, HasMail) = await store
            .Users.Where(row => row.Id == person.Id)
            .Select(row => new ValueTuple<WatchMail, bool>(row.WatchMail, row.Email != null))
            .FirstAsync(cancellation);
    }

    /// <summary>How many are not read, for the masthead.</summary>
    public async Task<IActionResult> OnGetCountAsync(CancellationToken cancellation) =>
        Partial(
            "/Together/_Unread.cshtml",
            await store.InboxItems.CountAsync(item => item.PersonId == person.Id && item.ReadAt == null, cancellation)
        );

    /// <summary>Opens what something is about: it is read then, with all that was told of the same record.</summary>
    public async Task<IActionResult> OnGetOpenAsync(long id, CancellationToken cancellation)
    {
        if (await store.InboxItems.FirstOrDefaultAsync(item => item.Id == id && item.PersonId == person.Id, cancellation) is not { } item)
        {
            return NotFound();
        }

        await ReadAsync(item.DatasetId, item.Key, cancellation);
        return LocalRedirect(ReturnAddress.Of(Url, item.Address));
    }

    public async Task<IActionResult> OnPostReadAsync(CancellationToken cancellation)
    {
        await ReadAsync(null, null, cancellation);
        return Redirect("/inbox");
    }

    public async Task<IActionResult> OnPostUnwatchAsync(Guid id, CancellationToken cancellation)
    {
        store.Watches.RemoveRange(
            await store.Watches.Where(watch => watch.Id == id && watch.PersonId == person.Id).ToListAsync(cancellation)
        );
        await store.SaveChangesAsync(cancellation);
        return Redirect("/inbox#watched");
    }

    public async Task<IActionResult> OnPostMailAsync(WatchMail mail, CancellationToken cancellation)
    {
        await store
            .Users.Where(row => row.Id == person.Id)
            .ExecuteUpdateAsync(row => row.SetProperty(one => one.WatchMail, mail), cancellation);
        TempData["note"] = "Saved.";
        return Redirect("/inbox#watched");
    }

    private Task<int> ReadAsync(Guid? dataset, string? key, CancellationToken cancellation)
    {
        var now = time.GetUtcNow();
        return store
            .InboxItems.Where(item =>
                item.PersonId == person.Id && item.ReadAt == null && (dataset == null || (item.DatasetId == dataset && item.Key == key))
            )
            .ExecuteUpdateAsync(row => row.SetProperty(item => item.ReadAt, now), cancellation);
    }
}
