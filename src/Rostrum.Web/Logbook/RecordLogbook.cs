using System.Collections.Immutable;
using System.Diagnostics;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Logbook;

/// <summary>One field of a change, as people read it.</summary>
/// <param name="Label">The field.</param>
/// <param name="Before">Its value before; blank where it had none.</param>
/// <param name="After">Its value after.</param>
internal sealed record LogLine(string Label, string Before, string After);

/// <summary>A change of a record, as whoever looks may see it.</summary>
/// <param name="Id">Its number.</param>
/// <param name="At">When.</param>
/// <param name="By">Who.</param>
/// <param name="Via">Through what.</param>
/// <param name="Kind">Added, changed or deleted.</param>
/// <param name="Lines">The fields that were changed, as far as they may be seen.</param>
/// <param name="CanUndo">It can be taken back.</param>
internal sealed record LogChange(
    long Id,
    DateTimeOffset At,
    string By,
    string Via,
    string Kind,
    ImmutableArray<LogLine> Lines,
    bool CanUndo
)
{
    /// <summary>The record's key as text.</summary>
    public string Key { get; init; } = "";

    /// <summary>What named it then.</summary>
    public string Title { get; init; } = "";

    /// <summary>How many records were changed in the same go.</summary>
    public int Together { get; init; } = 1;

    /// <summary>The change of many records of which it is a part; null where it is of none.</summary>
    public long? Bulk { get; init; }
}

/// <summary>A change that could not be taken back.</summary>
/// <param name="Id">Its number.</param>
/// <param name="Because">Why not.</param>
internal sealed record RefusedUndo(long Id, string Because)
{
    /// <summary>Changes since, that stand in its way.</summary>
    public ImmutableArray<LogChange> Since { get; init; } = [];

    /// <summary>Of several changes that were saved in one go, one record was changed since.</summary>
    public static RefusedUndo OfSeveral(long id, Record? current) =>
        new(id, $"“{current?.Title ?? "One of the records"}” was changed since. Undo the records one by one: each says what.");
}

/// <summary>Which changes of a dataset's records are wanted; what is null or blank narrows nothing.</summary>
/// <param name="By">A part of who made them.</param>
/// <param name="Title">A part of the record's name.</param>
/// <param name="Kind">Added, changed or deleted.</param>
/// <param name="Field">A field that they changed.</param>
/// <param name="From">From when.</param>
/// <param name="To">Until before when.</param>
internal sealed record LogFilter(string By, string Title, string Kind, string Field, DateTimeOffset? From, DateTimeOffset? To);

/// <summary>The logbook of a record, as the rights of whoever looks let them see it now; and what takes changes back.</summary>
internal sealed class RecordLogbook(RostrumStore store, WorkspaceCache workspaces, RecordGate gate, RecordFormat format)
{
    /// <summary>How many changes are shown at a time.</summary>
    public const int OnPage = 20;

    private const int MostLooked = 500;
    private const int MostPages = 10;
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(1);
    private static readonly TimeSpan Often = TimeSpan.FromMilliseconds(25);
    private static readonly TimeSpan Recent = TimeSpan.FromSeconds(10);

    // What was saved a moment ago is still being written down, and whoever saved it looks for it here.
    private async Task WaitForNewestAsync(Dataset dataset, CancellationToken cancellation)
    {
        var since = format.Clock.GetUtcNow() - Recent;
        var waiting = await store
            .SavedRecords.Where(row => row.DatasetId == dataset.Id.Value && row.At > since)
            .Select(row => row.Id)
            .ToArrayAsync(cancellation);
        var began = Stopwatch.GetTimestamp();
        while (
            waiting.Length > 0
            && Stopwatch.GetElapsedTime(began) < LongestWait
            && await store.SavedRecords.AnyAsync(row => waiting.Contains(row.Id), cancellation)
        )
        {
            await Task.Delay(Often, cancellation);
        }
    }

