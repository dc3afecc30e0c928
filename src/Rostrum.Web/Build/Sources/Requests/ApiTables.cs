using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drift;
using Rostrum.Sources;
using Rostrum.Sources.Http;
using Rostrum.Store;

namespace Rostrum.Web.Build.Sources.Requests;

/// <summary>Keeps the requests of an API as tables of its source, each with its dataset.</summary>
internal sealed class ApiTables(
    RostrumStore store,
    SourceSecrets secrets,
    WorkspaceCache workspaces,
    RecordFormat format,
    TimeProvider time
)
{
    /// <summary>The tables of a source.</summary>
    public static ImmutableArray<ApiResource> Of(StoredSource source) => ApiTrying.Resources(source.Requests);

    /// <summary>Keeps a table under its name, in the place of the one that it was; gives its dataset.</summary>
    public async Task<DatasetId> KeepAsync(Guid id, string? known, ApiResource resource, CancellationToken cancellation)
    {
        var datasets = await ChangeAsync(
            id,
            resources =>
                resources.FindIndex(other => other.Name == (known ?? resource.Name)) is >= 0 and var at
                    ? resources.SetItem(at, resource)
                    : resources.Add(resource),
            (known, resource.Name),
            cancellation
        );
        return datasets.First(dataset => dataset.Table.Name == resource.Name).Id;
    }

    /// <summary>Keeps several new tables.</summary>
    public Task AddAsync(Guid id, IReadOnlyCollection<ApiResource> added, CancellationToken cancellation) =>
        ChangeAsync(
            id,
            resources => [.. resources.Where(other => added.All(one => one.Name != other.Name)), .. added],
            (null, ""),
            cancellation
        );

    /// <summary>Removes a table; its dataset stays, and says that it is gone.</summary>
    public Task RemoveAsync(Guid id, string name, CancellationToken cancellation) =>
        ChangeAsync(id, resources => resources.RemoveAll(resource => resource.Name == name), (null, ""), cancellation);

    // The row is locked, so that what two builders save at once is both there.
    private async Task<ImmutableArray<Dataset>> ChangeAsync(
        Guid id,
        Func<ImmutableList<ApiResource>, ImmutableList<ApiResource>> change,
        (string? From, string To) renamed,
        CancellationToken cancellation
    )
    {
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var source = (await store.Sources.FromSql($"SELECT * FROM sources WHERE id = {id} FOR UPDATE").ToListAsync(cancellation))[0];
        ImmutableArray<ApiResource> resources = [.. change([.. Of(source)])];
        source.Requests = KindJson.Write(resources);
        var known = (await store.DatasetsAsync(cancellation, id)).All;
        Dataset Renamed(Dataset dataset) =>
            renamed.From is { } from && dataset.Table.Name == from
                ? dataset with
                {
                    Table = dataset.Table with { Name = renamed.To },
                }
                : dataset;
        var now = new SourceStructure([
            .. resources.Select(resource => resource.AsTable()).OrderBy(table => table.Name.Name, StringComparer.Ordinal),
        ]);
        var settings = secrets.Settings(SourceEntry.Of(source), (await workspaces.GetAsync(cancellation)).Secrets);
        ImmutableArray<Dataset> after =
        [
            .. DriftAcceptance
                .Accept(new SourceId(id), [.. known.Select(Renamed)], source.Structure, now, [], format)
                .Select(dataset => SourceConnector.Drafted(dataset, settings)),
        ];
        (source.Structure, source.ReadAt) = (now, time.GetUtcNow());
        await store.TakeAsync(after, cancellation);
        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        return after;
    }
}
