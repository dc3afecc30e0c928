using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Panels.Table.Grid;

/// <summary>Rows of a table whose unsaved changes are others now.</summary>
/// <param name="Grid">The table.</param>
/// <param name="Keys">The rows.</param>
internal sealed record GridChanged(GridView Grid, IReadOnlySet<string> Keys);

/// <summary>Keeps what is typed into a table, takes it back step by step, and saves it.</summary>
[Handles("POST", "Grid")]
internal sealed class GridHandler(RostrumStore store, Undoing undoing, CurrentPerson person, TimeProvider time) : TableHandler
{
    private const int MostCells = 20_000;
    private const int MostNew = 2_000;
    private const int MostTitles = 200;
    private const int MostAlike = 30;
    private const string Nothing = "{}";

    /// <summary>A cell as the browser sends it. A row that begins with + is a new one.</summary>
    private sealed record Sent(string Row, string Field, string Text, string? Original, string? Shown);

    protected override async Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
    {
        var dataset = page.Run.DatasetOf(table);
        if (!GridEditing.IsFor(page.Run, table, dataset, page.Run.Grants.For(dataset.Id)))
        {
            return page.NotFound();
        }

        return page.Value("does") switch
        {
            "save" => await SaveAsync(page, table, cancellation),
            "discard" => await DiscardAsync(page, table, cancellation),
            var does => await ChangedAsync(page, table, dataset, does, cancellation),
        };
    }

    private async Task<IActionResult> ChangedAsync(
        AppPageModel page,
        TablePanel table,
        Dataset dataset,
        string does,
        CancellationToken cancellation
    )
    {
        var form = page.Request.Form;
        string[] keys = [.. form["row"].OfType<string>()];
        var cells = Cells(form["cells"].ToString());
        if (cells is null || cells.Length > MostCells)
        {
            return new BadRequestResult();
        }

        if (does is "all-mine" or "all-theirs")
        {
            cells = await ConflictsAsync(page, table, dataset, cancellation);
        }
        else if (does == "type")
        {
            cells = await WithKeysAsync(page, dataset, cells, cancellation);
        }

        var (before, after) = await ChangeAsync(
            page,
            table,
            known =>
                does switch
                {
                    "type" => Typed(page, table, dataset, known, cells),
                    "delete" => known.Marked(keys, deleted: true),
                    "restore" => known.Marked(keys, deleted: false),
                    "add" => known.WithNew(1).After,
                    "undo" => known.Undone(),
                    "redo" => known.Redone(),
                    "mine" or "all-mine" => Rebased(known, dataset, cells),
                    "theirs" or "all-theirs" => known.Typed(cells.Select(cell => (cell.Row, cell.Field, (UnsavedCell?)null))),
                    _ => known,
                },
            cancellation
        );
        var changed = before
            .Rows.Keys.Union(after.Rows.Keys)
            .Where(key => before.Rows.GetValueOrDefault(key) != after.Rows.GetValueOrDefault(key))
            .ToHashSet();
        return (await new PageReading(page.Run).ReadAsync(table, cancellation)).Content is TableView { Grid: { } grid }
            ? page.Partial("/Live/Panels/Table/Grid/_GridChanged.cshtml", new GridChanged(grid, changed))
            : page.NotFound();
    }

    private static Sent[]? Cells(string text)
    {
        try
        {
            return text.Length == 0 ? [] : JsonSerializer.Deserialize<Sent[]>(text, JsonSerializerOptions.Web);
        }
        catch (JsonException)
        {
            return null;
        }
    }

    // What may not be typed into is left out: it was not offered.
    private static UnsavedChanges Typed(AppPageModel page, TablePanel table, Dataset dataset, UnsavedChanges known, Sent[] cells)
    {
        var grant = page.Run.Grants.For(dataset.Id);
        string[] added = [.. cells.Select(cell => cell.Row).Where(row => row.StartsWith('+')).Distinct()];
        var keys = ImmutableArray<string>.Empty;
        if (added.Length > 0)
        {
            (known, keys) = known.WithNew(Math.Min(added.Length, MostNew));
        }

        var typed = known.Typed(
            from cell in cells
            let at = Array.IndexOf(added, cell.Row)
            let row = at < 0 ? cell.Row : keys.ElementAtOrDefault(at)
            let field = dataset.Find(new FieldName(cell.Field))
            where
                row is not null
                && field is not null
                && table.Editable.Contains(field.Name)
                && (UnsavedChanges.IsNewKey(row) ? grant.WritableInNew : grant.Writable).Has(field.Name)
            select (row, field.Name.Value, Cell(page, field, cell, known.Rows.GetValueOrDefault(row)))
        );

        // New rows and what was pasted into them are one step.
        return added.Length > 0 && !ReferenceEquals(typed, known) ? typed.Joined() : typed;
    }