    /// <summary>The changes of a record, the newest first, and the number before which older ones are; null without such.</summary>
    public async Task<(ImmutableArray<LogChange> Changes, long? Older)> ReadAsync(
        Dataset dataset,
        string key,
        long? before,
        Grants grants,
        CancellationToken cancellation
    )
    {
        if (before is null)
        {
            await WaitForNewestAsync(dataset, cancellation);
        }

        var entries = await store
            .LogEntries.AsNoTracking()
            .Where(entry => entry.DatasetId == dataset.Id.Value && entry.Key == key && (before == null || entry.Id < before))
            .OrderByDescending(entry => entry.Id)
            .Take(OnPage + 1)
            .ToListAsync(cancellation);
        var older = entries.Count > OnPage ? entries[OnPage - 1].Id : (long?)null;
        return (await ShownAsync(dataset, [.. entries.Take(OnPage)], grants, cancellation), older);
    }

    /// <summary>
    /// The changes of all of a dataset's records that somebody sees, the newest first, as far as a filter lets them through.
    /// </summary>
    public async Task<(ImmutableArray<LogChange> Changes, long? Older)> ReadAllAsync(
        Dataset dataset,
        LogFilter filter,
        long? before,
        Grants grants,
        CancellationToken cancellation
    )
    {
        if (before is null)
        {
            await WaitForNewestAsync(dataset, cancellation);
        }

        var catalogue = (await workspaces.GetAsync(cancellation)).Datasets;
        var shown = ImmutableArray.CreateBuilder<LogChange>();
        for (var looked = 0; looked < MostPages; looked++)
        {
            var from = before;
            var entries = await Matching(dataset, filter)
                .Where(entry => from == null || entry.Id < from)
                .OrderByDescending(entry => entry.Id)
                .Take(OnPage)
                .ToListAsync(cancellation);
            RecordKey[] keys = [.. entries.Select(entry => RecordKey.Parse(dataset, entry.Key)).OfType<RecordKey>().Distinct()];
            var seen = (await gate.SeenAsync(catalogue, dataset, keys, grants, cancellation))
                .Select(key => key.ToText(dataset))
                .ToHashSet();
            shown.AddRange(await ShownAsync(dataset, [.. entries.Where(entry => seen.Contains(entry.Key))], grants, cancellation));
            if (entries.Count < OnPage)
            {
                return (shown.ToImmutable(), null);
            }

            before = entries[^1].Id;
            if (shown.Count >= OnPage)
            {
                break;
            }
        }

        return (shown.ToImmutable(), before);
    }

    private IQueryable<LogEntry> Matching(Dataset dataset, LogFilter filter)
    {
        var wanted = store.LogEntries.AsNoTracking().Where(entry => entry.DatasetId == dataset.Id.Value);
        if (filter.By.Length > 0)
        {
            wanted = wanted.Where(entry => EF.Functions.ILike(entry.PersonName, $"%{LikePattern.Literally(filter.By)}%", "\\"));
        }

        if (filter.Title.Length > 0)
        {
            wanted = wanted.Where(entry => EF.Functions.ILike(entry.Title, $"%{LikePattern.Literally(filter.Title)}%", "\\"));
        }

        if (filter.Kind.Length > 0)
        {
            wanted = wanted.Where(entry => entry.Kind == filter.Kind);
        }

        if (filter.Field.Length > 0)
        {
            var named = JsonSerializer.Serialize(filter.Field) + ":";
            wanted = wanted.Where(entry => entry.Fields.Contains(named));
        }

        wanted = filter.From is { } from ? wanted.Where(entry => entry.At >= from) : wanted;
        return filter.To is { } to ? wanted.Where(entry => entry.At < to) : wanted;
    }

