using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Sheet;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Panels.Table.Grid;

/// <summary>A row that is to be saved.</summary>
/// <param name="Key">Its key in the grid.</param>
/// <param name="Row">What was typed.</param>
/// <param name="Change">What it amounts to.</param>
internal sealed record RowToSave(string Key, UnsavedRow Row, Change Change);

/// <summary>Saves what was typed into a table, or discards it.</summary>
internal sealed class GridSaving(UnsavedTables tables, GridWorkflow workflows, Undoing undoing, CurrentPerson person)
{
    private const string Elsewhere = "These rows were saved by another press of the key, or in another window. Look at what is left.";

    public async Task<IActionResult> DiscardAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
    {
        var (before, _) = await tables.ChangeAsync(page, table, _ => UnsavedChanges.None, cancellation);
        page.Said = new AppPageModel.Message(before.IsEmpty ? "Nothing was unsaved." : "What was not saved is discarded.");
        return await page.NowAsync(page.Run.State, [], null, [table.Name], cancellation);
    }

    public async Task<IActionResult> SaveAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
    {
        if (
            (await new PageReading(page.Run).ReadAsync(table, cancellation)).Content
            is not TableView { Grid: { Changes: var unsaved } } view
        )
        {
            return page.NotFound();
        }

        var rows = unsaved
            .Rows.Where(row => !(row.Value.IsNew && row.Value.Cells.IsEmpty))
            .Select(row => (row.Key, row.Value, GridEditing.ChangeOf(view, row.Key, row.Value).Change))
            .OrderBy(row =>
                row.Value.IsDeleted ? 0
                : row.Value.IsNew ? 2
                : 1
            )
            .ToArray();
        if (rows.Length == 0)
        {
            return await DiscardAsync(page, table, cancellation);
        }

        var unread = rows.Count(row => row.Change is null);
        var each = table is { SavesEach: true, SaveWorkflow.Length: 0 };
        if (unread > 0 && !each)
        {
            var which = unread == 1 ? "1 row has" : $"{unread:N0} rows have";
            return await AgainAsync(page, table, $"Not saved: {which} a value that cannot be. Look at the marked cells.", [], cancellation);
        }

        RowToSave[] ready = [.. rows.Where(row => row.Change is not null).Select(row => new RowToSave(row.Key, row.Value, row.Change!))];

        Dictionary<string, string> unclear;
        try
        {
            (ready, unclear) = await GridMatching.OfAsync(view, ready, cancellation);
        }
        catch (TimeoutException)
        {
            return await AgainAsync(page, table, "Not saved: the source does not say which records are there.", [], cancellation);
        }

        if (ready.Length == 0 || (unclear.Count > 0 && !each))
        {
            return await AgainAsync(
                page,
                table,
                "Not saved: of some new rows it is not clear which records they mean.",
                unclear,
                cancellation
            );
        }

        // What steps are given is what could be saved without them.
        var changes = new ChangeSet(view.Dataset.Id, [.. ready.Select(row => row.Change)])
        {
            BeforeEnd = end => NoteAsync(page, table, ready, end),
        };
        var how = each ? ManyChanges.ThosePossible : ManyChanges.AllOrNone;
        ManyResult result;
        try
        {
            result =
                table.SaveWorkflow.Length > 0
                    ? await page.Run.Gate.TryForStepsAsync(page.App.Datasets, changes, page.Run.Writing, cancellation)
                    : await page.Run.Gate.SaveEachAsync(page.App.Datasets, changes, how, page.Run.Writing, cancellation);
        }
        catch (SentAlreadyException)
        {
            await tables.ReadAsync(page, cancellation);
            return await AgainAsync(page, table, Elsewhere, [], cancellation);
        }

        switch (result)
        {
            case ManyResult.Done done when table.SaveWorkflow.Length > 0 && done.Each.All(one => one.Because is null):
                var handed = new HandedOver(view, ready, [.. done.Each.Select(one => one.Saved!)]);
                return await HandedAsync(page, table, handed, cancellation);
            case ManyResult.Done { Written: false } when await IsSavedElsewhereAsync(page, table, ready, cancellation):
                return await AgainAsync(page, table, Elsewhere, [], cancellation);
            case ManyResult.Done done:
                return await SavedAsync(page, table, view, ready, done, unclear, cancellation);
            case ManyResult.Denied denied:
                return await AgainAsync(page, table, $"Not saved. {denied.Reason}", [], cancellation);
            case ManyResult.Failed { Failure: var failure }:
                await tables.ReadAsync(page, cancellation);
                var words = failure.IsUncertain ? SaveResult.Uncertain.Words : $"Not saved: {page.Run.Words(failure)}";
                return await AgainAsync(page, table, $"{words} What was typed is kept.", [], cancellation);
            default:
                throw new InvalidOperationException("unknown result");
        }
    }

