using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

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
    /// <summary>How many records were changed in the same go.</summary>
    public int Together { get; init; } = 1;
}

/// <summary>The logbook of a record, as the rights of whoever looks let them see it now; and what takes changes back.</summary>
internal sealed class RecordLogbook(RostrumStore store, WorkspaceCache workspaces, RecordGate gate, RecordFormat format)
{
    /// <summary>How many changes are shown at a time.</summary>
    public const int OnPage = 20;

    /// <summary>The changes of a record, the newest first, and the number before which older ones are; null without such.</summary>
    public async Task<(ImmutableArray<LogChange> Changes, long? Older)> ReadAsync(
        Dataset dataset,
        string key,
        long? before,
        Grants grants,
        CancellationToken cancellation
    )
    {
        var entries = await store
            .LogEntries.AsNoTracking()
            .Where(entry => entry.DatasetId == dataset.Id.Value && entry.Key == key && (before == null || entry.Id < before))
            .OrderByDescending(entry => entry.Id)
            .Take(OnPage + 1)
            .ToListAsync(cancellation);
        var older = entries.Count > OnPage ? entries[OnPage - 1].Id : (long?)null;
        entries = [.. entries.Take(OnPage)];
        var batches = entries.Select(entry => entry.Batch).Distinct().ToArray();
        var together = await store
            .LogEntries.Where(entry => batches.Contains(entry.Batch))
            .GroupBy(entry => entry.Batch)
            .Select(group => new { group.Key, Count = group.Count() })
            .ToDictionaryAsync(group => group.Key, group => group.Count, cancellation);
        var readable = grants.For(dataset.Id).Readable;
        var values = entries.ToDictionary(
            entry => entry.Id,
            entry => LoggedValues.Read(dataset, entry.Fields).Where(value => readable.Has(value.Field.Name)).ToImmutableArray()
        );
        var titles = await TitlesAsync(dataset, [.. values.Values.SelectMany(known => known)], grants, cancellation);
        string Shown(Field field, object? value) =>
            value is null ? "" : titles.GetValueOrDefault((field.Name, value)) ?? format.Display(field, value);
        ImmutableArray<LogChange> changes =
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
                    Together = together.GetValueOrDefault(entry.Batch, 1),
                })
                .Where(change => change.Kind != "changed" || !change.Lines.IsEmpty),
        ];
        return (changes, older);
    }

    /// <summary>Takes a change back: refused as a conflict where one of its fields was changed since.</summary>
    /// <param name="id">The change.</param>
    /// <param name="overwrites">What was changed since is overwritten: whoever asks has seen it.</param>
    /// <param name="grants">The rights of whoever asks.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <returns>What came of it; null where there is nothing to take back.</returns>
    public async Task<SaveResult?> UndoAsync(long id, bool overwrites, Grants grants, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (
            await store.LogEntries.AsNoTracking().FirstOrDefaultAsync(entry => entry.Id == id, cancellation)
                is not { Inverse: { } text } entry
            || workspace.Datasets.Find(new DatasetId(entry.DatasetId)) is not { } dataset
            || ChangeText.Read(dataset, text) is not { } inverse
        )
        {
            return null;
        }

        if (overwrites && await CurrentAsync(workspace.Datasets, dataset, inverse, grants, cancellation) is { } current)
        {
            inverse = inverse switch
            {
                Change.Update update => update with { Original = Now(update.Original, current) },
                Change.Delete delete => delete with { Original = Now(delete.Original, current) },
                _ => inverse,
            };
        }

        return await gate.UndoAsync(workspace.Datasets, new ChangeSet(dataset.Id, [inverse]), grants, cancellation);
    }

    /// <summary>Takes back all that was saved in the same go as a change: all of it, or nothing.</summary>
    /// <param name="id">The change.</param>
    /// <param name="grants">The rights of whoever asks.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <returns>What came of it; null where some of it cannot be taken back.</returns>
    public async Task<SaveResult?> UndoTogetherAsync(long id, Grants grants, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var batch = await store.LogEntries.Where(entry => entry.Id == id).Select(entry => entry.Batch).FirstOrDefaultAsync(cancellation);
        var entries = await store
            .LogEntries.AsNoTracking()
            .Where(entry => entry.Batch == batch)
            .OrderByDescending(entry => entry.Id)
            .ToListAsync(cancellation);
        if (entries.Count == 0 || workspace.Datasets.Find(new DatasetId(entries[0].DatasetId)) is not { } dataset)
        {
            return null;
        }

        var inverses = entries.Select(entry => entry.Inverse is { } text ? ChangeText.Read(dataset, text) : null).ToArray();
        return inverses.Contains(null)
            ? null
            : await gate.UndoAsync(workspace.Datasets, new ChangeSet(dataset.Id, [.. inverses.OfType<Change>()]), grants, cancellation);
    }

    /// <summary>The changes since one that stand in the way of taking it back, the newest first.</summary>
    public async Task<ImmutableArray<LogChange>> SinceAsync(
        Dataset dataset,
        string key,
        long id,
        Grants grants,
        CancellationToken cancellation
    ) => [.. (await ReadAsync(dataset, key, null, grants, cancellation)).Changes.Where(change => change.Id > id)];

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

        var readable = grants.For(dataset.Id).Readable;
        var values = LoggedValues.Read(dataset, last.Fields).Where(value => readable.Has(value.Field.Name)).ToArray();
        var request = ReadRequest.Of(dataset, key) with { Fields = [.. values.Select(value => value.Field.Name)] };
        var catalogue = (await workspaces.GetAsync(cancellation)).Datasets;
        return last.Kind == "deleted"
            || (
                await gate.ReadAsync(catalogue, request, grants, cancellation) is ReadResult.Rows { Records: [var record] }
                && values.Any(value => !FieldText.SameValue(record[value.Field.Name], value.After))
            );
    }

    private static FieldValues Now(FieldValues original, Record current) =>
        original.Fields.Aggregate(original, (all, field) => current.Has(field) ? all.With(field, current[field]) : all);

    private async Task<Record?> CurrentAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        Change inverse,
        Grants grants,
        CancellationToken cancellation
    )
    {
        var key = (inverse as Change.Update)?.Key ?? (inverse as Change.Delete)?.Key;
        if (key is null)
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