    private async Task<ImmutableArray<LogChange>> ShownAsync(
        Dataset dataset,
        IReadOnlyList<LogEntry> entries,
        Grants grants,
        CancellationToken cancellation
    )
    {
        var batches = entries.Select(entry => entry.Batch).Distinct().ToArray();
        var occasions = entries.Select(entry => entry.Occasion).OfType<string>().Distinct().ToArray();
        var together = await store
            .LogEntries.Where(entry =>
                (entry.Occasion == null && batches.Contains(entry.Batch)) || (entry.Occasion != null && occasions.Contains(entry.Occasion))
            )
            .GroupBy(entry => new { entry.Occasion, Batch = entry.Occasion == null ? entry.Batch : 0 })
            .Select(group => new { group.Key, Count = group.Count() })
            .ToDictionaryAsync(group => (group.Key.Occasion, group.Key.Batch), group => group.Count, cancellation);
        var bulks = await store
            .BulkParts.Where(part => part.Saved != null && batches.Contains(part.Saved.Value))
            .Join(
                store.BulkChanges,
                part => part.BulkId,
                bulk => bulk.Id,
                (part, bulk) =>
                    new
                    {
                        Batch = part.Saved!.Value,
                        bulk.Id,
                        bulk.Done,
                    }
            )
            .ToDictionaryAsync(part => part.Batch, cancellation);
        var catalogue = (await workspaces.GetAsync(cancellation)).Datasets;
        var keys = entries
            .Select(entry => entry.Key)
            .Distinct()
            .Select(text => (text, Key: RecordKey.Parse(dataset, text)))
            .Where(known => known.Key is not null)
            .ToDictionary(known => known.text, known => known.Key!);
        var grantOf = await gate.GrantsOfAsync(catalogue, dataset, keys.Values, grants, cancellation);
        var values = entries.ToDictionary(
            entry => entry.Id,
            entry =>
            {
                var grant = keys.TryGetValue(entry.Key, out var key) ? grantOf(key) : grants.For(dataset.Id).Of(_ => false);
                return LoggedValues.Read(dataset, entry.Fields).Where(value => grant.Readable.Has(value.Field.Name)).ToImmutableArray();
            }
        );
        var titles = await TitlesAsync(dataset, [.. values.Values.SelectMany(known => known)], grants, cancellation);
        string Shown(Field field, object? value) =>
            value is null ? "" : titles.GetValueOrDefault((field.Name, value)) ?? format.Display(field, value);
        return
        [
            .. entries
                .Select(entry => new LogChange(
                    entry.Id,
                    entry.At,
                    entry.PersonName,
                    entry.Via,
                    entry.Kind,
                    [
                        .. values[entry.Id]
                            .Select(value => new LogLine(
                                dataset.LabelOf(value.Field.Name),
                                Shown(value.Field, value.Before),
                                Shown(value.Field, value.After)
                            )),
                    ],
                    entry.Inverse is not null
                )
                {
                    Key = entry.Key,
                    Title = entry.Title,
                    Bulk = bulks.GetValueOrDefault(entry.Batch)?.Id,
                    Together = bulks.GetValueOrDefault(entry.Batch)?.Done ?? together.GetValueOrDefault(GoOf(entry), 1),
                })
                .Where(change => change.Kind != "changed" || !change.Lines.IsEmpty),
        ];
    }

    private static (string? Occasion, long Batch) GoOf(LogEntry entry) =>
        entry.Occasion is null ? (null, entry.Batch) : (entry.Occasion, 0);

    /// <summary>Takes a change back: refused as a conflict where one of its fields was changed since.</summary>
    /// <param name="id">The change.</param>
    /// <param name="overwrites">What was changed since is overwritten: whoever asks has seen it.</param>
    /// <param name="grants">The rights of whoever asks.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <returns>What came of it; null where there is nothing to take back.</returns>
    public async Task<SaveResult?> UndoAsync(long id, bool overwrites, Grants grants, CancellationToken cancellation)
    {
        var catalogue = (await workspaces.GetAsync(cancellation)).Datasets;
        if (
            await store.LogEntries.AsNoTracking().FirstOrDefaultAsync(entry => entry.Id == id, cancellation) is not { } entry
            || Inverses(catalogue, entry) is not { } inverses
        )
        {
            return null;
        }

        if (overwrites)
        {
            inverses = await OverwritingAsync(catalogue, inverses, grants, cancellation);
        }

        return await gate.UndoAsync(catalogue, inverses, grants, cancellation);
    }

