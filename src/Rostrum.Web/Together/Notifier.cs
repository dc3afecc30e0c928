using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.Live.Panels.Table;
using Rostrum.Web.People;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.Together;

/// <summary>
/// Tells people of what they watch, with the rights that they have at that moment: of what somebody may not see nothing is said. An
/// event is told by one node, and told once.
/// </summary>
internal sealed partial class Notifier(
    IDbContextFactory<RostrumStore> stores,
    WorkspaceCache workspaces,
    PersonRecords records,
    PublishedApps apps,
    RecordGate gate,
    RecordFormat format,
    MailSettings mail,
    Unsubscribing unsubscribing,
    TimeProvider time,
    ILogger<Notifier> log
) : BackgroundService
{
    private const int AtOnce = 50;
    private const int HourOfDigest = 7;
    private static readonly TimeSpan Pause = TimeSpan.FromSeconds(2);
    private static readonly TimeSpan Kept = TimeSpan.FromDays(90);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Pause);
        while (await timer.WaitForNextTickAsync(stoppingToken))
        {
            try
            {
                await TellAsync(stoppingToken);
                await DigestAsync(stoppingToken);
            }
            catch (Exception exception) when (StoreFailure.IsUnreachable(exception))
            {
                LogOutage(exception.Message);
            }
        }
    }

    /// <summary>Tells what was saved since.</summary>
    public async Task TellAsync(CancellationToken cancellation)
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var events = await store
            .RecordEvents.FromSql($"SELECT * FROM record_events ORDER BY id LIMIT {AtOnce} FOR UPDATE SKIP LOCKED")
            .ToListAsync(cancellation);
        if (events.Count == 0)
        {
            return;
        }

        var workspace = await workspaces.GetAsync(cancellation);
        foreach (var happened in events)
        {
            var watches = await store
                .Watches.AsNoTracking()
                .Where(watch => watch.DatasetId == happened.DatasetId && (watch.Key == null || watch.Key == happened.Key))
                .ToListAsync(cancellation);
            // Whoever watches a record and a list with it is told once.
            foreach (
                var own in watches
                    .Where(watch => watch.PersonId != happened.ById && !happened.Told.Contains(watch.PersonId))
                    .GroupBy(watch => watch.PersonId)
            )
            {
                foreach (var watch in own.OrderBy(watch => watch.Key is null))
                {
                    if (await ItemAsync(workspace, watch, happened, cancellation) is { } item)
                    {
                        await AddAsync(store, workspace, item, cancellation);
                        break;
                    }
                }
            }
        }

        store.RecordEvents.RemoveRange(events);
        await store.SaveChangesAsync(cancellation);
        var old = time.GetUtcNow() - Kept;
        await store.InboxItems.Where(item => item.At < old).ExecuteDeleteAsync(cancellation);
        await transaction.CommitAsync(cancellation);
    }

    /// <summary>Sends each day what was not read to whoever wants that.</summary>
    public async Task DigestAsync(CancellationToken cancellation)
    {
        if (mail is not { Server: not null, Address: { } links })
        {
            return;
        }

        await using var reading = await stores.CreateDbContextAsync(cancellation);
        var zones = await reading
            .Users.Where(person => person.WatchMail == WatchMail.Daily)
            .Select(person => person.Zone)
            .Distinct()
            .ToListAsync(cancellation);
        foreach (var zone in zones)
        {
            await DigestAsync(zone, links, cancellation);
        }
    }

    // To those whose clocks go by a time zone; by the workspace's where null.
    private async Task DigestAsync(string? zone, string links, CancellationToken cancellation)
    {
        var now = TimeZoneInfo.ConvertTime(time.GetUtcNow(), format.ZoneOf(zone));
        if (now.Hour < HourOfDigest)
        {
            return;
        }

        // What happens later today is told tomorrow.
        var today = DateOnly.FromDateTime(now.DateTime);
        var before = new DateTimeOffset(now.Date.AddHours(HourOfDigest), now.Offset).ToUniversalTime();
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var due = await store
            .Users.FromSql(
                $"""
                SELECT * FROM people WHERE watch_mail = 'Daily' AND email IS NOT NULL AND deactivated_at IS NULL
                AND zone IS NOT DISTINCT FROM {zone}::text
                AND (digest_on IS NULL OR digest_on < {today})
                AND EXISTS (SELECT 1 FROM inbox_items i WHERE i.person_id = people.id
                    AND i.read_at IS NULL AND i.mailed_at IS NULL AND i.at < {before})
                LIMIT {AtOnce} FOR UPDATE SKIP LOCKED
                """
            )
            .ToListAsync(cancellation);
        foreach (var person in due)
        {
            var items = await store
                .InboxItems.Where(item => item.PersonId == person.Id && item.ReadAt == null && item.MailedAt == null && item.At < before)
                .OrderBy(item => item.Id)
                .ToListAsync(cancellation);
            var subject = $"{items.Count} {(items.Count == 1 ? "change" : "changes")} to what you watch";
            Send(store, person.Id, person.Email!, subject, items, links);
            person.DigestOn = today;
        }

        if (due.Count > 0)
        {
            await store.SaveChangesAsync(cancellation);
            await transaction.CommitAsync(cancellation);
        }
    }

    /// <summary>Tells somebody something with the next save: in the inbox, and by mail where they want that at once.</summary>
    public async Task AddAsync(RostrumStore store, Workspace workspace, InboxItem item, CancellationToken cancellation)
    {
        store.InboxItems.Add(item);
        if (mail is not { Server: not null, Address: { } links } || workspace.People[item.PersonId].Email is not { } address)
        {
            return;
        }

        if (await store.Users.AnyAsync(row => row.Id == item.PersonId && row.WatchMail == WatchMail.AtOnce, cancellation))
        {
            Send(store, item.PersonId, address, $"{item.Title} {item.Text.Split('\n')[0].TrimEnd(':')}", [item], links);
        }
    }

    private void Send(RostrumStore store, Guid person, string address, string subject, IReadOnlyCollection<InboxItem> items, string links)
    {
        var now = time.GetUtcNow();
        var ends = links + unsubscribing.AddressOf(person);
        foreach (var item in items)
        {
            item.MailedAt = now;
        }

        store.OutgoingMails.Add(
            new OutgoingMail
            {
                Address = address,
                Subject = subject,
                Text =
                    string.Join("\n\n", items.Select(item => $"{item.Title}\n{item.Text} ({item.By})\n{links}{item.Address}"))
                    + $"\n\nYou watch this in Rostrum. When you are told by mail, or never, is yours to choose: {links}/inbox\n"
                    + $"No more of these mails: {ends}\n",
                Unsubscribe = ends,
                MadeAt = now,
                Due = now,
            }
        );
    }

    // What somebody is told; null where they may not see it, or it is not among what they watch.
    private async Task<InboxItem?> ItemAsync(Workspace workspace, Watch watch, RecordEvent happened, CancellationToken cancellation)
    {
        if (
            workspace.People.GetValueOrDefault(watch.PersonId) is not { IsActive: true } person
            || workspace.Datasets.Find(new DatasetId(watch.DatasetId)) is not { } dataset
        )
        {
            return null;
        }

        var grants = await records.GrantsOfAsync(workspace, person.RolesAtWork, person.AsUser, cancellation);
        if (happened.IsNote && !grants.For(dataset.Id).Allows(Verbs.ReadNotes))
        {
            return null;
        }

        var isGone = happened.Kind == "deleted";
        var key = RecordKey.Parse(dataset, happened.Key);
        if (
            isGone
                ? watch.Key is null || !grants.For(dataset.Id).Allows(Verbs.View)
                : !await SeesAsync(workspace, watch, dataset, key, grants, cancellation)
        )
        {
            return null;
        }

        var readable = (
            key is null ? grants.For(dataset.Id) : (await gate.GrantsOfAsync(workspace.Datasets, dataset, [key], grants, cancellation))(key)
        ).Readable;
        var lines = happened
            .Changes.Split('\n', StringSplitOptions.RemoveEmptyEntries)
            .Select(line => line.Split('\t'))
            .Where(parts => readable.Has(new FieldName(parts[0])) && dataset.Find(new FieldName(parts[0])) is not null)
            .Select(parts => $"{Wording.InSentence(dataset.LabelOf(new FieldName(parts[0])))}: {parts[1]} → {parts[2]}")
            .ToArray();
        // A change of what somebody may not see is none to them.
        return happened.Changes.Length > 0 && lines.Length == 0
            ? null
            : new InboxItem
            {
                PersonId = watch.PersonId,
                WatchId = watch.Id,
                DatasetId = watch.DatasetId,
                Key = happened.Key,
                Title = isGone ? watch.Label : happened.Title,
                Text = string.Join('\n', [lines.Length == 0 ? happened.Kind : $"{happened.Kind}:", .. lines]),
                By = happened.ByName,
                Address = watch.Address,
                At = happened.At,
            };
    }

    private async Task<bool> SeesAsync(
        Workspace workspace,
        Watch watch,
        Dataset dataset,
        RecordKey? key,
        Grants grants,
        CancellationToken cancellation
    )
    {
        if (key is null)
        {
            return false;
        }

        var request = ReadRequest.Of(dataset, key);
        if (watch.Key is not null)
        {
            return await gate.ReadAsync(workspace.Datasets, request, grants, cancellation) is ReadResult.Rows { Records: [_] };
        }

        if (
            await apps.LiveAsync(watch.App!, cancellation) is not { } app
            || app.Definition.Find(watch.Page!) is not { } page
            || page.Find(watch.Panel!) is not TablePanel table
        )
        {
            return false;
        }

        var run = new PageRun(app, page, $"/apps/{watch.App}/{watch.Page}", PageAddress.Read(page, watch.State!), grants, gate, format);
        await run.PrepareAsync(cancellation);
        return TableReader.FilterOf(run, table, dataset) is { } list
            && await gate.ReadAsync(
                app.Datasets,
                request with
                {
                    Filter = Filter.Both(request.Filter, list),
                    Search = run.State.List(table.Name).Search,
                    Names = run.Names,
                    Now = run.Context.Now,
                },
                grants,
                cancellation
            )
                is ReadResult.Rows { Records: [_] };
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "Notices wait for the store: {Reason}")]
    private partial void LogOutage(string reason);
}
