using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;
using Rostrum.Store;
using Rostrum.Web.Build.OwnTables;
using Rostrum.Web.Bulk;
using Rostrum.Web.Live;
using Rostrum.Web.People;

namespace Rostrum.Web.Imports;

/// <summary>A column of a file, as it is shown while its field is chosen.</summary>
/// <param name="Heading">Its heading; a letter where it has none.</param>
/// <param name="Samples">Some of its cells.</param>
/// <param name="Problem">The first of its cells that the chosen field cannot hold, with why.</param>
internal sealed record ImportColumnView(string Heading, ImmutableArray<string> Samples, string? Problem);

/// <summary>Says how the rows of a file become records, tries that, and begins it.</summary>
internal sealed class OfFileModel(
    FileImports imports,
    BulkChanges bulks,
    RostrumStore store,
    PublishedApps apps,
    WorkspaceCache workspaces,
    CurrentPerson person,
    RecordFormat format,
    TimeProvider time
) : PageModel
{
    private const int Sampled = 3;
    private const int Looked = 200;
    private const int MostShown = 100;
    private const int LongestMapping = 60;

    public Import Import { get; private set; } = null!;

    public Dataset Dataset { get; private set; } = null!;

    public Grant Grant { get; private set; } = null!;

    public ImmutableArray<ImportColumnView> Columns { get; private set; } = [];

    public ImmutableArray<Field> Fields { get; private set; } = [];

    public IReadOnlyList<string> Sheets { get; private set; } = [];

    /// <summary>The trial of the present plan; null where there was none.</summary>
    public BulkChange? Check { get; private set; }

    public ImmutableArray<(string Title, string Because)> Refused { get; private set; } = [];

    /// <summary>What would be added first, because rows refer to it.</summary>
    public ImmutableArray<string> Missing { get; private set; } = [];

    /// <summary>
    /// The records to which a field refers, where they can be added from what a cell calls them; null where they cannot.
    /// </summary>
    public Dataset? Addable(FieldName? field) =>
        field is { } name
        && Dataset.RelationOf(name) is { } relation
        && Catalogue.Find(relation.Target) is { } target
        && ImportPlan.Naming(target, Grants.For(target.Id)) is not null
            ? target
            : null;

    private DatasetCatalogue Catalogue { get; set; } = new([]);

    private Grants Grants { get; set; } = null!;

    /// <summary>The mappings that are kept for these records.</summary>
    public ImmutableArray<ImportMapping> Mappings { get; private set; } = [];

    public string? Problem { get; private set; }

    public ImportPlan Plan => Import.Plan;

    public static ImmutableArray<(DateOrder Order, string Label)> DateOrders { get; } =
    [(DateOrder.DayMonthYear, "day/month/year"), (DateOrder.MonthDayYear, "month/day/year"), (DateOrder.YearMonthDay, "year-month-day")];

    public ImmutableArray<(ImportMode Mode, string Label)> Modes =>
        [
            (ImportMode.Add, $"new {Dataset.LabelInSentence}"),
            (ImportMode.Change, "changes of those that are there"),
            (ImportMode.AddOrChange, "changes of those that are there, and new ones"),
        ];

    public string Count(long number) => number.ToString("#,##0", format.Culture);

    public string Rows(long number) => $"{Count(number)} {(number == 1 ? "row" : "rows")}";

    /// <summary>What the trial came to.</summary>
    public string Says
    {
        get
        {
            var (added, changed, alike) = (Check!.Added, Check.Done - Check.Added, Check.Records - Check.Done - Check.Refused);
            var parts = new[]
            {
                added > 0 ? $"{Count(added)} {(added == 1 ? Dataset.RecordLabel : Dataset.LabelInSentence)} would be added" : null,
                changed > 0 ? $"{Count(changed)} {(changed == 1 ? Dataset.RecordLabel : Dataset.LabelInSentence)} would be changed" : null,
                alike > 0 ? $"{Rows(alike)} {(alike == 1 ? "is" : "are")} already so" : null,
                Check.Refused > 0 ? $"{Rows(Check.Refused)} cannot be imported" : null,
            };
            return string.Join(", ", parts.OfType<string>()) is { Length: > 0 } all ? all + "." : "There are no rows.";
        }
    }

    public async Task<IActionResult> OnGetAsync(long id, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation))
        {
            return NotFound();
        }

        if (Import.BulkId is { } begun)
        {
            return Redirect($"/bulk/{begun}");
        }

        await ShowAsync(cancellation);
        return Page();
    }

    /// <summary>The file is read otherwise: its columns are looked at again.</summary>
    public async Task<IActionResult> OnPostReadAsync(long id, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation) || Import.BulkId is not null)
        {
            return NotFound();
        }

        try
        {
            await using var file = await imports.OpenAsync(Import, cancellation);
            await imports.PlanAsync(Import, await ReadAsync(file, cancellation), cancellation);
        }
        catch (ImportFailedException exception)
        {
            Problem = exception.Message;
            return await AgainAsync(cancellation);
        }

        return Redirect($"/import/{id}");
    }

    private async Task<ImportPlan> ReadAsync(ImportedFile file, CancellationToken cancellation)
    {
        var form = Request.Form;
        var sheet = form["sheet"].ToString();
        var text = Plan.Text is null
            ? null
            : new TextForm(
                TextForm.Encodings.Any(known => known.Name == form["encoding"]) ? form["encoding"].ToString() : Plan.Text.Encoding,
                TextForm.Delimiters.Any(known => known.Delimiter.ToString() == form["delimiter"])
                    ? form["delimiter"].ToString()[0]
                    : Plan.Text.Delimiter
            );
        var changed = Plan with
        {
            Text = text,
            Sheet = file.Sheets().Contains(sheet) ? sheet : Plan.Sheet,
            HasHeadings = form["headings"] == "yes",
            Cells = new CellForm(
                form["decimals"] == "comma",
                Enum.TryParse<DateOrder>(form["order"], out var order) ? order : Plan.Cells.Order
            ),
        };
        var rows = await FileImports.FirstAsync(file, changed, Looked, cancellation);
        if (rows.Count == 0)
        {
            throw new ImportFailedException("There are no rows in this sheet.");
        }

        var (headings, others) = FileImports.Parted(changed, rows);
        return (changed.Text, changed.Sheet, changed.HasHeadings) == (Plan.Text, Plan.Sheet, Plan.HasHeadings)
            ? changed
            : imports.Mapped(changed, headings, others, Dataset, Grant);
    }

    /// <summary>What becomes of its rows is chosen; and tried, where that is asked for.</summary>
    public async Task<IActionResult> OnPostPlanAsync(long id, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation) || Import.BulkId is not null)
        {
            return NotFound();
        }

        await imports.PlanAsync(Import, Planned(Plan), cancellation);
        Problem = Plan.Problem(Dataset, Grant);
        return Problem is null && await BeginAsync(isTried: true, cancellation) is not null
            ? Redirect($"/import/{id}")
            : await AgainAsync(cancellation);
    }

    /// <summary>What is chosen is kept by a name, for the next file of this kind.</summary>
    public async Task<IActionResult> OnPostKeepAsync(long id, string? mapping, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation) || Import.BulkId is not null)
        {
            return NotFound();
        }

        await imports.PlanAsync(Import, Planned(Plan), cancellation);
        var name = mapping?.Trim() ?? "";
        Problem = name.Length is 0 or > LongestMapping ? $"A mapping has a name of 1 to {LongestMapping} characters." : null;
        if (Problem is not null)
        {
            return await AgainAsync(cancellation);
        }

        var headings = await HeadingsAsync(cancellation);
        var by = await person.NameAsync(cancellation);
        var plan = JsonSerializer.Serialize(Plan, KindJson.Options);
        await store.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO import_mappings (dataset_id, name, headings, plan, by, at)
            VALUES ({Import.DatasetId}, {name}, {headings}, {plan}::jsonb, {by}, {time.GetUtcNow()})
            ON CONFLICT (dataset_id, name) DO UPDATE
            SET headings = excluded.headings, plan = excluded.plan, by = excluded.by, at = excluded.at
            """,
            cancellation
        );
        TempData["note"] = $"“{name}” is kept.";
        return Redirect($"/import/{id}");
    }

    /// <summary>A mapping that is kept is used for this file.</summary>
    public async Task<IActionResult> OnPostUseAsync(long id, long mapping, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation) || Import.BulkId is not null || await MappingAsync(mapping, cancellation) is not { } kept)
        {
            return NotFound();
        }

        FieldName[] fields = [.. ImportPlan.Fields(Dataset, Grant).Select(field => field.Name)];
        var plan = Plan.Following(kept.Plan, kept.Headings, await HeadingsAsync(cancellation), fields);
        await imports.PlanAsync(Import, plan, cancellation);
        return Redirect($"/import/{id}");
    }

    public async Task<IActionResult> OnPostForgetAsync(long id, long mapping, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation) || await MappingAsync(mapping, cancellation) is not { } kept)
        {
            return NotFound();
        }

        await store.ImportMappings.Where(row => row.Id == kept.Id).ExecuteDeleteAsync(cancellation);
        TempData["note"] = $"“{kept.Name}” is removed.";
        return Redirect($"/import/{id}");
    }

    private Task<ImportMapping?> MappingAsync(long mapping, CancellationToken cancellation) =>
        store
            .ImportMappings.AsNoTracking()
            .FirstOrDefaultAsync(row => row.Id == mapping && row.DatasetId == Import.DatasetId, cancellation);

    private async Task<string[]> HeadingsAsync(CancellationToken cancellation)
    {
        await using var file = await imports.OpenAsync(Import, cancellation);
        var rows = await FileImports.FirstAsync(file, Plan, Looked, cancellation);
        return rows.Count == 0 ? [] : FileImports.Parted(Plan, rows).Headings;
    }

    /// <summary>How far the trial is.</summary>
    public async Task<IActionResult> OnGetCheckedAsync(long id, CancellationToken cancellation) =>
        await LoadAsync(id, cancellation) && Check is not null ? Partial("/Imports/_Checked.cshtml", this) : NotFound();

    public async Task<IActionResult> OnPostStopAsync(long id, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation) || Check is null)
        {
            return NotFound();
        }

        await bulks.StopAsync(Check.Id, Import.PersonId, cancellation);
        return Redirect($"/import/{id}");
    }

    public async Task<IActionResult> OnPostBeginAsync(long id, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation))
        {
            return NotFound();
        }

        if (Check is null)
        {
            Problem = "Check it first: it was changed.";
            return await AgainAsync(cancellation);
        }

        return await BeginAsync(isTried: false, cancellation) is { } begun ? Redirect($"/bulk/{begun.Id}") : await AgainAsync(cancellation);
    }

    private async Task<BulkChange?> BeginAsync(bool isTried, CancellationToken cancellation)
    {
        try
        {
            (var begun, Problem) = await imports.BeginAsync(Import, isTried, cancellation);
            return begun;
        }
        catch (ImportFailedException exception)
        {
            Problem = exception.Message;
            return null;
        }
    }

    private async Task<PageResult> AgainAsync(CancellationToken cancellation)
    {
        await ShowAsync(cancellation);
        return Page();
    }

    private ImportPlan Planned(ImportPlan plan)
    {
        var form = Request.Form;
        FieldName? FieldOf(string name) =>
            ImportPlan.Fields(Dataset, Grant).FirstOrDefault(field => field.Name.Value == name) is { } known ? known.Name : null;
        return plan with
        {
            Into = [.. Enumerable.Range(0, plan.Into.Length).Select(at => FieldOf(form[$"into.{at}"].ToString()))],
            Mode = Enum.TryParse<ImportMode>(form["mode"], out var mode) ? mode : plan.Mode,
            Match = [.. form["match"].OfType<string>().Select(FieldOf).OfType<FieldName>()],
            AddMissing = [.. form["missing"].OfType<string>().Select(FieldOf).OfType<FieldName>().Where(name => Addable(name) is not null)],
            AllOrNothing = form["failing"] == "nothing",
            Constants = form
                .Keys.Where(key => key.StartsWith("constant.", StringComparison.Ordinal) && form[key].ToString().Trim().Length > 0)
                .Select(key => (Field: FieldOf(key["constant.".Length..]), Text: form[key].ToString()))
                .Where(constant => constant.Field is not null)
                .ToImmutableSortedDictionary(constant => constant.Field!.Value.Value, constant => constant.Text, StringComparer.Ordinal),
        };
    }

    private async Task<bool> LoadAsync(long id, CancellationToken cancellation)
    {
        if (person.Id is not { } own || await imports.FindAsync(id, own, cancellation) is not { } import)
        {
            return false;
        }

        var catalogue = import.IsLive
            ? (await apps.LiveAsync(import.App, cancellation))?.Datasets
            : (await workspaces.GetAsync(cancellation)).Datasets;
        if (catalogue?.Find(new DatasetId(import.DatasetId)) is not { } dataset)
        {
            return false;
        }

        (Import, Dataset, Catalogue) = (import, dataset, catalogue);
        Grants = await person.GrantsAsync(cancellation);
        if (import.App == TableEditing.App && await person.MayAsync(WorkspacePermissions.ManageSources, cancellation))
        {
            Grants = TableEditing.GrantsOf(await workspaces.GetAsync(cancellation), Grants.User);
        }

        Grant = Grants.For(dataset.Id);
        Check = import.CheckId is { } check
            ? await store.BulkChanges.AsNoTracking().FirstOrDefaultAsync(row => row.Id == check, cancellation)
            : null;
        Refused = Check is null ? [] : [.. (await bulks.RefusedAsync(Check.Id, cancellation)).Take(MostShown)];
        Missing = Check is null ? [] : await bulks.MissingAsync(Check.Id, cancellation);
        return (Grant.Verbs & (Verbs.Create | Verbs.Update)) != Verbs.None;
    }

    private async Task ShowAsync(CancellationToken cancellation)
    {
        Fields = ImportPlan.Fields(Dataset, Grant);
        Mappings =
        [
            .. await store
                .ImportMappings.AsNoTracking()
                .Where(row => row.DatasetId == Import.DatasetId)
                .OrderBy(row => row.Name)
                .ToListAsync(cancellation),
        ];
        try
        {
            await using var file = await imports.OpenAsync(Import, cancellation);
            Sheets = file.Sheets();
            var rows = await FileImports.FirstAsync(file, Plan, Looked, cancellation);
            if (rows.Count == 0)
            {
                return;
            }

            var (headings, others) = FileImports.Parted(Plan, rows);
            Columns = [.. headings.Select((heading, at) => ColumnOf(heading, at, others))];
        }
        catch (ImportFailedException exception)
        {
            Problem ??= exception.Message;
        }
    }

    private ImportColumnView ColumnOf(string heading, int at, IReadOnlyList<ImportedRow> rows)
    {
        string[] cells = [.. rows.Select(row => row.Cell(at)).Where(cell => cell.Trim().Length > 0)];
        var field = at < Plan.Into.Length && Plan.Into[at] is { } name && Dataset.RelationOf(name) is null ? Dataset.Find(name) : null;
        var wrong = field is null
            ? null
            : cells
                .Select(cell => (Plan.Cells.Read(field, cell, format) as Parsed.Problem)?.Message)
                .FirstOrDefault(problem => problem is not null);
        return new ImportColumnView(
            heading.Length > 0 ? heading : $"Column {at + 1}",
            [.. cells.Take(Sampled).Select(cell => cell.Length > 60 ? cell[..60] + "…" : cell)],
            wrong
        );
    }
}