    /// <summary>Takes back all that was saved in the same go as a change, of whatever datasets: all of it, or nothing.</summary>
    /// <param name="id">The change.</param>
    /// <param name="grants">The rights of whoever asks.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <returns>What came of it; null where some of it cannot be taken back.</returns>
    public async Task<SaveResult?> UndoTogetherAsync(long id, Grants grants, CancellationToken cancellation)
    {
        var catalogue = (await workspaces.GetAsync(cancellation)).Datasets;
        if (await store.LogEntries.AsNoTracking().FirstOrDefaultAsync(entry => entry.Id == id, cancellation) is not { } one)
        {
            return null;
        }

        var wanted = store.LogEntries.AsNoTracking();
        wanted = one.Occasion is { } occasion
            ? wanted.Where(entry => entry.Occasion == occasion)
            : wanted.Where(entry => entry.Occasion == null && entry.Batch == one.Batch);
        var entries = await wanted.OrderByDescending(entry => entry.Id).ToListAsync(cancellation);

        // What went along with a deletion has an entry of its own, and is brought back with that deletion.
        var inverses = entries.Select(entry => Inverses(catalogue, entry)).ToArray();
        if (inverses.Length == 0 || inverses.Contains(null))
        {
            return null;
        }

        var changes =
            from set in inverses.SelectMany(sets => sets!.Value)
            from change in set.Changes
            select (set.Dataset, set.WentAlong, Change: change);
        var all = ChangeSets.Of(changes.DistinctBy(one => (one.Dataset, one.Change)));
        return await gate.UndoAsync(catalogue, all, grants, cancellation);
    }

    private static ImmutableArray<ChangeSet>? Inverses(DatasetCatalogue catalogue, LogEntry entry) =>
        entry.Inverse is { } text && catalogue.Find(new DatasetId(entry.DatasetId)) is { } dataset
            ? ChangeText.Read(catalogue, dataset, text)
            : null;

    /// <summary>Who changed which fields of some records last, and when: by the record's key and the field.</summary>
    public async Task<IReadOnlyDictionary<(string Key, string Field), string>> LastChangesAsync(
        Dataset dataset,
        IReadOnlyCollection<string> keys,
        CancellationToken cancellation
    )
    {
        var entries = await store
            .LogEntries.AsNoTracking()
            .Where(entry => entry.DatasetId == dataset.Id.Value && keys.Contains(entry.Key))
            .OrderByDescending(entry => entry.Id)
            .Take(MostLooked)
            .Select(entry => new
            {
                entry.Key,
                entry.Fields,
                entry.PersonName,
                entry.At,
            })
            .ToListAsync(cancellation);
        var last = new Dictionary<(string, string), string>();
        foreach (var entry in entries)
        {
            foreach (var value in LoggedValues.Read(dataset, entry.Fields))
            {
                last.TryAdd(
                    (entry.Key, value.Field.Name.Value),
                    $"{entry.PersonName}, {format.Display(new FieldType.Instant(), entry.At)}"
                );
            }
        }

        return last;
    }

    /// <summary>What stands in the way of taking a change back: those since, the newest first.</summary>
    public async Task<RefusedUndo> InTheWayAsync(Dataset dataset, string key, long id, Grants grants, CancellationToken cancellation)
    {
        ImmutableArray<LogChange> since =
        [
            .. (await ReadAsync(dataset, key, null, grants, cancellation)).Changes.Where(change => change.Id > id),
        ];
        return new RefusedUndo(id, since.IsEmpty ? "It was changed elsewhere since, past Rostrum." : "It was changed since:")
        {
            Since = since,
        };
    }

    /// <summary>Why a change was not taken back.</summary>
    public static string Because(Dataset dataset, SaveResult? result) =>
        result switch
        {
            SaveResult.Conflict => "The record is not there any more.",
            SaveResult.Denied denied => denied.Reason,
            SaveResult.Invalid invalid => FieldProblem.Said(dataset, invalid.Problems),
            SaveResult.Uncertain => "It is not certain whether this was undone. Check the record before you try again.",
            SaveResult.Failed failed => failed.Failure.Message,
            _ => "It cannot be undone any more: the structure has changed since.",
        };