    // What is the value with which the edit began is no edit.
    private static UnsavedCell? Cell(AppPageModel page, Field field, Sent sent, UnsavedRow? row)
    {
        var original = row?.Cells.GetValueOrDefault(field.Name.Value) is { } before ? before.Original : sent.Original;
        return
            FieldText.FromForm(field.Type, sent.Text, page.Run.Format) is Parsed.Value { Is: var value }
            && (value is null ? null : FieldText.ToCanonical(field.Type, value)) == original
            ? null
            : new UnsavedCell(sent.Text, original, string.IsNullOrEmpty(sent.Shown) ? null : sent.Shown);
    }

    // The cells that somebody else changed since their edits began, each with the value that it has now.
    private static async Task<Sent[]> ConflictsAsync(AppPageModel page, TablePanel table, Dataset dataset, CancellationToken cancellation)
    {
        var rows = page.Run.Unsaved.TryGetValue(table.Name, out var known)
            ? known.Changes.Rows.Where(row => row.Value is { IsNew: false, Cells.IsEmpty: false }).ToArray()
            : [];
        var request = ReadRequest.Of(dataset, [.. rows.Select(row => RecordKey.Parse(dataset, row.Key)).OfType<RecordKey>()]) with
        {
            Fields = [.. rows.SelectMany(row => row.Value.Cells.Keys).Distinct().Select(name => new FieldName(name))],
        };
        if (await page.Run.Gate.ReadAsync(page.App.Datasets, request, page.Run.Grants, cancellation) is not ReadResult.Rows read)
        {
            return [];
        }

        var records = read.Records.Where(record => record.Key is not null).ToDictionary(record => record.Key!.ToText(dataset));
        return
        [
            .. from row in rows
            where records.ContainsKey(row.Key)
            from cell in row.Value.Cells
            let field = dataset.Find(new FieldName(cell.Key))
            where field is not null && records[row.Key].Has(field.Name)
            let value = records[row.Key][field.Name]
            let now = value is null or Unreadable ? null : FieldText.ToCanonical(field.Type, value)
            where now != cell.Value.Original
            select new Sent(row.Key, cell.Key, cell.Value.Text, now, cell.Value.Shown),
        ];
    }

    // What was pasted for a relation may be the title of the record to which it is to lead.
    private static async Task<Sent[]> WithKeysAsync(AppPageModel page, Dataset dataset, Sent[] cells, CancellationToken cancellation)
    {
        var titles = cells
            .Where(cell => cell.Text.Length > 0 && string.IsNullOrEmpty(cell.Shown))
            .ToLookup(cell => cell.Field, cell => cell.Text);
        var known = new Dictionary<(string Field, string Text), (string Key, string Title)>();
        foreach (var group in titles)
        {
            if (
                dataset.RelationOf(new FieldName(group.Key)) is not { } relation
                || page.App.Datasets.Find(relation.Target) is not { } target
            )
            {
                continue;
            }

            foreach (var text in group.Distinct(StringComparer.Ordinal).Take(MostTitles))
            {
                var request = new ReadRequest(target.Id)
                {
                    Fields = [relation.TargetField],
                    Search = text,
                    Window = new PageWindow.FromStart(0, MostAlike),
                };
                if (
                    await page.Run.Gate.ReadAsync(page.App.Datasets, request, page.Run.Grants, cancellation) is ReadResult.Rows rows
                    && rows.Records.Where(record => record.Title.Equals(text, StringComparison.OrdinalIgnoreCase)).ToArray() is [var only]
                    && only[relation.TargetField] is { } key
                )
                {
                    known[(group.Key, text)] = (FieldText.ToCanonical(target[relation.TargetField].Type, key), only.Title);
                }
            }
        }

        return
        [
            .. cells.Select(cell =>
                known.TryGetValue((cell.Field, cell.Text), out var found) ? cell with { Text = found.Key, Shown = found.Title } : cell
            ),
        ];
    }

