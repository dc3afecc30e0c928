using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Files;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.Build.Composer;

namespace Rostrum.Web.Build.Apps.Files;

/// <summary>What an import would do.</summary>
/// <param name="Read">The app that was read; null where the files are wrong.</param>
/// <param name="Existing">The app of that address that is here; null where it would be new.</param>
internal sealed record ImportPlan(AppReading.Done? Read, AppDraft? Existing)
{
    /// <summary>What is wrong with the files.</summary>
    public ImmutableArray<FileProblem> Problems { get; init; } = [];

    /// <summary>What would be otherwise than it is here.</summary>
    public ImmutableArray<AppDifference> Differences { get; init; } = [];

    /// <summary>The datasets that would be otherwise; other apps use them too.</summary>
    public ImmutableArray<Dataset> ChangedDatasets { get; init; } = [];

    /// <summary>It can be done.</summary>
    public bool IsPossible => Read is not null;
}

/// <summary>Takes apps out of the workspace as text files, and into it.</summary>
internal sealed class AppTransfer(RostrumStore store, Drafts drafts, AppWriting writing, DraftEditing editing, WorkspaceCache workspaces)
{
    /// <summary>An app's draft as files, with the datasets that it uses as they are now; null where there is no such app.</summary>
    public async Task<AppFolder?> ExportAsync(string address, CancellationToken cancellation)
    {
        if (await drafts.FindAsync(store, address, cancellation) is not { } draft)
        {
            return null;
        }

        var frozen = FrozenApp.Of(draft.Draft, await store.DatasetsAsync(cancellation));
        var sources = (await SourcesAsync(cancellation)).ToImmutableDictionary(source => source.Value, source => source.Key);
        return AppFiles.Write(new PortableApp(address, frozen, sources));
    }

    /// <summary>Datasets, and those to which they refer, as files; and what the files call each.</summary>
    public async Task<(AppFolder Folder, Func<Dataset, string> NameOf)> FilesOfAsync(
        IReadOnlyCollection<Dataset> datasets,
        CancellationToken cancellation
    )
    {
        var catalogue = await store.DatasetsAsync(cancellation);
        var frozen = FrozenApp.Of(AppDrafting.Draft("", datasets, [], catalogue, RecordOpening.Sheet), catalogue);
        var sources = (await SourcesAsync(cancellation)).ToImmutableDictionary(source => source.Value, source => source.Key);
        var portable = new PortableApp("", frozen, sources);
        return (AppFiles.Write(portable), dataset => AppFiles.NameOf(portable, dataset.Id));
    }

    /// <summary>Reads files and compares them with what is here. Nothing is changed.</summary>
    public async Task<ImportPlan> PlanAsync(AppFolder folder, CancellationToken cancellation)
    {
        var catalogue = await store.DatasetsAsync(cancellation);
        var known = new KnownDatasets(await SourcesAsync(cancellation), [.. catalogue.All]) { IsWorkspace = true };
        var reading = AppFiles.Read(folder, known);
        if (reading is AppReading.Failed failed)
        {
            return new ImportPlan(null, null) { Problems = failed.Problems };
        }

        var read = (AppReading.Done)reading;
        var frozen = read.App.Frozen with
        {
            Datasets =
            [
                .. read.App.Frozen.Datasets.Select(dataset => catalogue.Find(dataset.Id) is { } here ? dataset.DeletedAs(here) : dataset),
            ],
        };
        read = read with { App = read.App with { Frozen = frozen } };
        var existing = await drafts.FindAsync(store, read.App.Address, cancellation);
        return new ImportPlan(read, existing)
        {
            Problems = AppFiles.Check(
                read,
                new SignedIn("", null, []) { Attributes = (await workspaces.GetAsync(cancellation)).Attributes }
            ),
            Differences = existing is null ? [] : AppComparison.Between(FrozenApp.Of(existing.Draft, catalogue), frozen),
            ChangedDatasets =
            [
                .. frozen.Datasets.Where(dataset =>
                    catalogue.Find(dataset.Id) is not { } here || KindJson.Write(here) != KindJson.Write(dataset)
                ),
            ],
        };
    }

    /// <summary>
    /// Does what was planned: the datasets become what the files say, and the app's draft too. The draft's builders can take that back.
    /// </summary>
    public async Task<string> ImportAsync(ImportPlan plan, Guid person, string name, CancellationToken cancellation)
    {
        var app = plan.Read!.App;
        foreach (var dataset in plan.ChangedDatasets)
        {
            (await store.Datasets.FirstAsync(row => row.Id == dataset.Id.Value, cancellation)).Definition = dataset;
        }

        if (plan.Existing is null)
        {
            Drafts.Add(store, app.Address, app.Frozen.App);
            await writing.AllowBuildersAsync(app.Frozen, cancellation);
            await store.SaveChangesAsync(cancellation);
            return app.Address;
        }

        await store.SaveChangesAsync(cancellation);
        store.ChangeTracker.Clear();
        var restore = new AppEdit.Restore(app.Frozen.App, "Imported from files");
        await editing.EditAsync(
            app.Address,
            await store.DatasetsAsync(cancellation),
            plan.Existing.Revision,
            restore,
            person,
            name,
            regardless: true,
            cancellation
        );
        return app.Address;
    }

    private async Task<ImmutableDictionary<string, SourceId>> SourcesAsync(CancellationToken cancellation) =>
        (
            await store.Sources.AsNoTracking().Select(source => new { source.Id, source.Name }).ToListAsync(cancellation)
        ).ToImmutableDictionary(source => source.Name, source => new SourceId(source.Id));
}
