using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Bulk;

/// <summary>Begins changes of many records, which <see cref="BulkWorker"/> makes; stops them, and begins to take them back.</summary>
internal sealed class BulkChanges(RostrumStore store, RecordGate gate, TimeProvider time)
{
    /// <summary>How many records are changed in one transaction.</summary>
    public const int InPart = 400;

    /// <summary>How many can be changed in one go.</summary>
    public const int MostRecords = 1_000_000;

    private const int AtOnce = 5_000;
    private static readonly TimeSpan Kept = TimeSpan.FromDays(90);

    /// <summary>What is wanted of the records that a request gives.</summary>
    /// <param name="PersonId">Who wants it.</param>
    /// <param name="Via">Through what: an app and its page.</param>
    /// <param name="App">The app in whose live version it is made; null for a draft.</param>
    /// <param name="Work">What is done.</param>
    /// <param name="Values">The new values.</param>
    /// <param name="Request">Names the press of the button, so that what is sent again begins nothing again.</param>
    /// <param name="IsTried">It is only tried: nothing is written.</param>
    public sealed record Wish(Guid PersonId, string Via, string? App, BulkWork Work, BulkValues Values, Guid Request, bool IsTried = false);

    /// <summary>Begins it with the records as they are at this moment; or says why not.</summary>
    public async Task<(BulkChange? Begun, string? Problem)> BeginAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        ReadRequest request,
        Wish wish,
        Grants grants,
        CancellationToken cancellation
    )
    {
        if (await SentAsync(wish, cancellation) is { } already)
        {
            return (already, null);
        }

        var watched = BulkRecords.Watched(dataset, grants.For(dataset.Id));
        var records = new List<string[]>();
        var wanted = request with { Fields = watched, Computed = [], Titles = [] };
        await foreach (var page in gate.PagesAsync(catalogue, wanted, AtOnce, grants, cancellation))
        {
            if (page is not ReadResult.Rows rows)
            {
                return (null, "The records could not be read, so nothing was begun. Try again.");
            }

            records.AddRange(
                rows.Records.Where(record => record.Key is not null)
                    .Select(record => new[] { record.Key!.ToText(dataset), BulkRecords.Digest(dataset, watched, record) })
            );
            if (records.Count > MostRecords)
            {
                return (null, $"There are more than {MostRecords:#,##0} records: narrow the list.");
            }
        }

        // A list whose order changes while it is read may give a record twice.
        string[][] each = [.. records.DistinctBy(record => record[0])];
        var bulk = new BulkChange
        {
            Request = wish.Request,
            PersonId = wish.PersonId,
            DatasetId = dataset.Id.Value,
            Via = wish.Via,
            App = wish.App,
            Work = wish.Work,
            Values = wish.Values.Write(dataset),
            Records = each.Length,
            IsTried = wish.IsTried,
            At = time.GetUtcNow(),
        };
        var parts = each.Chunk(InPart).Select((part, at) => new BulkPart { Number = at, Records = JsonSerializer.Serialize(part) });
        try
        {
            return (await AddAsync(bulk, parts, cancellation), null);
        }
        catch (DbUpdateException exception) when (StoreFailure.IsTaken(exception))
        {
            store.ChangeTracker.Clear();
            return (await SentAsync(wish, cancellation), null);
        }
    }

    private Task<BulkChange?> SentAsync(Wish wish, CancellationToken cancellation) =>
        store
            .BulkChanges.AsNoTracking()
            .FirstOrDefaultAsync(row => row.Request == wish.Request && row.PersonId == wish.PersonId, cancellation);

    /// <summary>
    /// Begins to take back what one changed, whoever began that: each record is taken back with the rights of whoever wants it. Null where
    /// there is nothing to take back, or it still goes on.
    /// </summary>
    public async Task<BulkChange?> UndoAsync(long id, Guid person, CancellationToken cancellation)
    {
        if (
            await store.BulkChanges.AsNoTracking().FirstOrDefaultAsync(row => row.Id == id, cancellation)
            is not { Status: not BulkStatus.Running } bulk
        )
        {
            return null;
        }

        if (await store.BulkChanges.AsNoTracking().FirstOrDefaultAsync(row => row.Undoes == id, cancellation) is { } already)
        {
            return already;
        }

        var parts = await store
            .BulkParts.Where(part => part.BulkId == id && part.Saved != null)
            .OrderByDescending(part => part.Number)
            .Select(part => new { part.Saved, part.Done })
            .ToListAsync(cancellation);
        return parts.Count == 0
            ? null
            : await AddAsync(
                new BulkChange
                {
                    PersonId = person,
                    DatasetId = bulk.DatasetId,
                    Via = bulk.Via,
                    App = bulk.App,
                    Work = BulkWork.Undo,
                    Undoes = id,
                    Records = parts.Sum(part => part.Done),
                    At = time.GetUtcNow(),
                },
                parts.Select((part, at) => new BulkPart { Number = at, Undoes = part.Saved }),
                cancellation
            );
    }

    /// <summary>Stops one before its next part.</summary>
    public Task StopAsync(long id, Guid person, CancellationToken cancellation) =>
        store
            .BulkChanges.Where(row => row.Id == id && row.PersonId == person)
            .ExecuteUpdateAsync(row => row.SetProperty(bulk => bulk.Stops, true), cancellation);

    public Task<BulkChange?> FindAsync(long id, Guid person, CancellationToken cancellation) =>
        store.BulkChanges.AsNoTracking().FirstOrDefaultAsync(row => row.Id == id && row.PersonId == person, cancellation);

    /// <summary>The records that could not be changed, each with its reason.</summary>
    public async Task<ImmutableArray<(string Title, string Because)>> RefusedAsync(long id, CancellationToken cancellation) =>
        [
            .. (
                await store
                    .BulkParts.Where(part => part.BulkId == id && part.Refused != "[]")
                    .OrderBy(part => part.Number)
                    .Select(part => part.Refused)
                    .ToListAsync(cancellation)
            )
                .SelectMany(text => JsonSerializer.Deserialize<string[][]>(text)!)
                .Select(pair => (pair[0], pair[1])),
        ];

    /// <summary>What a trial of an import says would be added first.</summary>
    public async Task<ImmutableArray<string>> MissingAsync(long id, CancellationToken cancellation) =>
        [
            .. (
                await store
                    .BulkParts.Where(part => part.BulkId == id && part.Missing != "[]")
                    .OrderBy(part => part.Number)
                    .Select(part => part.Missing)
                    .ToListAsync(cancellation)
            )
                .SelectMany(text => JsonSerializer.Deserialize<string[]>(text)!)
                .Distinct(StringComparer.OrdinalIgnoreCase),
        ];

    // Those that nobody asks for any more go; what they changed stands in the logbook.
    private async Task<BulkChange> AddAsync(BulkChange bulk, IEnumerable<BulkPart> parts, CancellationToken cancellation)
    {
        var before = time.GetUtcNow() - Kept;
        await store.BulkChanges.Where(row => row.EndedAt < before).ExecuteDeleteAsync(cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        store.BulkChanges.Add(bulk);
        await store.SaveChangesAsync(cancellation);
        foreach (var part in parts)
        {
            part.BulkId = bulk.Id;
            store.BulkParts.Add(part);
        }

        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        store.ChangeTracker.Clear();
        return bulk;
    }
}
