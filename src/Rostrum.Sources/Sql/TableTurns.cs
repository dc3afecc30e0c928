using System.Collections.Concurrent;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Turns at the tables of a source: no table may have more than a part of the source's connections, so that one which is locked or slow
/// leaves the others theirs.
/// </summary>
internal sealed class TableTurns
{
    /// <summary>A source's connections.</summary>
    public const int Connections = 30;

    /// <summary>
    /// Statements that can be at one table at the same moment. Fewer would make a busy table wait although it is quick; those that are left
    /// are enough for the others while one does not come to an end.
    /// </summary>
    public const int AtOneTable = 24;

    /// <summary>How long a statement waits for its turn: as long as for a connection.</summary>
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(5);

    private static readonly TimeSpan ShortWait = TimeSpan.FromMilliseconds(250);

    private readonly ConcurrentDictionary<string, SemaphoreSlim> _tables = new(StringComparer.Ordinal);

    /// <summary>A turn, to be disposed of once the statement is through.</summary>
    /// <exception cref="TimeoutException">Others are at the table, and do not come to an end.</exception>
    public async Task<IDisposable> TakeAsync(string? table, CancellationToken cancellation)
    {
        if (table is null)
        {
            return new Turn([]);
        }

        var turns = Of(table);
        return await turns.WaitAsync(LongestWait, cancellation)
            ? new Turn([turns])
            : throw new TimeoutException($"“{table}” is busy: {AtOneTable} statements wait for it already.");
    }

    /// <summary>Turns at several tables at once, where none has to be waited for long; null where one would.</summary>
    public async Task<IDisposable?> TryTakeAsync(IEnumerable<string> tables, CancellationToken cancellation)
    {
        var taken = new List<SemaphoreSlim>();

        // In one order everywhere, so that no two wait for each other.
        foreach (var turns in tables.Distinct(StringComparer.Ordinal).Order(StringComparer.Ordinal).Select(Of))
        {
            if (!await turns.WaitAsync(ShortWait, cancellation))
            {
                new Turn(taken).Dispose();
                return null;
            }

            taken.Add(turns);
        }

        return new Turn(taken);
    }

    private SemaphoreSlim Of(string table) => _tables.GetOrAdd(table, _ => new SemaphoreSlim(AtOneTable, AtOneTable));

    private sealed class Turn(IReadOnlyCollection<SemaphoreSlim> taken) : IDisposable
    {
        private bool _isOver;

        public void Dispose()
        {
            if (_isOver)
            {
                return;
            }

            _isOver = true;
            foreach (var turns in taken)
            {
                turns.Release();
            }
        }
    }
}
