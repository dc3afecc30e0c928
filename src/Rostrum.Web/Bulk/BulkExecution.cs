using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.OwnTables;
using Rostrum.Web.Imports;
using Rostrum.Web.Live;
using Rostrum.Web.People;
using Rostrum.Web.Workflows.Running;
using Rostrum.Web.Workflows.Running.Carriers;

namespace Rostrum.Web.Bulk;

/// <summary>
/// Makes a change of many records, part by part, with the rights that the person has at each part. A part that was under way when a node
/// was lost is made again only where its source says that it was not made.
/// </summary>
internal sealed class BulkExecution(
    IDbContextFactory<RostrumStore> stores,
    WorkspaceCache workspaces,
    PublishedApps apps,
    PersonRecords people,
    RecordGate gate,
    RecordFormat format,
    RecordChanges pages,
    TimeProvider time
)
{
    private static readonly TimeSpan BeforeAsking = TimeSpan.FromMilliseconds(200);
    private const int MostAsked = 100;

    private const int MostReasons = 1_000;

    /// <summary>Goes on with one until it is over.</summary>
    public async Task GoOnAsync(long id, CancellationToken cancellation)
    {
        while (true)
        {
            await using var store = await stores.CreateDbContextAsync(cancellation);
            var bulk = await store.BulkChanges.FirstAsync(row => row.Id == id, cancellation);
            if (bulk.Status is not BulkStatus.Running)
            {
                return;
            }

            var part = await store
                .BulkParts.Where(row => row.BulkId == id && !row.IsOver)
                .OrderBy(row => row.Number)
                .FirstOrDefaultAsync(cancellation);
            if (part is null)
            {
                await EndAsync(store, bulk, BulkStatus.Done, null, cancellation);
                return;
            }

            var workspace = await workspaces.GetAsync(cancellation);
            var catalogue = await CatalogueAsync(workspace, bulk, cancellation);
            if (catalogue.Find(new DatasetId(bulk.DatasetId)) is not { } dataset)
            {
                await EndAsync(store, bulk, BulkStatus.Failed, "The dataset is no longer there.", cancellation);
                return;
            }

            // Before it is stopped, it must be known what became of what was under way.
            if (part.Saved is not null && await WasSavedAsync(dataset, part, cancellation))
            {
                await OverAsync(store, bulk, part, [], cancellation);
                continue;
            }

            // What was not saved counts for nothing.
            (part.Saved, part.Transaction, part.Done) = (null, "", 0);
            await store.SaveChangesAsync(cancellation);
            if (bulk.Stops)
            {
                await EndAsync(store, bulk, BulkStatus.Stopped, null, cancellation);
                return;
            }

            if (await MakeAsync(store, workspace, catalogue, dataset, bulk, part, cancellation) is { } problem)
            {
                await EndAsync(store, bulk, BulkStatus.Failed, problem, cancellation);
                return;
            }
        }
    }

    // What is saved in an app keeps the rules of its version.
    private async Task<DatasetCatalogue> CatalogueAsync(Workspace workspace, BulkChange bulk, CancellationToken cancellation) =>
        bulk.App is { } app && await apps.LiveAsync(app, cancellation) is { } running ? running.Datasets : workspace.Datasets;

    // Null where it was made as far as it could be; else why not.
    private async Task<string?> MakeAsync(
        RostrumStore store,
        Workspace workspace,
        DatasetCatalogue catalogue,
        Dataset dataset,
        BulkChange bulk,
        BulkPart part,
        CancellationToken cancellation
    )
    {
        if (workspace.People.GetValueOrDefault(bulk.PersonId) is not { IsActive: true } person)
        {
            return "Whoever began it is no longer active.";
        }

        var grants =
            bulk.App == TableEditing.App && workspace.PermissionsOf(person.RolesAtWork).HasFlag(WorkspacePermissions.ManageSources)
                ? TableEditing.GrantsOf(workspace, person.AsUser)
                : await people.GrantsOfAsync(workspace, person.RolesAtWork, person.AsUser, cancellation);
        var plan = bulk.Work is BulkWork.Import ? JsonSerializer.Deserialize<ImportPlan>(bulk.Values, KindJson.Options)! : null;
        var how =
            bulk.IsTried ? ManyChanges.Tried
            : plan?.AllOrNothing == true ? ManyChanges.AllOrNone
            : ManyChanges.ThosePossible;
        var run = new RunAmbient(bulk.PersonId, person.Name, 0) { Via = bulk.Via };
        var imported = plan is null
            ? null
            : await ImportedAsync(
                new ImportTarget(gate, catalogue, dataset, plan, grants, format)
                {
                    Missing = bulk.IsTried ? null : new MissingRecords(stores, run),
                },
                part,
                cancellation
            );
        var (changes, refused) =
            imported is not null ? (imported.Changes, imported.Refused)
            : bulk.Work is BulkWork.Undo ? await InverseAsync(store, dataset, part, cancellation)
            : await ChangesAsync(catalogue, dataset, bulk, part, grants, cancellation);
        var titles = changes.Select(change => change.Title).ToArray();
        if (how is ManyChanges.AllOrNone && !refused.IsEmpty)
        {
            await OverAsync(store, bulk, part, refused, cancellation);
            return null;
        }

        ChangeSet set = new(dataset.Id, [.. changes.Select(change => change.Change)]);
        ManyResult result = new ManyResult.Done([], true);
        using (RunAmbient.Begin(run with { Writing = WritingOf(part.Id) }))
        {
            result =
                set.Changes.IsEmpty ? result
                : bulk.Work is BulkWork.Undo ? await gate.UndoEachAsync(catalogue, set, ManyChanges.ThosePossible, grants, cancellation)
                : await gate.SaveEachAsync(catalogue, set, how, grants, cancellation);
        }

        await store.Entry(part).ReloadAsync(cancellation);
        switch (result)
        {
            case ManyResult.Done done:
                if (done.Written || bulk.IsTried)
                {
                    part.Done = done.Each.Count(one => one.Saved is not null);
                    part.Added = done.Each.Count(one => one.Saved is { Applied: Change.Insert });
                }

                if (imported is { Waiting.IsEmpty: false })
                {
                    part.Done += imported.Waiting.Length;
                    part.Added += imported.Waiting.Count(change => change is Change.Insert);
                    part.Missing = JsonSerializer.Serialize(imported.ToBeAdded);
                }

                await OverAsync(
                    store,
                    bulk,
                    part,
                    [
                        .. refused,
                        .. done
                            .Each.Zip(titles)
                            .Where(pair => pair.First.Saved is null)
                            .Select(pair => (pair.Second, pair.First.Because ?? "It could not be changed.")),
                    ],
                    cancellation
                );
                pages.Saved(dataset.Id.Value);
                return null;
            case ManyResult.Denied denied:
                return denied.Reason;
            case ManyResult.Failed failed when Failures.MayPass(failed.Failure) || failed.Failure.IsUncertain:
                // It is tried again; whether it came to its end is asked of the source first.
                throw new TimeoutException(failed.Failure.Message);
            case ManyResult.Failed failed:
                return failed.Failure.Message;
            default:
                throw new InvalidOperationException("unknown result");
        }
    }

    private static async Task<ImportedChanges> ImportedAsync(ImportTarget into, BulkPart part, CancellationToken cancellation)
    {
        var rows = JsonSerializer
            .Deserialize<string[][]>(part.Records)!
            .Select(row => new ImportedRow(int.Parse(row[0], CultureInfo.InvariantCulture), row[1..]))
            .ToArray();
        return await new ImportChanges(into).OfAsync(rows, cancellation);
    }

    private static Func<RostrumStore, SavedRecords, int, Task> WritingOf(long part) =>
        (store, saved, count) =>
            store
                .BulkParts.Where(row => row.Id == part)
                .ExecuteUpdateAsync(row =>
                    row.SetProperty(one => one.Saved, saved.Id)
                        .SetProperty(one => one.Transaction, saved.Transaction)
                        .SetProperty(one => one.Done, count)
                );

    private async Task<bool> WasSavedAsync(Dataset dataset, BulkPart part, CancellationToken cancellation)
    {
        if (part.Transaction.Length == 0)
        {
            return true;
        }

        for (var asked = 0; asked < MostAsked; asked++)
        {
            if (await gate.CameToItsEndAsync(dataset, part.Transaction, cancellation) is { } saved)
            {
                return saved;
            }

            await Task.Delay(BeforeAsking, cancellation);
        }

        throw new TimeoutException("The source does not say what became of a transaction.");
    }

    // Each begins with the values that were looked at, so that what happens until it is written is noticed.
    private async Task<(ImmutableArray<(Change Change, string Title)> Changes, ImmutableArray<(string, string)> Refused)> ChangesAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        BulkChange bulk,
        BulkPart part,
        Grants grants,
        CancellationToken cancellation
    )
    {
        var values = BulkValues.Read(dataset, bulk.Values) ?? throw new InvalidOperationException("a field is no longer there");
        var watched = BulkRecords.Watched(dataset, grants.For(dataset.Id));
        var wanted = JsonSerializer.Deserialize<string[][]>(part.Records)!;
        var request = ReadRequest.Of(dataset, [.. wanted.Select(one => RecordKey.Parse(dataset, one[0])).OfType<RecordKey>()]) with
        {
            Fields = watched,
            Computed = values.Computed,
        };
        var records = await gate.ReadAsync(catalogue, request, grants, cancellation) is ReadResult.Rows rows
            ? rows.Records.Where(record => record.Key is not null).ToDictionary(record => record.Key!.ToText(dataset))
            : throw new TimeoutException("the source gives no records");
        var changes = ImmutableArray.CreateBuilder<(Change, string)>();
        var refused = ImmutableArray.CreateBuilder<(string, string)>();
        foreach (var one in wanted)
        {
            if (!records.TryGetValue(one[0], out var record))
            {
                refused.Add((one[0], $"This {dataset.RecordLabel} is no longer there."));
            }
            else if (BulkRecords.Digest(dataset, watched, record) != one[1])
            {
                refused.Add((record.Title, "Somebody changed it meanwhile."));
            }
            else
            {
                var original = BulkRecords.Original(watched, record);
                var (own, problem) = values.Of(dataset, record, format.Zone);
                if (problem is not null)
                {
                    refused.Add((record.Title, problem));
                    continue;
                }

                Change change =
                    bulk.Work is BulkWork.Delete ? new Change.Delete(record.Key!, original) : new Change.Update(record.Key!, original, own);
                changes.Add((change, record.Title));
            }
        }

        return (changes.ToImmutable(), refused.ToImmutable());
    }

    private static async Task<(
        ImmutableArray<(Change Change, string Title)> Changes,
        ImmutableArray<(string, string)> Refused
    )> InverseAsync(RostrumStore store, Dataset dataset, BulkPart part, CancellationToken cancellation)
    {
        // What was saved a moment ago may still be on its way into the logbook.
        for (var waited = 0; waited < MostAsked && await store.SavedRecords.AnyAsync(row => row.Id == part.Undoes, cancellation); waited++)
        {
            await Task.Delay(BeforeAsking, cancellation);
        }

        var entries = await store
            .LogEntries.AsNoTracking()
            .Where(entry => entry.Batch == part.Undoes)
            .OrderByDescending(entry => entry.Id)
            .Select(entry => new { entry.Title, entry.Inverse })
            .ToListAsync(cancellation);
        var read = entries.Select(entry => (entry.Title, Change: Inverse(dataset, entry.Inverse))).ToArray();
        return (
            [.. read.Where(one => one.Change is not null).Select(one => (one.Change!, one.Title))],
            [.. read.Where(one => one.Change is null).Select(one => (one.Title, "It cannot be undone."))]
        );
    }

    private static Change? Inverse(Dataset dataset, string? text) =>
        text is not null && ChangeText.Read(new DatasetCatalogue([dataset]), dataset, text) is [{ Changes: [var only] }] ? only : null;

    private static async Task OverAsync(
        RostrumStore store,
        BulkChange bulk,
        BulkPart part,
        ImmutableArray<(string Title, string Because)> refused,
        CancellationToken cancellation
    )
    {
        part.IsOver = true;
        bulk.Done += part.Done;
        bulk.Added += part.Added;
        bulk.Refused += refused.Length;

        // All are counted; who should read more reasons than these?
        part.Refused =
            bulk.Refused > MostReasons ? "[]" : JsonSerializer.Serialize(refused.Select(one => new[] { one.Title, one.Because }));
        await store.SaveChangesAsync(cancellation);
    }

    private async Task EndAsync(RostrumStore store, BulkChange bulk, BulkStatus status, string? problem, CancellationToken cancellation)
    {
        (bulk.Status, bulk.Problem, bulk.EndedAt) = (status, problem, time.GetUtcNow());
        await store.SaveChangesAsync(cancellation);
    }
}
