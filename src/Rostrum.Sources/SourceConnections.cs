using System.Collections.Concurrent;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <summary>Each source that is reached, for as long as its settings stay the same.</summary>
internal sealed class SourceConnections(SourceServices? services) : IAsyncDisposable
{
    public SourceServices Services { get; } = services ?? SourceServices.Alone;

    private readonly ConcurrentDictionary<SourceId, (SourceSettings Settings, ISource Source)> _sources = new();

    public ISource For(SourceId id, SourceSettings settings)
    {
        // Nearly always it is known as it is, and nobody need wait for anybody.
        if (_sources.TryGetValue(id, out var known) && known.Settings == settings)
        {
            // Settings that were read anew are the same object from the next time on, and need not be compared.
            if (!ReferenceEquals(known.Settings, settings))
            {
                _sources.TryUpdate(id, (settings, known.Source), known);
            }

            return known.Source;
        }

        var entry = _sources.AddOrUpdate(
            id,
            _ => (settings, Open(settings, Services)),
            (_, old) =>
            {
                if (old.Settings == settings)
                {
                    return old;
                }

                old.Source.Dispose();
                return (settings, Open(settings, Services));
            }
        );
        return entry.Source;
    }

    /// <summary>One of its own, for trying a connection out.</summary>
    public static ISource Open(SourceSettings settings, SourceServices? services = null) =>
        SourceProvider.Of(settings.Kind).Reach(settings, services ?? SourceServices.Alone);

    public async ValueTask DisposeAsync()
    {
        foreach (var (_, source) in _sources.Values)
        {
            await source.DisposeAsync();
        }
    }
}
