using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>What a person has typed into one cell of a grid.</summary>
/// <param name="Text">The text, as it was typed.</param>
/// <param name="Original">The value with which the edit began, exactly; null for a blank.</param>
/// <param name="Shown">What people read for it, where that is not the text: the title of a record.</param>
public sealed record UnsavedCell(string Text, string? Original, string? Shown = null);

/// <summary>What a person has changed of one record and not yet saved.</summary>
public sealed record UnsavedRow
{
    /// <summary>The record is not there yet.</summary>
    public bool IsNew { get; init; }

    /// <summary>It is marked for deletion.</summary>
    public bool IsDeleted { get; init; }

    /// <summary>The cells that were typed into, by their fields.</summary>
    public ImmutableSortedDictionary<string, UnsavedCell> Cells { get; init; } =
        ImmutableSortedDictionary.Create<string, UnsavedCell>(StringComparer.Ordinal);

    /// <summary>Nothing of it is to be saved.</summary>
    internal bool IsNothing => !IsNew && !IsDeleted && Cells.IsEmpty;
}

/// <summary>Rows as they were before a step was done; null for one that was not there.</summary>
public sealed record UnsavedStep(ImmutableSortedDictionary<string, UnsavedRow?> Before);

/// <summary>Rows that are being saved, as they were when that began: by a workflow's run, or in a transaction of their source.</summary>
/// <param name="Rows">The rows.</param>
public sealed record HandedRows(ImmutableSortedDictionary<string, UnsavedRow> Rows)
{
    /// <summary>The workflow's run; null where a transaction saves them.</summary>
    public long? Run { get; init; }

    /// <summary>The source's name for the transaction; null where a workflow saves them.</summary>
    public string? Transaction { get; init; }
}

/// <summary>The edits of a grid that are not saved yet, by the keys of their records, with what takes them back one by one.</summary>
public sealed record UnsavedChanges
{
    /// <summary>How many steps can be taken back.</summary>
    public const int MostSteps = 200;

    private const string NewPrefix = "new-";

    /// <summary>Nothing is unsaved.</summary>
    public static UnsavedChanges None { get; } = new();

    /// <summary>The rows; those that are new in the order in which they were added.</summary>
    public ImmutableSortedDictionary<string, UnsavedRow> Rows { get; init; } =
        ImmutableSortedDictionary.Create<string, UnsavedRow>(StringComparer.Ordinal);

    /// <summary>What can be undone, the last step at the end.</summary>
    public ImmutableArray<UnsavedStep> Past { get; init; } = [];

    /// <summary>What can be done again, the next step at the end.</summary>
    public ImmutableArray<UnsavedStep> Future { get; init; } = [];

    /// <summary>How many rows there have been that were new.</summary>
    public int Added { get; init; }

    /// <summary>What is being saved; null where nothing is.</summary>
    public HandedRows? Handed { get; init; }

    /// <summary>Nothing is unsaved.</summary>
    public bool IsEmpty => Rows.IsEmpty;

    /// <summary>There is nothing to be kept.</summary>
    public bool IsNothing => IsEmpty && Past.IsEmpty && Future.IsEmpty && Handed is null;

    /// <summary>How many records are changed, new, and to be deleted.</summary>
    public (int Changed, int New, int Deleted) Counts =>
        (
            Rows.Values.Count(row => row is { IsNew: false, IsDeleted: false }),
            Rows.Values.Count(row => row.IsNew),
            Rows.Values.Count(row => row.IsDeleted)
        );

    /// <summary>What was typed into cells; a cell with null is as it was.</summary>
    public UnsavedChanges Typed(IEnumerable<(string Row, string Field, UnsavedCell? Cell)> cells)
    {
        ArgumentNullException.ThrowIfNull(cells);
        return Step(
            cells
                .GroupBy(cell => cell.Row, StringComparer.Ordinal)
                .Select(group =>
                {
                    var row = Rows.GetValueOrDefault(group.Key) ?? new UnsavedRow();
                    return KeyValuePair.Create(
                        group.Key,
                        group.Aggregate(row, (known, cell) =>
                            known with
                            {
                                Cells = cell.Cell is { } typed
                                    ? known.Cells.SetItem(cell.Field, Begun(known, cell.Field, typed))
                                    : known.Cells.Remove(cell.Field),
                            }
                        )
                    );
                })
        );
    }

    /// <summary>Records that are to be deleted, or are not any more; of new ones nothing is left.</summary>
    public UnsavedChanges Marked(IEnumerable<string> rows, bool deleted)
    {
        ArgumentNullException.ThrowIfNull(rows);
        return Step(
            rows.Distinct(StringComparer.Ordinal)
                .Select(key =>
                    Rows.GetValueOrDefault(key) is { IsNew: true } && deleted
                        ? KeyValuePair.Create(key, new UnsavedRow())
                        : KeyValuePair.Create(key, (Rows.GetValueOrDefault(key) ?? new UnsavedRow()) with { IsDeleted = deleted })
                )
        );
    }

    /// <summary>New records at the end, with the keys that they have until they are saved.</summary>
    public (UnsavedChanges After, ImmutableArray<string> Keys) WithNew(int count)
    {
        ImmutableArray<string> keys = [.. Enumerable.Range(Added + 1, count).Select(number => $"{NewPrefix}{number:000000}")];
        var after = Step(keys.Select(key => KeyValuePair.Create(key, new UnsavedRow { IsNew = true })));
        return (after with { Added = Added + count }, keys);
    }

    /// <summary>Whether a key is one of a record that is not saved yet.</summary>
    public static bool IsNewKey(string key) => key?.StartsWith(NewPrefix, StringComparison.Ordinal) == true;

