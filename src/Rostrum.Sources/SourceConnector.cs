using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Sources;

/// <summary>What came of asking a source for its structure.</summary>
public abstract record StructureResult
{
    private StructureResult() { }

    /// <summary>The structure, and what the values say of relations that no key declares.</summary>
    public sealed record Read(SourceStructure Structure, ImmutableArray<RelationEvidence> Evidence) : StructureResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : StructureResult;
}

/// <summary>Tries connections, and reads what sources say of themselves. It reads no records.</summary>
public static class SourceConnector
{
    private const int MostCandidates = 60;

    /// <summary>Connects once; null when that works and there is something to read.</summary>
    public static Task<SourceFailure?> TestAsync(
        SourceSettings settings,
        CancellationToken cancellation,
        SourceServices? services = null
    ) =>
        ConnectAsync<SourceFailure?>(
            settings,
            async (source, token) =>
            {
                var kind = SourceKind.Find(settings.Kind)!;
                if (kind.HasRequests)
                {
                    await source.PingAsync(token);
                    return null;
                }

                return (await source.ReadStructureAsync(withValues: false, token)).Tables.IsEmpty
                    ? new SourceFailure(
                        FailureReason.NoRight,
                        kind.Empty
                            ?? (
                                kind.IsFile
                                    ? "It can be opened, but there is no table in it."
                                    : $"The connection works, but user “{settings.User}” may read no table in “{settings.Database}”."
                            )
                    )
                    : null;
            },
            failure => failure,
            services,
            cancellation
        );

    /// <summary>Whether a source answers: null where it does, else why not.</summary>
    public static Task<SourceFailure?> AskAsync(SourceSettings settings, CancellationToken cancellation, SourceServices? services = null) =>
        ConnectAsync<SourceFailure?>(
            settings,
            async (source, token) =>
            {
                await source.PingAsync(token);
                return null;
            },
            failure => failure,
            services,
            cancellation
        );

    /// <summary>Reads tables, columns and keys, and weighs relations that only the values imply.</summary>
    public static Task<StructureResult> ReadStructureAsync(
        SourceSettings settings,
        CancellationToken cancellation,
        SourceServices? services = null
    ) =>
        ConnectAsync<StructureResult>(
            settings,
            async (source, token) =>
            {
                var structure = await source.ReadStructureAsync(withValues: true, token);
                var evidence = ImmutableArray.CreateBuilder<RelationEvidence>();
                foreach (var candidate in ImpliedRelations.Candidates(structure).Take(MostCandidates))
                {
                    evidence.Add(await source.WeighAsync(candidate, token));
                }

                return new StructureResult.Read(structure, evidence.ToImmutable());
            },
            failure => new StructureResult.Failed(failure),
            services,
            cancellation
        );

    /// <summary>A dataset that was drafted of a source's structure, with what the source can do.</summary>
    public static Dataset Drafted(Dataset dataset, SourceSettings settings)
    {
        ArgumentNullException.ThrowIfNull(settings);
        return SourceProvider.Of(settings.Kind).Drafted(dataset, settings);
    }

    private static async Task<T> ConnectAsync<T>(
        SourceSettings settings,
        Func<ISource, CancellationToken, Task<T>> work,
        Func<SourceFailure, T> failed,
        SourceServices? services,
        CancellationToken cancellation
    )
    {
        await using var source = SourceConnections.Open(settings, services);
        try
        {
            return await work(source, cancellation);
        }
        catch (Exception exception) when (source.IsExpected(exception))
        {
            return failed(source.FailureOf(exception));
        }
    }
}
