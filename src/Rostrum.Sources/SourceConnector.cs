using System.Collections.Immutable;
using System.Data.Common;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Sql;

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
    public static async Task<SourceFailure?> TestAsync(SourceSettings settings, CancellationToken cancellation) =>
        await ConnectAsync<SourceFailure?>(
            settings,
            async (engine, connection, token) =>
                (await engine.ReadStructureAsync(connection, token)).Tables.IsEmpty
                    ? new SourceFailure(
                        FailureReason.NoRight,
                        engine.Describes.IsFile
                            ? "It can be opened, but there is no table in it."
                            : $"The connection works, but user “{settings.User}” may read no table in “{settings.Database}”."
                    )
                    : null,
            failure => failure,
            cancellation
        );

    /// <summary>Whether a source answers: null where it does, else why not.</summary>
    public static Task<SourceFailure?> AskAsync(SourceSettings settings, CancellationToken cancellation) =>
        ConnectAsync<SourceFailure?>(
            settings,
            async (engine, connection, token) =>
            {
                await using var command = connection.CreateCommand();
                command.CommandText = "SELECT 1";
                await command.ExecuteScalarAsync(token);
                return null;
            },
            failure => failure,
            cancellation
        );

    /// <summary>Reads tables, columns and keys, and weighs relations that only the values imply.</summary>
    public static Task<StructureResult> ReadStructureAsync(SourceSettings settings, CancellationToken cancellation) =>
        ConnectAsync<StructureResult>(
            settings,
            async (engine, connection, token) =>
            {
                var structure = await engine.WithValuesAsync(connection, await engine.ReadStructureAsync(connection, token), token);
                var evidence = ImmutableArray.CreateBuilder<RelationEvidence>();
                foreach (var candidate in ImpliedRelations.Candidates(structure).Take(MostCandidates))
                {
                    evidence.Add(await engine.WeighAsync(connection, candidate, token));
                }

                return new StructureResult.Read(structure, evidence.ToImmutable());
            },
            failure => new StructureResult.Failed(failure),
            cancellation
        );

    private static async Task<T> ConnectAsync<T>(
        SourceSettings settings,
        Func<SqlEngine, DbConnection, CancellationToken, Task<T>> work,
        Func<SourceFailure, T> failed,
        CancellationToken cancellation
    )
    {
        var engine = SqlEngines.Of(settings.Kind);
        try
        {
            await using var pool = SourceConnections.Open(settings);
            await using var connection = await pool.OpenConnectionAsync(cancellation);
            return await work(engine, connection, cancellation);
        }
        catch (Exception exception) when (engine.IsExpected(exception))
        {
            return failed(engine.FailureOf(exception, settings));
        }
    }
}
