using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.People;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Build.Apps;

/// <summary>Drafts and publishes apps.</summary>
internal sealed class AppWriting(RostrumStore store, CurrentPerson person, TimeProvider time)
{
    private static readonly TimeSpan EditsKept = TimeSpan.FromDays(30);

    /// <summary>
    /// Drafts an app, open to builders alone. Builders may do everything with its datasets, and see those to which they refer.
    /// </summary>
    /// <param name="name">What people call it.</param>
    /// <param name="datasets">What it is about.</param>
    /// <param name="catalogue">All datasets.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <param name="opening">Where a record opens.</param>
    /// <param name="audience">Other roles that see its pages. They may view its records from then on, if they could not before.</param>
    /// <returns>The app's address.</returns>
    public async Task<string> DraftAsync(
        string name,
        IReadOnlyCollection<Dataset> datasets,
        DatasetCatalogue catalogue,
        CancellationToken cancellation,
        RecordOpening opening = RecordOpening.Sheet,
        IReadOnlyCollection<string>? audience = null
    )
    {
        var address = await FreshAddressAsync(name, cancellation);
        ImmutableArray<string> roles = [Role.Builder, .. (audience ?? []).Where(role => role != Role.Builder)];
        var definition = AppDrafting.Draft(name, datasets, roles, catalogue, opening);
        Drafts.Add(store, address, definition);
        var frozen = FrozenApp.Of(definition, catalogue);
        await AllowBuildersAsync(frozen, cancellation);
        foreach (var dataset in frozen.Datasets)
        {
            foreach (var role in roles.Skip(1))
            {
                await AllowAsync(role, dataset, Verbs.View | Verbs.Download | Verbs.ReadNotes, cancellation);
            }
        }

        await store.SaveChangesAsync(cancellation);
        return address;
    }

    /// <summary>An address for an app of a name, which no other app has.</summary>
    public async Task<string> FreshAddressAsync(string name, CancellationToken cancellation)
    {
        var taken = (await store.Apps.Select(app => app.Address).ToListAsync(cancellation)).ToHashSet(StringComparer.Ordinal);
        var wish = Wording.Address(name);
        var address = wish;
        for (var at = 2; taken.Contains(address); at++)
        {
            address = $"{wish}-{at}";
        }

        return address;
    }

    /// <summary>Builders may do everything with an app's datasets, and see those to which they refer.</summary>
    public async Task AllowBuildersAsync(FrozenApp app, CancellationToken cancellation)
    {
        var shown = app.App.Datasets.ToHashSet();
        foreach (var dataset in app.Datasets)
        {
            await AllowAsync(
                Role.Builder,
                dataset,
                shown.Contains(dataset.Id) ? Verbs.All : Verbs.View | Verbs.Download | Verbs.ReadNotes,
                cancellation
            );
        }
    }

    /// <summary>Sets what a role may do with a dataset's records: exactly this.</summary>
    public async Task SetAsync(string role, DatasetId dataset, Verbs verbs, CancellationToken cancellation)
    {
        var policy = await store.Policies.FindAsync([role, dataset.Value], cancellation);
        if (policy is null && verbs != Verbs.None)
        {
            store.Policies.Add(
                new StoredPolicy
                {
                    Role = role,
                    DatasetId = dataset.Value,
                    Verbs = verbs,
                }
            );
        }
        else if (policy is { IsWhole: true } && verbs == Verbs.None)
        {
            store.Policies.Remove(policy);
        }
        else if (policy is not null)
        {
            policy.Verbs = verbs;
        }
    }

    /// <summary>Freezes a draft as the next version, and makes that one live.</summary>
    /// <exception cref="DbUpdateException">Somebody else has edited or published it since.</exception>
    public async Task<int> PublishAsync(AppDraft draft, string note, string publishedBy, CancellationToken cancellation)
    {
        var datasets = await store.DatasetsAsync(cancellation);
        var last = await store
            .Versions.AsNoTracking()
            .Where(version => version.AppId == draft.Id)
            .OrderByDescending(version => version.Number)
            .Select(version => new { version.Number, version.DraftRevision })
            .FirstOrDefaultAsync(cancellation);
        var number = (last?.Number ?? 0) + 1;
        store.Versions.Add(
            new StoredVersion
            {
                AppId = draft.Id,
                Number = number,
                Note = note,
                Frozen = FrozenApp.Of(draft.Draft, datasets),
                DraftRevision = draft.Revision,
                PublishedBy = publishedBy,
                PublishedAt = time.GetUtcNow(),
            }
        );
        var app = await store.Apps.FirstAsync(row => row.Id == draft.Id, cancellation);
        if (app.Revision != draft.Revision)
        {
            throw new DbUpdateConcurrencyException("The draft is newer than the one that is published.");
        }

        app.LiveVersion = number;
        app.Revision++;
        await store.SaveChangesAsync(cancellation);
        await ForgetOldEditsAsync(draft.Id, last?.DraftRevision ?? 0, cancellation);
        return number;
    }

    // Of edits that were published before the last time, and of very old ones, the words stay.
    private async Task ForgetOldEditsAsync(Guid app, int published, CancellationToken cancellation)
    {
        var old = time.GetUtcNow() - EditsKept;
        await store
            .Edits.Where(edit => edit.AppId == app && edit.Edit != null && (edit.Revision <= published || edit.At < old))
            .ExecuteUpdateAsync(
                edit => edit.SetProperty(row => row.Edit, (AppEdit?)null).SetProperty(row => row.Inverse, (AppEdit?)null),
                cancellation
            );
    }

    // Who may not set rights gives none by drafting an app. Of people whom records refer to, the names are enough.
    private async Task AllowAsync(string role, Dataset dataset, Verbs verbs, CancellationToken cancellation)
    {
        if (person.Id is not null && !await person.MayAsync(WorkspacePermissions.ManageRights, cancellation))
        {
            return;
        }

        var known = await store.Policies.FindAsync([role, dataset.Id.Value], cancellation);
        await SetAsync(role, dataset.Id, (known?.Verbs ?? Verbs.None) | verbs, cancellation);
        if (
            known is null
            && dataset.Table == WorkspacePeople.Table
            && await store.Policies.FindAsync([role, dataset.Id.Value], cancellation) is { } made
        )
        {
            made.HiddenFields =
            [
                .. dataset
                    .Fields.Select(field => field.Name.Value)
                    .Except([WorkspacePeople.Key, WorkspacePeople.Name], StringComparer.Ordinal),
            ];
        }
    }
}
