using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>One change that was saved.</summary>
/// <param name="Applied">The change.</param>
/// <param name="Key">The record, as it is named now; null where it is gone.</param>
/// <param name="Title">What names it to people.</param>
/// <param name="Inverse">The change that takes it back; null where nothing can.</param>
public sealed record SavedChange(Change Applied, RecordKey? Key, string Title, Change? Inverse)
{
    /// <summary>The record's values before it; null where they were not looked at.</summary>
    public FieldValues? Before { get; init; }

    /// <summary>The record's values after it; null where they were not looked at.</summary>
    public FieldValues? After { get; init; }

    /// <summary>
    /// What the source did by itself with it, where it is a deletion: in the order in which it can be taken back, after the deletion.
    /// </summary>
    public ImmutableArray<SavedAlong> Along { get; init; } = [];

    /// <summary>What takes it back with all that the source did along, in order; empty where nothing can.</summary>
    /// <param name="dataset">The record's dataset.</param>
    public IEnumerable<DatasetChange> Inverses(Dataset dataset) =>
        Inverse is null
            ? []
            :
            [
                new DatasetChange(dataset, Inverse),
                .. Along.Select(along => new DatasetChange(along.Dataset, along.Change.Inverse!, WentAlong: true)),
            ];
}

/// <summary>A record that the source deleted or changed by itself, because another was deleted.</summary>
/// <param name="Dataset">The record's dataset.</param>
/// <param name="Change">What was done.</param>
public sealed record SavedAlong(Dataset Dataset, SavedChange Change);

/// <summary>What is to become of a record that is locked.</summary>
public abstract record Decided
{
    private Decided() { }

    /// <summary>This change of it.</summary>
    public sealed record Write(Change Change) : Decided;

    /// <summary>Nothing, for this reason.</summary>
    public sealed record Not(string Reason) : Decided;
}

/// <summary>
/// What came of a <see cref="ChangeSet"/>. Only with <c>Saved</c>, and perhaps with <c>Uncertain</c>, was anything written.
/// </summary>
public abstract record SaveResult
{
    private SaveResult() { }

    /// <summary>All of it is written.</summary>
    public sealed record Saved(ImmutableArray<SavedChange> Changes) : SaveResult;

    /// <summary>A record is no longer what it was when the edit began.</summary>
    /// <param name="Change">The change that met it.</param>
    /// <param name="Current">The record as it is now; null where it was deleted.</param>
    public sealed record Conflict(Change Change, Record? Current) : SaveResult;

    /// <summary>Values that cannot be.</summary>
    public sealed record Invalid(ImmutableArray<FieldProblem> Problems) : SaveResult;

    /// <summary>Rules warn of it. Saved with these messages among those seen, it is written.</summary>
    public sealed record Warned(ImmutableArray<FieldProblem> Problems) : SaveResult;

    /// <summary>The person may not.</summary>
    public sealed record Denied(string Reason) : SaveResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : SaveResult;

    /// <summary>The source was lost while the changes were about to be kept: nobody knows whether they were.</summary>
    public sealed record Uncertain(SourceFailure Failure) : SaveResult
    {
        /// <summary>What people are told.</summary>
        public const string Words =
            "It is not certain whether this was saved: the connection to the database was lost. Check the record before you save again.";
    }
}

/// <summary>What came of a statement that changes data.</summary>
public abstract record StatementResult
{
    private StatementResult() { }

    /// <summary>It was run.</summary>
    /// <param name="Rows">How many rows it changed, as the database counts them.</param>
    public sealed record Done(int Rows) : StatementResult;

    /// <summary>The person may not.</summary>
    public sealed record Denied(string Reason) : StatementResult;

    /// <summary>The database refused it, or could not: nothing was changed, or nobody knows whether.</summary>
    public sealed record Failed(SourceFailure Failure) : StatementResult;
}
