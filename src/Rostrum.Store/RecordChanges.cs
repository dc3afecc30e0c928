using System.Collections.Concurrent;
using System.Threading.Channels;
using Microsoft.Extensions.Logging;
using Npgsql;

namespace Rostrum.Store;

/// <summary>Tells open pages, on every node, of which datasets records were saved.</summary>
/// <remarks>Saves that follow one another are told of once. What is told is that something was saved, never what.</remarks>
public sealed partial class RecordChanges(NpgsqlDataSource source, ILogger<RecordChanges> log)
{
    internal const string Channel = "rostrum_records";
    private static readonly TimeSpan Gathered = TimeSpan.FromMilliseconds(200);

    private readonly ConcurrentDictionary<Guid, bool> _saved = [];
    private readonly ConcurrentDictionary<Listener, bool> _listeners = [];

    /// <summary>Records of a dataset were saved on this node.</summary>
    public void Saved(Guid dataset)
    {
        if (_saved.TryAdd(dataset, true))
        {
            _ = TellAsync(dataset);
        }
    }

    /// <summary>Hears of what is saved from now on, until it is disposed of.</summary>
    public Listener Listen()
    {
        var listener = new Listener(this);
        _listeners.TryAdd(listener, true);
        return listener;
    }

    internal void Heard(string payload)
    {
        if (Guid.TryParse(payload, out var dataset))
        {
            foreach (var listener in _listeners.Keys)
            {
                listener.Datasets.Writer.TryWrite(dataset);
            }
        }
    }

    // What is saved from here on is told of by itself.
    private async Task TellAsync(Guid dataset)
    {
        await Task.Delay(Gathered);
        _saved.TryRemove(dataset, out _);
        try
        {
            await using var notify = source.CreateCommand("SELECT pg_notify($1, $2)");
            notify.Parameters.Add(new NpgsqlParameter<string> { TypedValue = Channel });
            notify.Parameters.Add(new NpgsqlParameter<string> { TypedValue = dataset.ToString() });
            await notify.ExecuteNonQueryAsync();
        }
        catch (Exception exception) when (exception is NpgsqlException or TimeoutException or InvalidOperationException)
        {
            LogUntold(exception.Message);
            Heard(dataset.ToString());
        }
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "Other nodes were not told of a save: {Reason}")]
    private partial void LogUntold(string reason);

    /// <summary>One open page.</summary>
    public sealed class Listener : IDisposable
    {
        private const int MostWaiting = 200;
        private readonly RecordChanges _changes;

        internal Listener(RecordChanges changes) => _changes = changes;

        internal Channel<Guid> Datasets { get; } =
            System.Threading.Channels.Channel.CreateBounded<Guid>(
                new BoundedChannelOptions(MostWaiting) { FullMode = BoundedChannelFullMode.DropOldest }
            );

        /// <summary>The datasets of which records were saved.</summary>
        public ChannelReader<Guid> Saved => Datasets.Reader;

        /// <summary>Hears of nothing more.</summary>
        public void Dispose() => _changes._listeners.TryRemove(this, out _);
    }
}