    /// <summary>Whether a record holds something else than its last entry says: it was changed past Rostrum.</summary>
    public async Task<bool> IsChangedElsewhereAsync(Dataset dataset, RecordKey key, Grants grants, CancellationToken cancellation)
    {
        var text = key.ToText(dataset);
        var last = await store
            .LogEntries.AsNoTracking()
            .Where(entry => entry.DatasetId == dataset.Id.Value && entry.Key == text)
            .OrderByDescending(entry => entry.Id)
            .Select(entry => new { entry.Kind, entry.Fields })
            .FirstOrDefaultAsync(cancellation);
        if (last is null)
        {
            return false;
        }

        var catalogue = (await workspaces.GetAsync(cancellation)).Datasets;
        var readable = (await gate.GrantsOfAsync(catalogue, dataset, [key], grants, cancellation))(key).Readable;
        var values = LoggedValues.Read(dataset, last.Fields).Where(value => readable.Has(value.Field.Name)).ToArray();
        var request = ReadRequest.Of(dataset, key) with { Fields = [.. values.Select(value => value.Field.Name)] };
        return last.Kind == "deleted"
            || (
                await gate.ReadAsync(catalogue, request, grants, cancellation) is ReadResult.Rows { Records: [var record] }
                && values.Any(value => !FieldText.SameValue(record[value.Field.Name], value.After))
            );
    }

    private static FieldValues Now(FieldValues original, Record current) =>
        original.Fields.Aggregate(original, (all, field) => current.Has(field) ? all.With(field, current[field]) : all);

    // What is there now is what is expected to be there.
    private async Task<ImmutableArray<ChangeSet>> OverwritingAsync(
        DatasetCatalogue catalogue,
        ImmutableArray<ChangeSet> inverses,
        Grants grants,
        CancellationToken cancellation
    )
    {
        var sets = ImmutableArray.CreateBuilder<ChangeSet>();
        foreach (var set in inverses)
        {
            var changes = ImmutableArray.CreateBuilder<Change>();
            foreach (var change in set.Changes)
            {
                var current = await CurrentAsync(catalogue, catalogue.Find(set.Dataset)!, change, grants, cancellation);
                changes.Add(
                    (change, current) switch
                    {
                        (Change.Update update, { } now) => update with { Original = Now(update.Original, now) },
                        (Change.Delete delete, { } now) => delete with { Original = Now(delete.Original, now) },
                        _ => change,
                    }
                );
            }

            sets.Add(set with { Changes = changes.ToImmutable() });
        }

        return sets.ToImmutable();
    }

    private async Task<Record?> CurrentAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        Change inverse,
        Grants grants,
        CancellationToken cancellation
    )
    {
        if (inverse.Existing is not { } key)
        {
            return null;
        }

        var request = ReadRequest.Of(dataset, key) with { Fields = [.. dataset.StoredFields.Select(field => field.Name)] };
        return await gate.ReadAsync(catalogue, request, grants, cancellation) is ReadResult.Rows { Records: [var record] } ? record : null;
    }

    // What a field led to is read by its title of today, as far as it may be seen.
    private async Task<Dictionary<(FieldName Field, object Value), string>> TitlesAsync(
        Dataset dataset,
        IReadOnlyCollection<LoggedValue> values,
        Grants grants,
        CancellationToken cancellation
    )
    {
        var titles = new Dictionary<(FieldName, object), string>();
        var catalogue = (await workspaces.GetAsync(cancellation)).Datasets;
        foreach (var group in values.GroupBy(value => value.Field.Name))
        {
            if (
                dataset.RelationOf(group.Key) is not { } relation
                || catalogue.Find(relation.Target) is not { } target
                || !grants.For(target.Id).Allows(Verbs.View)
            )
            {
                continue;
            }

            object[] wanted = [.. group.SelectMany(value => new[] { value.Before, value.After }).OfType<object>().Distinct()];
            var request = new ReadRequest(target.Id)
            {
                Fields = [relation.TargetField],
                Filter = new Filter.OneOf(relation.TargetField, [.. wanted]),
                Window = new PageWindow.FromStart(0, wanted.Length),
            };
            if (await gate.ReadAsync(catalogue, request, grants, cancellation) is ReadResult.Rows rows)
            {
                foreach (var record in rows.Records.Where(record => record[relation.TargetField] is not null))
                {
                    titles[(group.Key, record[relation.TargetField]!)] = record.Title;
                }
            }
        }

        return titles;
    }
}