    /// <summary>The edits of a cell go on from another value than that with which they began.</summary>
    public UnsavedChanges Rebased(string row, string field, string? original) =>
        Rows.GetValueOrDefault(row)?.Cells.GetValueOrDefault(field) is { } cell
            ? this with
            {
                Rows = Rows.SetItem(row, Rows[row] with { Cells = Rows[row].Cells.SetItem(field, cell with { Original = original }) }),
            }
            : this;

    /// <summary>Whether rows are still as they were.</summary>
    public bool Has(IEnumerable<KeyValuePair<string, UnsavedRow>> rows)
    {
        ArgumentNullException.ThrowIfNull(rows);
        return rows.All(row => Rows.TryGetValue(row.Key, out var now) && Same(now, row.Value));
    }

    /// <summary>A workflow has begun to save some rows.</summary>
    public UnsavedChanges HandedTo(long run, IEnumerable<KeyValuePair<string, UnsavedRow>> rows) =>
        this with
        {
            Handed = new HandedRows(rows.ToImmutableSortedDictionary(StringComparer.Ordinal)) { Run = run },
        };

    /// <summary>A transaction is about to end that saves some rows.</summary>
    public UnsavedChanges SavedIn(string transaction, IEnumerable<KeyValuePair<string, UnsavedRow>> rows) =>
        this with
        {
            Handed = new HandedRows(rows.ToImmutableSortedDictionary(StringComparer.Ordinal)) { Transaction = transaction },
        };

    /// <summary>What was saving rows has ended.</summary>
    /// <param name="saved">They are saved; otherwise they still are to be.</param>
    public UnsavedChanges Settled(bool saved) =>
        (saved && Handed is { } handed ? Without(handed.Rows.Select(row => (row.Key, row.Value, (string?)null))) : this) with
        {
            Handed = null,
        };

    /// <summary>What is left once some rows were saved: they cannot be taken back here any more.</summary>
    /// <param name="saved">
    /// The rows as they were saved, each with the key that its record has now; null where that is as before. What was typed into them
    /// since is left.
    /// </param>
    public UnsavedChanges Without(IEnumerable<(string Key, UnsavedRow Saved, string? KeyNow)> saved)
    {
        ArgumentNullException.ThrowIfNull(saved);
        var rows = Rows.ToBuilder();
        foreach (var (key, row, keyNow) in saved)
        {
            if (!rows.TryGetValue(key, out var now) || !rows.Remove(key) || row.IsDeleted)
            {
                continue;
            }

            var left = new UnsavedRow
            {
                IsDeleted = now.IsDeleted,
                Cells = now.Cells.RemoveRange(
                    now.Cells.Where(cell => row.Cells.GetValueOrDefault(cell.Key) == cell.Value).Select(cell => cell.Key)
                ),
            };
            if (!left.IsNothing && (keyNow is not null || !row.IsNew))
            {
                rows[keyNow ?? key] = left;
            }
        }

        return this with
        {
            Rows = rows.ToImmutable(),
            Past = [],
            Future = [],
        };
    }

    /// <summary>The last step taken back; the same where there is none.</summary>
    public UnsavedChanges Undone() => Past is [.., var step] ? Back(step) with { Past = Past[..^1], Future = Future.Add(Now(step)) } : this;

    /// <summary>The step that was taken back last done again; the same where there is none.</summary>
    public UnsavedChanges Redone() =>
        Future is [.., var step] ? Back(step) with { Past = Past.Add(Now(step)), Future = Future[..^1] } : this;

    /// <summary>The same with its last two steps as one: they are undone together.</summary>
    public UnsavedChanges Joined() =>
        Past is [.., var first, var second]
            ? this with
            {
                Past = [.. Past[..^2], new UnsavedStep(second.Before.SetItems(first.Before))],
            }
            : this;

    // An edit begins with the value that was there at its first key.
    private static UnsavedCell Begun(UnsavedRow row, string field, UnsavedCell typed) =>
        row.Cells.GetValueOrDefault(field) is { } before ? typed with { Original = before.Original } : typed;

    private UnsavedChanges Step(IEnumerable<KeyValuePair<string, UnsavedRow>> rows)
    {
        var changed = rows.Where(row => !Same(Rows.GetValueOrDefault(row.Key), row.Value)).ToArray();
        if (changed.Length == 0)
        {
            return this;
        }

        var step = new UnsavedStep(
            changed.ToImmutableSortedDictionary(row => row.Key, row => Rows.GetValueOrDefault(row.Key), StringComparer.Ordinal)
        );
        var past = Past.Add(step);
        return this with
        {
            Rows = With(changed.Select(row => KeyValuePair.Create(row.Key, (UnsavedRow?)row.Value))),
            Past = past.Length > MostSteps ? past[^MostSteps..] : past,
            Future = [],
        };
    }

    private static bool Same(UnsavedRow? one, UnsavedRow other) =>
        one is null
            ? other.IsNothing
            : one.IsNew == other.IsNew && one.IsDeleted == other.IsDeleted && one.Cells.SequenceEqual(other.Cells);

    private UnsavedChanges Back(UnsavedStep step) => this with { Rows = With(step.Before) };

    private UnsavedStep Now(UnsavedStep step) =>
        new(step.Before.Keys.ToImmutableSortedDictionary(key => key, key => Rows.GetValueOrDefault(key), StringComparer.Ordinal));

    private ImmutableSortedDictionary<string, UnsavedRow> With(IEnumerable<KeyValuePair<string, UnsavedRow?>> rows) =>
        rows.Aggregate(Rows, (all, row) =>
            row.Value is null || row.Value.IsNothing ? all.Remove(row.Key) : all.SetItem(row.Key, row.Value)
        );
}
