using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Panels.Table.Grid;

/// <summary>What was typed into a table: what is wrong with it, and what it amounts to.</summary>
internal static class GridEditing
{
    private const int MostChecked = 60;

    /// <summary>Whether somebody can type into a table at all.</summary>
    public static bool IsFor(PageRun run, TablePanel panel, Dataset dataset, Grant grant) =>
        !panel.Editable.IsEmpty
        && !run.IsPublic
        && (dataset.ReadOnlyBecause is null || (panel.SaveWorkflow.Length > 0 && dataset.GoneBecause is null))
        && !dataset.Key.IsEmpty
        && run.Writing.ReadOnlyBecause is null
        && (grant.Verbs & (Verbs.Update | Verbs.Create | Verbs.Delete)) != Verbs.None;

    /// <summary>The table’s unsaved changes, with what is wrong with those of its rows that are shown.</summary>
    public static async Task<GridView?> ReadAsync(TableView table, CancellationToken cancellation)
    {
        if (!IsFor(table.Run, table.Panel, table.Dataset, table.Grant))
        {
            return null;
        }

        var (changes, at) = table.Run.Unsaved.TryGetValue(table.Panel.Name, out var known)
            ? (known.Changes, known.At)
            : (UnsavedChanges.None, (DateTimeOffset?)null);
        var shown = table.Rows?.Records.Select(record => record.Key?.ToText(table.Dataset)).OfType<string>().ToHashSet() ?? [];
        var problems = ImmutableDictionary.CreateBuilder<string, ImmutableArray<FieldProblem>>();
        foreach (
            var (key, row) in changes
                .Rows.Where(row => !row.Value.IsDeleted && (row.Value.IsNew || shown.Contains(row.Key)))
                .Take(MostChecked)
        )
        {
            var (change, wrong) = ChangeOf(table, key, row);
            if (change is not null && !(row.IsNew && row.Cells.IsEmpty))
            {
                wrong = await table.Run.Gate.CheckAsync(table.Run.App.Datasets, table.Dataset.Id, change, table.Run.Writing, cancellation)
                    ?? [];
            }

            problems[key] = [.. wrong.Where(problem => !problem.Warns)];
        }

        RecordKey[] keys =
        [
            .. (table.Rows?.Records ?? []).Append(table.BroughtIntoView!).Select(record => record?.Key).OfType<RecordKey>(),
        ];
        Task<IReadOnlySet<RecordKey>> AllowedAsync(Verbs verb) =>
            table.Run.Gate.AllowedAsync(table.Run.App.Datasets, table.Dataset, keys, verb, table.Run.Writing, cancellation);
        var grid = new GridView(table, changes, at)
        {
            Problems = problems.ToImmutable(),
            Changeable = await AllowedAsync(Verbs.Update),
            Deletable = await AllowedAsync(Verbs.Delete),
            Grants = await table.Run.Gate.GrantsOfAsync(table.Run.App.Datasets, table.Dataset, keys, table.Run.Writing, cancellation),
        };
        var conflicts = ConflictsOf(grid);
        return grid with
        {
            Conflicts = conflicts,
            Theirs =
                conflicts.IsEmpty || table.Run.LastChanges is not { } ask
                    ? grid.Theirs
                    : await ask(table.Dataset, [.. conflicts.Distinct()], cancellation),
        };
    }

    private static ImmutableArray<string> ConflictsOf(GridView grid) =>
        [
            .. from record in grid.Table.Rows?.Records ?? []
            let key = record.Key?.ToText(grid.Table.Dataset)
            where key is not null && grid.Changes.Rows.ContainsKey(key)
            from column in grid.Table.Columns
            where grid.Cell(column, record, key).Meanwhile
            select key,
        ];

    /// <summary>What a row amounts to; null with what is wrong where some of it is no value.</summary>
    public static (Change? Change, ImmutableArray<FieldProblem> Problems) ChangeOf(TableView table, string key, UnsavedRow row)
    {
        var (dataset, format) = (table.Dataset, table.Run.Format);
        var (values, original) = (FieldValues.None, FieldValues.None);
        var problems = ImmutableArray.CreateBuilder<FieldProblem>();
        foreach (var (name, cell) in row.Cells)
        {
            if (dataset.Find(new FieldName(name)) is not { } field)
            {
                continue;
            }

            switch (FieldText.FromForm(field.Type, cell.Text, format))
            {
                case Parsed.Value { Is: var value }:
                    values = values.With(field.Name, value);
                    break;
                case Parsed.Problem problem:
                    problems.Add(new FieldProblem(field.Name, problem.Message));
                    break;
            }

            original = original.With(
                field.Name,
                cell.Original is { } text && FieldText.FromCanonical(field.Type, text) is Parsed.Value { Is: var before } ? before : null
            );
        }

        if (problems.Count > 0)
        {
            return (null, problems.ToImmutable());
        }

        return RecordKey.Parse(dataset, key) is { } known && !row.IsNew
            ? (row.IsDeleted ? new Change.Delete(known, original) : new Change.Update(known, original, values), [])
            : (row.IsNew ? new Change.Insert(values) : null, []);
    }
}
