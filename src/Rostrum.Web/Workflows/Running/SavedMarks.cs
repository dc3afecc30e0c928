using System.Data.Common;
using System.Threading.Channels;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>
/// Marks what was written down of saves as saved, in their order: from then on it stands in the logbook, and workflows begin. Nobody who
/// saves waits for it; saves that follow one another quickly are marked together. One whose mark is lost is asked after in its source.
/// </summary>
internal sealed partial class SavedMarks(IDbContextFactory<RostrumStore> stores, WorkSignal signal, ILogger<SavedMarks> log)
    : BackgroundService
{
    private static readonly TimeSpan Gathered = TimeSpan.FromMilliseconds(10);
    private readonly Channel<long> _saved = Channel.CreateUnbounded<long>(new UnboundedChannelOptions { SingleReader = true });

    /// <summary>What stands under a number is saved.</summary>
    public void Add(long id) => _saved.Writer.TryWrite(id);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            while (await _saved.Reader.WaitToReadAsync(stoppingToken))
            {
                await Task.Delay(Gathered, stoppingToken);
                await MarkAsync();
            }
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
        {
            await MarkAsync();
        }
    }

    private async Task MarkAsync()
    {
        var ids = new List<long>();
        while (_saved.Reader.TryRead(out var id))
        {
            ids.Add(id);
        }

        if (ids.Count == 0)
        {
            return;
        }

        try
        {
            await using var store = await stores.CreateDbContextAsync();
            await store.Database.ExecuteSqlAsync(
                $"WITH saved AS (UPDATE saved_records SET is_saved = true WHERE id = ANY({ids})) SELECT pg_notify({WorkSignal.Channel}, '')"
            );
            signal.Wake();
        }
        catch (Exception exception) when (exception is DbException or InvalidOperationException or TimeoutException)
        {
            LogUnmarked(exception, ids.Count);
        }
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "The logbook and workflows hear later of {Count} saves")]
    private partial void LogUnmarked(Exception exception, int count);
}
