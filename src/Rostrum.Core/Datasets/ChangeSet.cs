using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>The edits one person has made to one dataset and not yet saved.</summary>
/// <remarks>Each change carries the values it started from, so that a save can tell a conflict from a change.</remarks>
public sealed record ChangeSet(DatasetId Dataset, ImmutableArray<Change> Changes)
{
    /// <summary>The messages of warnings that the person has seen, and saves in spite of.</summary>
    public ImmutableArray<string> SeenWarnings { get; init; } = [];

    /// <summary>
    /// They take back what the source did by itself with a deletion: whoever may take back that deletion needs no right of theirs.
    /// </summary>
    public bool WentAlong { get; init; }

    /// <summary>Called with all written and nothing ended yet. What it throws takes all of it back.</summary>
    public Func<BeforeEnd, Task>? BeforeEnd { get; init; }
}

/// <summary>Sets of changes of several datasets, which are made one after the other.</summary>
public static class ChangeSets
{
    /// <summary>Changes in their order: those that follow one another in the same dataset are one set.</summary>
    public static ImmutableArray<ChangeSet> Of(IEnumerable<(DatasetId Dataset, bool WentAlong, Change Change)> changes)
    {
        ArgumentNullException.ThrowIfNull(changes);
        var sets = new List<(DatasetId Dataset, bool WentAlong, List<Change> Changes)>();
        foreach (var (dataset, wentAlong, change) in changes)
        {
            if (sets is not [.., var last] || last.Dataset != dataset || last.WentAlong != wentAlong)
            {
                sets.Add(last = (dataset, wentAlong, []));
            }

            last.Changes.Add(change);
        }

        return [.. sets.Select(set => new ChangeSet(set.Dataset, [.. set.Changes]) { WentAlong = set.WentAlong })];
    }
}

/// <summary>A change and the dataset of its record.</summary>
/// <param name="Dataset">The dataset.</param>
/// <param name="Change">The change.</param>
/// <param name="WentAlong">It is of what the source did by itself with a deletion.</param>
public sealed record DatasetChange(Dataset Dataset, Change Change, bool WentAlong = false);

/// <summary>A transaction whose changes are written, and that is about to end.</summary>
/// <param name="Transaction">The source's name for it, by which the source can be asked afterwards whether it came to its end.</param>
/// <param name="Key">The record that was written last; null where it is gone.</param>
/// <param name="Title">What names that record to people.</param>
public sealed record BeforeEnd(string Transaction, RecordKey? Key, string Title)
{
    /// <summary>The places in the change set of those that are refused, where the others are saved without them.</summary>
    public ImmutableArray<int> Refused { get; init; } = [];
}

/// <summary>One record's edit.</summary>
public abstract record Change
{
    private Change() { }

    /// <summary>The record that it changes or deletes; null for a new one.</summary>
    public RecordKey? Existing => (this as Update)?.Key ?? (this as Delete)?.Key;

    /// <summary>The values with which it began, which must not have changed meanwhile.</summary>
    public FieldValues Expected => (this as Update)?.Original ?? (this as Delete)?.Original ?? FieldValues.None;

    /// <summary>A new record.</summary>
    public sealed record Insert(FieldValues Values) : Change;

    /// <summary>New values for some fields of a record.</summary>
    /// <param name="Key">Which record.</param>
    /// <param name="Original">The values the person saw, of the fields that must not have changed meanwhile.</param>
    /// <param name="Values">The new values.</param>
    public sealed record Update(RecordKey Key, FieldValues Original, FieldValues Values) : Change;

    /// <summary>The record goes.</summary>
    public sealed record Delete(RecordKey Key, FieldValues Original) : Change;

    /// <summary>A deleted record comes back, with the values that the source itself had set.</summary>
    public sealed record Restore(FieldValues Values) : Change;
}

/// <summary>What is wrong with a change, at a field or (where null) with the whole record.</summary>
public sealed record FieldProblem(FieldName? Field, string Message)
{
    /// <summary>The change can be saved all the same.</summary>
    public bool Warns { get; init; }

    /// <summary>Problems in one line, each with the label of its field.</summary>
    public static string Said(Dataset dataset, ImmutableArray<FieldProblem> problems)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return string.Join(
            " ",
            problems.Select(problem =>
                problem.Field is { } field && dataset.Find(field) is not null
                    ? $"{dataset.LabelOf(field)}: {problem.Message}"
                    : problem.Message
            )
        );
    }
}
