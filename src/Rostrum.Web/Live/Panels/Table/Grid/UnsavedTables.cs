using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Panels.Table.Grid;

/// <summary>What people have typed into tables and not yet saved, in the store.</summary>
internal sealed class UnsavedTables(RostrumStore store, CurrentPerson person, TimeProvider time)
{
    private const string Nothing = "{}";

    /// <summary>Reads what was typed into a page's tables. What has been saved meanwhile is not among it.</summary>
    public async Task ReadAsync(AppPageModel page, CancellationToken cancellation)
    {
        var (who, app, address) = (person.Id!.Value, page.App.Address, page.Current.Address);
        var rows = await store
            .UnsavedChanges.AsNoTracking()
            .Where(row => row.PersonId == who && row.App == app && row.Page == address)
            .ToListAsync(cancellation);
        page.Run.Unsaved = rows.ToDictionary(row => row.Panel, row => (row.Changes, row.At));
        foreach (var row in rows)
        {
            if (row.Changes.Handed is { } handed && await IsSavedAsync(page, row.Panel, handed, cancellation) is { } saved)
            {
                await ChangeAsync(
                    page,
                    row.Panel,
                    (known, _) => Task.FromResult(IsSame(known.Handed, handed) ? known.Settled(saved) : known),
                    cancellation
                );
            }
        }
    }

    /// <summary>Changes what was typed into a table.</summary>
    public Task<(UnsavedChanges Before, UnsavedChanges After)> ChangeAsync(
        AppPageModel page,
        TablePanel table,
        Func<UnsavedChanges, UnsavedChanges> change,
        CancellationToken cancellation
    ) => ChangeAsync(page, table.Name, (known, _) => Task.FromResult(change(known)), cancellation);

    /// <summary>The same, one request after the other, with what else is to be written together with it.</summary>
    public async Task<(UnsavedChanges Before, UnsavedChanges After)> ChangeAsync(
        AppPageModel page,
        string panel,
        Func<UnsavedChanges, CancellationToken, Task<UnsavedChanges>> change,
        CancellationToken cancellation
    )
    {
        var (who, app, address, now) = (person.Id!.Value, page.App.Address, page.Current.Address, time.GetUtcNow());
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        await store.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO unsaved_changes (person_id, app, page, panel, changes, at)
            VALUES ({who}, {app}, {address}, {panel}, {Nothing}::jsonb, {now})
            ON CONFLICT (person_id, app, page, panel) DO UPDATE SET at = unsaved_changes.at
            """,
            cancellation
        );
        var row = await store
            .UnsavedChanges.FromSql(
                $"""
                SELECT * FROM unsaved_changes
                WHERE person_id = {who} AND app = {app} AND page = {address} AND panel = {panel} FOR UPDATE
                """
            )
            .SingleAsync(cancellation);
        var (before, after) = (row.Changes, await change(row.Changes, cancellation));
        if (after.IsNothing)
        {
            store.UnsavedChanges.Remove(row);
        }
        else
        {
            (row.Changes, row.At) = (after, now);
        }

        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        store.Entry(row).State = EntityState.Detached;
        page.Run.Unsaved = page
            .Run.Unsaved.Where(known => known.Key != panel)
            .Append(KeyValuePair.Create(panel, (after, now)))
            .ToDictionary();
        return (before, after);
    }

    private static bool IsSame(HandedRows? one, HandedRows other) => one?.Run == other.Run && one?.Transaction == other.Transaction;

    private Task<bool?> IsSavedAsync(AppPageModel page, string panel, HandedRows handed, CancellationToken cancellation) =>
        handed.Run is { } run ? IsSavedAsync(run, cancellation)
        : page.Current.Find(panel) is TablePanel table && page.App.Datasets.Find(table.Dataset) is { } dataset
            ? page.Run.Gate.CameToItsEndAsync(dataset, handed.Transaction!, cancellation)
        : Task.FromResult<bool?>(false);

    // Null while it goes on. What waits for a decision is in the workflow's hands: nothing of it is to be saved here any more.
    private async Task<bool?> IsSavedAsync(long id, CancellationToken cancellation) =>
        await store.WorkflowRuns.Where(run => run.Id == id).Select(run => (RunStatus?)run.Status).FirstOrDefaultAsync(cancellation) switch
        {
            RunStatus.Ready or RunStatus.Uncertain => null,
            RunStatus.Done or RunStatus.Waiting => true,
            _ => false,
        };
}