    // Whoever is second finds records that the first has changed: that is no conflict.
    private async Task<bool> IsSavedElsewhereAsync(AppPageModel page, TablePanel table, RowToSave[] rows, CancellationToken cancellation)
    {
        await tables.ReadAsync(page, cancellation);
        return !page.Run.Unsaved.TryGetValue(table.Name, out var now)
            || now.Changes.Handed is not null
            || rows.Any(row => !now.Changes.Rows.ContainsKey(row.Key));
    }

    // Written down before the transaction ends: whoever saves the same rows meanwhile finds it, and after a crash the source can be asked
    // what became of it.
    private async Task NoteAsync(AppPageModel page, TablePanel table, RowToSave[] rows, BeforeEnd end) =>
        await tables.ChangeAsync(
            page,
            table.Name,
            (known, _) =>
                known.Handed is not null || rows.Any(row => row.Row.IsNew && !known.Rows.ContainsKey(row.Key))
                    ? throw new SentAlreadyException()
                : end.Transaction.Length == 0 ? Task.FromResult(known)
                : Task.FromResult(
                    known.SavedIn(
                        end.Transaction,
                        rows.Where((_, at) => !end.Refused.Contains(at)).Select(row => KeyValuePair.Create(row.Key, row.Row))
                    )
                ),
            CancellationToken.None
        );

    private async Task<IActionResult> HandedAsync(AppPageModel page, TablePanel table, HandedOver handed, CancellationToken cancellation)
    {
        if (page.Run.Writing.ReadOnlyBecause is { } reason)
        {
            return await AgainAsync(page, table, $"Not saved. {reason}", [], cancellation);
        }

        var (said, changed) = await workflows.SaveAsync(page, table, handed, cancellation);
        await tables.ReadAsync(page, cancellation);
        page.Said = said;
        return await page.NowAsync(page.Run.State, [handed.Table.Dataset.Id, .. changed], null, [table.Name], cancellation);
    }

    private async Task<IActionResult> SavedAsync(
        AppPageModel page,
        TablePanel table,
        TableView view,
        RowToSave[] rows,
        ManyResult.Done done,
        Dictionary<string, string> unclear,
        CancellationToken cancellation
    )
    {
        var refused = done
            .Each.Select((one, at) => (rows[at].Key, one.Because))
            .Where(one => one.Because is not null)
            .Select(one => KeyValuePair.Create(one.Key, one.Because!))
            .Concat(unclear)
            .ToDictionary();
        SavedChange[] saved = done.Written ? [.. done.Each.Select(one => one.Saved).OfType<SavedChange>()] : [];
        if (done.Written)
        {
            var without =
                from row in rows.Select((row, at) => (row.Key, row.Row, done.Each[at].Saved))
                where row.Saved is not null
                select (row.Key, row.Row, row.Saved.Key?.ToText(view.Dataset));
            await tables.ChangeAsync(page, table, known => known.Without(without) with { Handed = null }, cancellation);
        }

        var noun = saved.Length == 1 ? view.Dataset.RecordLabel : view.Dataset.LabelInSentence;
        var counted = saved.Length.ToString("N0", CultureInfo.CurrentCulture);
        var said =
            saved.Length == 0 ? "Not saved"
            : refused.Count == 0 ? $"{counted} {noun} saved."
            : $"{counted} {noun} saved";
        if (refused.Count > 0)
        {
            said += $": {refused.Count:N0} {(refused.Count == 1 ? "row is" : "rows are")} refused, as marked. What was typed is kept.";
        }

        if (saved.Length == 0)
        {
            return await AgainAsync(page, table, said, refused, cancellation);
        }

        var undo = await undoing.KeepAsync(person.Id!.Value, view.Dataset, saved, $"{counted} {noun} saved.", cancellation);
        page.Run.Refused = ByPanel(table, refused);
        page.Said = new AppPageModel.Message(said, undo);
        return await page.NowAsync(page.Run.State, [view.Dataset.Id], null, [table.Name], cancellation);
    }

    private static async Task<IActionResult> AgainAsync(
        AppPageModel page,
        TablePanel table,
        string said,
        Dictionary<string, string> refused,
        CancellationToken cancellation
    )
    {
        page.Run.Refused = ByPanel(table, refused);
        page.Said = new AppPageModel.Message(said);
        return await page.NowAsync(page.Run.State, [], null, [table.Name], cancellation);
    }

    private static Dictionary<(string, string), string> ByPanel(TablePanel table, Dictionary<string, string> refused) =>
        refused.ToDictionary(row => (table.Name, row.Key), row => row.Value);
}
