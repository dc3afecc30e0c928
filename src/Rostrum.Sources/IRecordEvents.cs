using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <summary>Is told what the gate has saved, by whichever way.</summary>
public interface IRecordEvents
{
    /// <summary>Whether it wants to know of a dataset's records before their transaction ends.</summary>
    ValueTask<bool> HearsAsync(DatasetId dataset, CancellationToken cancellation) => ValueTask.FromResult(false);

    /// <summary>Records are written, and their transaction is about to end. What it throws takes all of it back.</summary>
    /// <param name="dataset">Their dataset.</param>
    /// <param name="changes">What is saved of them.</param>
    /// <param name="transaction">The source's name for the transaction; blank where it has none.</param>
    /// <returns>What is given back to <see cref="SavedAsync"/>.</returns>
    Task<object?> BeforeEndAsync(Dataset dataset, IReadOnlyCollection<SavedChange> changes, string transaction) =>
        Task.FromResult<object?>(null);

    /// <summary>Records were saved. It never throws: what was saved stays saved.</summary>
    /// <param name="dataset">Their dataset.</param>
    /// <param name="changes">What was saved of them.</param>
    /// <param name="told">What <see cref="BeforeEndAsync"/> gave; null where it was not asked.</param>
    Task SavedAsync(Dataset dataset, IReadOnlyCollection<SavedChange> changes, object? told);

    /// <summary>A statement that changes data was run. It never throws: what it changed stays changed.</summary>
    /// <param name="statement">The statement.</param>
    /// <param name="rows">How many rows it changed.</param>
    Task StatementRanAsync(Dataset statement, int rows) => Task.CompletedTask;
}

/// <summary>A change that is about to be written, within its transaction.</summary>
/// <param name="Gate">Reads what is there at that moment, within the transaction.</param>
/// <param name="Catalogue">The datasets.</param>
/// <param name="Dataset">The record's dataset.</param>
/// <param name="Change">The change.</param>
/// <param name="Before">The record's values before it; none of a new one.</param>
/// <param name="Grants">The rights of who makes it.</param>
public sealed record GuardedChange(
    RecordGate Gate,
    DatasetCatalogue Catalogue,
    Dataset Dataset,
    Change Change,
    FieldValues Before,
    Grants Grants
);

/// <summary>What guards say of a change.</summary>
/// <param name="Amended">Values that are saved in the place of those that were entered.</param>
/// <param name="Problem">Why it is not saved; null where it is.</param>
public sealed record GuardAnswer(FieldValues Amended, FieldProblem? Problem);

/// <summary>Is asked before a record is saved, by whichever way.</summary>
public interface ISaveGuards
{
    /// <summary>Whether anybody guards a dataset's records against any of some changes.</summary>
    /// <param name="dataset">The dataset.</param>
    /// <param name="changes">The changes; null where they are decided later.</param>
    /// <param name="cancellation">Ends the wait.</param>
    ValueTask<bool> GuardsAsync(DatasetId dataset, IReadOnlyCollection<Change>? changes, CancellationToken cancellation);

    /// <summary>What the guards say of a change.</summary>
    Task<GuardAnswer> AskAsync(GuardedChange change, CancellationToken cancellation);
}

/// <summary>Who is asked before records are saved, and told after it.</summary>
/// <param name="Events">Is told.</param>
/// <param name="Guards">Is asked.</param>
public sealed record SaveHooks(IRecordEvents? Events, ISaveGuards? Guards);
