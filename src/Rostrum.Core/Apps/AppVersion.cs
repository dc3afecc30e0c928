using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps;

/// <summary>What publishing freezes: the app and the datasets that it uses, with all to which their relations lead.</summary>
public sealed record FrozenApp(AppDefinition App, ImmutableArray<Dataset> Datasets)
{
    /// <summary>Freezes an app with its datasets as they are now.</summary>
    public static FrozenApp Of(AppDefinition app, DatasetCatalogue catalogue)
    {
        ArgumentNullException.ThrowIfNull(app);
        ArgumentNullException.ThrowIfNull(catalogue);
        var frozen = new Dictionary<DatasetId, Dataset>();
        var waiting = new Queue<DatasetId>(app.Datasets);
        while (waiting.TryDequeue(out var id))
        {
            if (catalogue.Find(id) is { } dataset && frozen.TryAdd(id, dataset))
            {
                foreach (var relation in dataset.Relations)
                {
                    waiting.Enqueue(relation.Target);
                }
            }
        }

        return new FrozenApp(app, [.. frozen.Values]);
    }
}
