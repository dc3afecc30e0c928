using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Build.Sources;

/// <summary>Connects a source: tries it, reads its structure, and drafts a dataset from each of its tables.</summary>
internal sealed class SourceSetUp(
    RostrumStore store,
    SourceSecrets secrets,
    SourceFiles files,
    WorkspaceCache workspaces,
    SourceServices services,
    RecordFormat format,
    TimeProvider time
)
{
    /// <summary>What came of it: the source, or why there is none.</summary>
    public async Task<(StoredSource? Source, string? Refusal)> ConnectAsync(
        string name,
        SourceSettings settings,
        CancellationToken cancellation
    )
    {
        if (await store.Sources.AnyAsync(source => source.Name == name, cancellation))
        {
            return (null, $"There is a source named “{name}” already. Choose another name.");
        }

        var all = (await workspaces.GetAsync(cancellation)).Secrets;
        var reached = files.Placed(settings) with { Secrets = secrets.Named(settings.Options + settings.Requests, all) };
        if (await SourceConnector.TestAsync(reached, cancellation, services) is { } failure)
        {
            return (null, failure.Message);
        }

        if (await SourceConnector.ReadStructureAsync(reached, cancellation, services) is not StructureResult.Read read)
        {
            return (null, "The connection was lost while the tables were being read. Try again.");
        }

        var source = new StoredSource
        {
            Id = Guid.NewGuid(),
            Name = name,
            Kind = settings.Kind,
            Host = settings.Host,
            Port = settings.Port,
            Database = settings.Database,
            UserName = settings.User,
            ProtectedPassword = secrets.Protect(settings.Password),
            Encrypted = settings.Encrypted,
            Options = settings.Options,
            Requests = settings.Requests,
            Structure = read.Structure,
            ReadAt = time.GetUtcNow(),
        };
        store.Sources.Add(source);
        var drafted = DatasetDrafting.Draft(new SourceId(source.Id), read.Structure, read.Evidence, format, _ => new DatasetId(
            Guid.NewGuid()
        ));
        await store.TakeAsync([.. drafted.Select(dataset => SourceConnector.Drafted(dataset, settings))], cancellation);
        await store.SaveChangesAsync(cancellation);
        return (source, null);
    }
}
