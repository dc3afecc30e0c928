using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Table.Grid;

/// <summary>Rows of a table whose unsaved changes are others now.</summary>
/// <param name="Grid">The table.</param>
/// <param name="Keys">The rows.</param>
internal sealed record GridChanged(GridView Grid, IReadOnlySet<string> Keys);

/// <summary>Keeps what is typed into a table, takes it back step by step, and saves it.</summary>
[Handles("POST", "Grid")]
internal sealed class GridHandler(UnsavedTables tables, GridSaving saving) : TableHandler
{
    private const int MostCells = 20_000;
    private const int MostNew = 2_000;
    private const int MostTitles = 200;

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
            "save" => await saving.SaveAsync(page, table, cancellation),
            "discard" => await saving.DiscardAsync(page, table, cancellation),
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
            cells = await WithKeysAsync(page, dataset, AsTyped(page.Run.Format, dataset, cells), cancellation);
        }

        var (before, after) = await tables.ChangeAsync(
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

    // A spreadsheet writes numbers and days in its own way, and the cells of a column in the same.
    private static Sent[] AsTyped(RecordFormat format, Dataset dataset, Sent[] cells)
    {
        var forms = cells
            .GroupBy(cell => cell.Field)
            .ToDictionary(column => column.Key, column => CellForm.Of(column.Select(cell => cell.Text), format.Culture));
        var hasComma = format.Culture.NumberFormat.NumberDecimalSeparator == ",";
        return
        [
            .. cells.Select(cell =>
                dataset.Find(new FieldName(cell.Field)) is { Type: not FieldType.Text } field
                && forms[cell.Field] is var form
                && (form.DecimalComma != hasComma || FieldText.FromForm(field.Type, cell.Text, format) is Parsed.Problem)
                && form.Read(field, cell.Text, format) is Parsed.Value { Is: { } value }
                    ? cell with
                    {
                        Text = FieldText.InForm(field.Type, value, format),
                    }
                    : cell
            ),
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

            string[] texts = [.. group.Distinct(StringComparer.Ordinal).Take(MostTitles)];
            var key = target[relation.TargetField];
            var there = await RecordsByTitle.ReadAsync(
                request => page.Run.Gate.ReadAsync(page.App.Datasets, request, page.Run.Grants, cancellation),
                target.Id,
                key,
                texts,
                []
            );
            foreach (var text in texts)
            {
                if (there?.Called(text) is [var only])
                {
                    known[(group.Key, text)] = (FieldText.ToCanonical(key.Type, only[key.Name]!), only.Title);
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
}
