using System.Collections.Immutable;
using System.Data.Common;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>A source that is reached: what the gate needs of one, whatever its kind.</summary>
internal interface ISource : IDisposable, IAsyncDisposable
{
    /// <summary>Readies what a request wants to know.</summary>
    Task<Look> LookAsync(Wanted wanted, Gathering? gathering, CancellationToken cancellation);

    /// <summary>Readies what changes concern.</summary>
    /// <param name="dataset">The dataset.</param>
    /// <param name="changes">The changes.</param>
    /// <param name="cancellation">Ends the wait.</param>
    Task<Writing> WriteAsync(Dataset dataset, IReadOnlyCollection<Change> changes, CancellationToken cancellation);

    /// <summary>Null where it answers; else why not.</summary>
    Task PingAsync(CancellationToken cancellation);

    /// <summary>Its tables, with what their values say.</summary>
    Task<SourceStructure> ReadStructureAsync(bool withValues, CancellationToken cancellation);

    /// <summary>How many of a candidate's different values stand in the target's key.</summary>
    Task<RelationEvidence> WeighAsync(RelationCandidate candidate, CancellationToken cancellation);

    /// <summary>Whether an exception is the source's or the network's, and so is expected to happen.</summary>
    bool IsExpected(Exception exception);

    /// <summary>What went wrong, in words that say what to do.</summary>
    SourceFailure FailureOf(Exception exception);
}

/// <summary>What is to be read.</summary>
/// <param name="Dataset">The dataset.</param>
/// <param name="Request">The request, as far as it is allowed.</param>
/// <param name="Seen">The records that the person may see.</param>
/// <param name="IsPage">A page of records is wanted, and not something over all of them.</param>
/// <param name="Told">Takes what the source was asked.</param>
internal sealed record Wanted(Dataset Dataset, ReadRequest Request, Filter Seen, bool IsPage, Action<SourceCall>? Told)
{
    /// <summary>
    /// A field that the person may read of some records and not of others: what is asked of it is decided where that is known, and not by
    /// the source.
    /// </summary>
    public Func<FieldName, bool> IsSometimesHidden { get; init; } = _ => false;

    /// <summary>
    /// What of the request's filter a source may decide before memory does: nothing where it looks at records beside the one in question,
    /// which may be among those that the rest of it leaves out.
    /// </summary>
    public Filter Narrowing => Request.Filter.LooksAtOthers.Any() ? new Filter.Everything() : Request.Filter;

    /// <summary>No kept answer will do.</summary>
    public bool IsFresh { get; init; }
}

/// <summary>What a request is answered from.</summary>
/// <param name="Statements">Carries out statements over it.</param>
/// <param name="Request">The request to put to it.</param>
internal record Look(Statements Statements, ReadRequest Request) : IAsyncDisposable
{
    /// <summary>The answer, where it stands in the whole.</summary>
    public virtual ReadResult Placed(ReadResult result) => result;

    public virtual ValueTask DisposeAsync() => ValueTask.CompletedTask;
}

/// <summary>Where changes are made.</summary>
/// <param name="Engine">Its language.</param>
/// <param name="Connection">The connection.</param>
internal record Writing(SqlEngine Engine, DbConnection Connection) : IAsyncDisposable
{
    /// <summary>
    /// Carries changes that were found to be sound to where the records are; null where they are there already. It gives them as they were
    /// made, up to the first that was refused, and why.
    /// </summary>
    public Func<
        ImmutableArray<SavedChange>,
        CancellationToken,
        Task<(ImmutableArray<SavedChange> Made, SaveResult? Refusal)>
    >? Carry { get; init; }

    public virtual async ValueTask DisposeAsync() => await Connection.DisposeAsync();
}
