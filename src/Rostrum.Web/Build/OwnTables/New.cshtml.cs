using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;
using Rostrum.Core.OwnTables;
using Rostrum.Store;
using Rostrum.Web.Imports;
using Rostrum.Web.People;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>A field of a new table as its form has it.</summary>
/// <param name="Field">The field.</param>
/// <param name="Column">The file's column whose cells go into it; null where there is none.</param>
/// <param name="Samples">Some of its cells.</param>
internal sealed record NewField(OwnField Field, int? Column, ImmutableArray<string> Samples);

/// <summary>Makes an own table: empty, or of the rows of a file.</summary>
[RequestSizeLimit(FileImports.LargestFile)]
internal sealed class NewModel(
    FileImports imports,
    OwnTableSetUp setUp,
    WorkspaceCache workspaces,
    CurrentPerson person,
    RecordFormat format,
    TimeProvider time
) : PageModel
{
    private const int Looked = 500;
    private const int Sampled = 3;
    private const int BlankFields = 6;

    public string Label { get; private set; } = "";

    public string Pasted { get; private set; } = "";

    /// <summary>The file whose rows go into it; null where it begins empty.</summary>
    public Import? Import { get; private set; }

    /// <summary>The fields; none while a file is chosen.</summary>
    public ImmutableArray<NewField> Fields { get; private set; } = [];

    /// <summary>The own tables to which relations can lead.</summary>
    public ImmutableArray<(string Table, string Label)> Targets { get; private set; } = [];

    public string? Problem { get; private set; }

    public async Task<IActionResult> OnGetAsync(long? import, bool empty, string? label, CancellationToken cancellation)
    {
        await PrepareAsync(cancellation);
        Label = label ?? "";
        if (import is { } id)
        {
            await using var file = await OpenAsync(id, cancellation);
            return file is null ? NotFound() : Page();
        }

        Fields = empty
            ? [.. Enumerable.Range(0, BlankFields).Select(at => new NewField(new OwnField(at == 0 ? "Name" : "", OwnType.Text), null, []))]
            : [];
        return Page();
    }

    /// <summary>Looks into a file.</summary>
    public async Task<IActionResult> OnPostReadAsync(string? label, string? pasted, IFormFile? file, CancellationToken cancellation)
    {
        await PrepareAsync(cancellation);
        (Label, Pasted) = (label ?? "", pasted ?? "");
        (var sent, Problem) = await SentRows.OfAsync(
            file,
            Pasted,
            "Choose a file, paste rows, or begin with an empty table.",
            cancellation
        );
        if (sent is null)
        {
            return Page();
        }

        var import = new Import
        {
            PersonId = person.Id!.Value,
            DatasetId = Guid.Empty,
            App = "",
            IsLive = false,
            From = "/build/tables/new",
            Via = "Build",
            Name = sent.Name,
            Kind = sent.Kind,
            Plan = new ImportPlan(),
            At = time.GetUtcNow(),
        };
        try
        {
            await using var content = sent.Open();
            await imports.AddAsync(import, content, cancellation);
        }
        catch (ImportFailedException exception)
        {
            Problem = exception.Message;
            return Page();
        }

        return RedirectToPage(new { import = import.Id, label = Label.Length > 0 ? Label : Path.GetFileNameWithoutExtension(import.Name) });
    }

    public async Task<IActionResult> OnPostAsync(long? import, string? label, CancellationToken cancellation)
    {
        await PrepareAsync(cancellation);
        await using var file = import is { } id ? await OpenAsync(id, cancellation) : null;
        if (import is not null && file is null)
        {
            return NotFound();
        }

        Label = label ?? "";
        var known = Fields;
        Fields = [.. Enumerable.Range(0, Count()).Select(at => Typed(at, at < known.Length ? known[at] : null))];
        NewField[] wanted = [.. Fields.Where(field => field.Field.Label.Trim().Length > 0)];
        if (wanted.Length == 0)
        {
            Problem = "Give at least one field a label.";
            return Page();
        }

        try
        {
            var (made, problem) = await setUp.CreateAsync(
                Label,
                [.. wanted.Select(field => field.Field)],
                file is null ? AsyncEnumerable.Empty<object?[]>() : RowsAsync(file, wanted, cancellation),
                cancellation
            );
            if (made is not null)
            {
                TempData["note"] = $"The table “{made.Label}” is made.";
                return Redirect(TableEditing.AddressOf(made.Id));
            }

            Problem = problem;
        }
        catch (ImportFailedException exception)
        {
            Problem = exception.Message;
        }

        return Page();
    }

    private async Task PrepareAsync(CancellationToken cancellation) =>
        Targets = OwnTableFields.Targets(await workspaces.GetAsync(cancellation));

    private int Count() => Request.Form.Keys.Count(key => key.StartsWith("label.", StringComparison.Ordinal));

    private NewField Typed(int at, NewField? known) =>
        (known ?? new NewField(new OwnField("", OwnType.Text), null, [])) with
        {
            Field = OwnTableFields.Read(Request.Form, $".{at}", Targets),
        };

    // Cells that a field cannot hold keep the table from being made: each is named by its row.
    private async IAsyncEnumerable<object?[]> RowsAsync(
        ImportedFile file,
        NewField[] fields,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation
    )
    {
        await foreach (var row in FileImports.RowsAsync(file, Import!.Plan, cancellation))
        {
            var values = new object?[fields.Length];
            for (var at = 0; at < fields.Length; at++)
            {
                if (fields[at].Column is not { } column)
                {
                    continue;
                }

                values[at] = fields[at].Field.Read(Import.Plan.Cells, FileImports.Storable(row.Cell(column)), format) switch
                {
                    Parsed.Value { Is: var value } => value,
                    Parsed.Problem { Message: var message } => throw new ImportFailedException(
                        $"Row {row.Number}, “{fields[at].Field.Label}”: {message} Choose another type, such as Text."
                    ),
                    _ => null,
                };
            }

            yield return values;
        }
    }

    // The file, with the fields that its columns suggest.
    private async Task<ImportedFile?> OpenAsync(long id, CancellationToken cancellation)
    {
        if (person.Id is not { } own || await imports.FindAsync(id, own, cancellation) is not { } import)
        {
            return null;
        }

        Import = import;
        var file = await imports.OpenAsync(import, cancellation);
        try
        {
            var (headings, rows) = FileImports.Parted(import.Plan, await FileImports.FirstAsync(file, import.Plan, Looked, cancellation));
            Fields = [.. headings.Select((heading, at) => Suggested(heading, at, rows))];
        }
        catch (ImportFailedException exception)
        {
            Problem = exception.Message;
        }

        return file;
    }

    private NewField Suggested(string heading, int at, IReadOnlyList<ImportedRow> rows)
    {
        string[] cells = [.. rows.Select(row => row.Cell(at))];
        var field = OwnField.Guess(heading.Length > 0 ? heading : $"Column {at + 1}", cells, Import!.Plan.Cells, format);
        return new NewField(field, at, [.. cells.Where(cell => cell.Trim().Length > 0).Take(Sampled)]);
    }
}
