using System.Data.Common;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Memory;

/// <summary>Carries out statements over records that were fetched. Their table is made when the first statement wants it.</summary>
/// <param name="dataset">The dataset.</param>
/// <param name="rows">The values of its stored fields, of each record.</param>
/// <param name="areDecided">The source gave just the records that are wanted, in the order that is wanted.</param>
internal sealed class MemoryStatements(Dataset dataset, List<object?[]> rows, bool areDecided) : Statements, IAsyncDisposable
{
    private readonly Lazy<Task<DbConnection>> _connection = new(() => MemoryTable.OpenAsync(dataset, rows, CancellationToken.None));
    private readonly SemaphoreSlim _turn = new(1);

    public override SqlEngine Engine => MemoryTable.Engine;

    public override SourceExperience Experience { get; } = new();

    public override IReadOnlyList<object?[]>? Decided => areDecided ? rows : null;

    public override async Task<List<T>> RowsAsync<T>(SqlText sql, Func<DbDataReader, T> row, CancellationToken cancellation) =>
        await Within(Engine, await _connection.Value, _turn).RowsAsync(sql, row, cancellation);

    public async ValueTask DisposeAsync()
    {
        if (_connection.IsValueCreated)
        {
            await (await _connection.Value).DisposeAsync();
        }

        _turn.Dispose();
    }
}
