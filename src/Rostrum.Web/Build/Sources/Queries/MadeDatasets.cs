using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Build.Sources.Queries;

/// <summary>Datasets that a builder made of queries and of others.</summary>
internal static class MadeDatasets
{
    /// <summary>Removes one, with its rights. Apps that are published keep their copy, and show that it is gone.</summary>
    public static async Task RemoveAsync(RostrumStore store, DatasetId id, CancellationToken cancellation)
    {
        store.Policies.RemoveRange(await store.Policies.Where(policy => policy.DatasetId == id.Value).ToListAsync(cancellation));
        if (await store.Datasets.FirstOrDefaultAsync(row => row.Id == id.Value, cancellation) is { } row)
        {
            store.Datasets.Remove(row);
        }

        await store.SaveChangesAsync(cancellation);
    }
}