    private static UnsavedChanges Rebased(UnsavedChanges known, Dataset dataset, Sent[] cells) =>
        cells
            .Where(cell => dataset.Find(new FieldName(cell.Field)) is not null)
            .Aggregate(known, (all, cell) => all.Rebased(cell.Row, cell.Field, cell.Original));

    private async Task<(UnsavedChanges Before, UnsavedChanges After)> ChangeAsync(
        AppPageModel page,
        TablePanel table,
        Func<UnsavedChanges, UnsavedChanges> change,
        CancellationToken cancellation
    )
    {
        var (who, app, address, now) = (person.Id!.Value, page.App.Address, page.Current.Address, time.GetUtcNow());
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        await store.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO unsaved_changes (person_id, app, page, panel, changes, at)
            VALUES ({who}, {app}, {address}, {table.Name}, {Nothing}::jsonb, {now}) ON CONFLICT DO NOTHING
            """,
            cancellation
        );
        var row = await store
            .UnsavedChanges.FromSql(
                $"""
                SELECT * FROM unsaved_changes
                WHERE person_id = {who} AND app = {app} AND page = {address} AND panel = {table.Name} FOR UPDATE
                """
            )
            .SingleAsync(cancellation);
        var (before, after) = (row.Changes, change(row.Changes));
        if (after.IsEmpty && after.Past.IsEmpty && after.Future.IsEmpty)
        {
            store.UnsavedChanges.Remove(row);
        }
        else
        {
            (row.Changes, row.At) = (after, now);
        }

        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        page.Run.Unsaved = page
            .Run.Unsaved.Where(known => known.Key != table.Name)
            .Append(KeyValuePair.Create(table.Name, (after, now)))
            .ToDictionary();
        return (before, after);
    }

    private async Task<IActionResult> DiscardAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
    {
        var (before, _) = await ChangeAsync(page, table, _ => UnsavedChanges.None, cancellation);
        page.Said = new AppPageModel.Message(before.IsEmpty ? "Nothing was unsaved." : "What was not saved is discarded.");
        return await page.NowAsync(page.Run.State, [], null, [table.Name], cancellation);
    }

    private async Task<IActionResult> SaveAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
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
            .Select(row => (row.Key, row.Value, Change: GridEditing.ChangeOf(view, row.Key, row.Value).Change))
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
        if (unread > 0 && !table.SavesEach)
        {
            var which = unread == 1 ? "1 row has" : $"{unread:N0} rows have";
            return await AgainAsync(page, table, $"Not saved: {which} a value that cannot be. Look at the marked cells.", [], cancellation);
        }

        var ready = rows.Where(row => row.Change is not null).ToArray();
        var result = await page.Run.Gate.SaveEachAsync(
            page.App.Datasets,
            new ChangeSet(view.Dataset.Id, [.. ready.Select(row => row.Change!)]),
            table.SavesEach ? ManyChanges.ThosePossible : ManyChanges.AllOrNone,
            page.Run.Writing,
            cancellation
        );
        switch (result)
        {
            case ManyResult.Done done:
                return await SavedAsync(page, table, view, [.. ready.Select(row => row.Key)], done, cancellation);
            case ManyResult.Denied denied:
                return await AgainAsync(page, table, $"Not saved. {denied.Reason}", [], cancellation);
            case ManyResult.Failed { Failure: var failure }:
                var words = failure.IsUncertain ? SaveResult.Uncertain.Words : $"Not saved: {page.Run.Words(failure)}";
                return await AgainAsync(page, table, $"{words} What was typed is kept.", [], cancellation);
            default:
                throw new InvalidOperationException("unknown result");
        }
    }

    private async Task<IActionResult> SavedAsync(
        AppPageModel page,
        TablePanel table,
        TableView view,
        IReadOnlyList<string> keys,
        ManyResult.Done done,
        CancellationToken cancellation
    )
    {
        var refused = done
            .Each.Select((one, at) => (Key: keys[at], one.Because))
            .Where(one => one.Because is not null)
            .ToDictionary(one => one.Key, one => one.Because!);
        SavedChange[] saved = done.Written ? [.. done.Each.Select(one => one.Saved).OfType<SavedChange>()] : [];
        if (done.Written)
        {
            await ChangeAsync(page, table, known => known.Without(keys.Where(key => !refused.ContainsKey(key))), cancellation);
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
