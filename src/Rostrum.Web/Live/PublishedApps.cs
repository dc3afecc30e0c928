using System.Collections.Concurrent;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.Operation;

namespace Rostrum.Web.Live;

/// <summary>An app ready to be shown, with the datasets to which it refers. Where it has no version, it is the draft.</summary>
internal sealed record RunningApp(string Address, AppDefinition Definition, DatasetCatalogue Datasets, int? Version)
{
    /// <summary>A version as it was frozen.</summary>
    public FrozenApp Frozen => new(Definition, [.. Datasets.All]);

    /// <summary>In how many things a draft differs from it.</summary>
    public int ChangesTo(AppDefinition draft, DatasetCatalogue catalogue) =>
        AppComparison.Between(Frozen, FrozenApp.Of(draft, catalogue)).Length;
}

/// <summary>Finds apps. A version is read once and kept, as it never changes; of a draft, its revision is asked each time.</summary>
internal sealed class PublishedApps(IDbContextFactory<RostrumStore> stores, WorkspaceCache workspaces, Drafts drafts)
{
    private readonly ConcurrentDictionary<(Guid App, int Version), RunningApp> _versions = new();

    public async Task<RunningApp?> LiveAsync(string address, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (workspace.Apps.FirstOrDefault(app => app.Address == address) is not { LiveVersion: { } number } entry)
        {
            return null;
        }

        if (_versions.TryGetValue((entry.Id, number), out var known))
        {
            Telemetry.VersionAsked(atHand: true);
            return known;
        }

        Telemetry.VersionAsked(atHand: false);
        await using var store = await stores.CreateDbContextAsync(cancellation);
        var version = await store.Versions.AsNoTracking().FirstAsync(row => row.AppId == entry.Id && row.Number == number, cancellation);
        return _versions.GetOrAdd(
            (entry.Id, number),
            new RunningApp(address, version.Frozen.App, new DatasetCatalogue(version.Frozen.Datasets), number)
        );
    }

    public async Task<RunningApp?> DraftAsync(string address, CancellationToken cancellation)
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        return await drafts.FindAsync(store, address, cancellation) is { } app
            ? new RunningApp(address, app.Draft, (await workspaces.GetAsync(cancellation)).Datasets, null)
            : null;
    }
}
