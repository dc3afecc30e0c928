using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <summary>Is told what the gate has saved, by whichever way, after it was.</summary>
public interface IRecordEvents
{
    /// <summary>Records were saved. It never throws: what was saved stays saved.</summary>
    /// <param name="dataset">Their dataset.</param>
    /// <param name="changes">What was saved of them.</param>
    Task SavedAsync(Dataset dataset, IReadOnlyCollection<SavedChange> changes);
}
