using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Workshop.Sources;

/// <summary>What a formula amounts to, as the builder types it: its problems, or its values of some records.</summary>
internal sealed record FormulaAnswer(MadeField Made, ImmutableArray<Record> Sample, FieldName Column, ComputedPart? Part, string? Failure)
{
    /// <summary>The formula's text, cut where something is wrong with it.</summary>
    public IEnumerable<(string Text, bool IsWrong)> Pieces
    {
        get
        {
            var (text, at) = (Made.Formula.Parsed.Text, 0);
            foreach (var span in Made.Formula.Problems.Select(problem => problem.Span).OrderBy(span => span.Start))
            {
                var start = Math.Clamp(span.Start, at, text.Length);
                var end = Math.Clamp(span.Start + span.Length, start, text.Length);
                yield return (text[at..start], false);
                yield return (start == end ? "\u00a0" : text[start..end], true);
                at = end;
            }

            yield return (text[at..], false);
        }
    }
}

/// <summary>A computed field of a dataset: its label and its formula, tried out on records while it is typed.</summary>
internal sealed class ComputedFieldModel(RostrumStore store, RecordGate gate, RecordFormat format) : PageModel
{
    private const int SampleRows = 6;
    private static readonly FieldName Tried = new("tried_out");

    public StoredSource Source { get; private set; } = null!;

    public Dataset Dataset { get; private set; } = null!;

    public DatasetCatalogue Catalogue { get; private set; } = new([]);

    /// <summary>The field that is changed; null for a new one.</summary>
    public Field? Field { get; private set; }

    public FormulaAnswer? Answer { get; private set; }

    public RecordFormat Format => format;

    [BindProperty]
    public string? Label { get; set; } = "";

    [BindProperty]
    public string? Formula { get; set; } = "";

    [BindProperty]
    public string? Decimals { get; set; } = "";

    /// <summary>The names that the formula may use.</summary>
    public FormulaShape Shape => new DatasetShapes(Catalogue, Grants.Everywhere(Grant.ViewOnly)).Of(Dataset).Shape;

    public async Task<IActionResult> OnGetAsync(Guid id, Guid table, string? name, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, name, cancellation))
        {
            return NotFound();
        }

        (Label, Formula, Decimals) = (Field?.Label ?? "", Field?.Formula ?? "", (Field?.Type as FieldType.Number)?.Scale?.ToString(CultureInfo.InvariantCulture) ?? "");
        Answer = Formula.Length > 0 ? await TryAsync(cancellation) : null;
        return Page();
    }

    /// <summary>Says what the formula amounts to so far.</summary>
    public async Task<IActionResult> OnPostTryAsync(Guid id, Guid table, string? name, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, name, cancellation))
        {
            return NotFound();
        }

        Answer = string.IsNullOrWhiteSpace(Formula) ? null : await TryAsync(cancellation);
        return Partial("/Workshop/Sources/_FormulaAnswer.cshtml", this);
    }

    public async Task<IActionResult> OnPostAsync(Guid id, Guid table, string? name, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, name, cancellation))
        {
            return NotFound();
        }

        Answer = await TryAsync(cancellation);
        return Answer.Made.Dataset is { } changed ? await SaveAsync(changed, $"{Answer.Made.Field!.Label} is saved.", cancellation) : Page();
    }

    public async Task<IActionResult> OnPostRemoveAsync(Guid id, Guid table, string? name, CancellationToken cancellation) =>
        await LoadAsync(id, table, name, cancellation) && Field is { } field
            ? await SaveAsync(ComputedFieldMaking.Without(Dataset, field), $"{field.Label} is removed.", cancellation)
            : NotFound();

    private async Task<IActionResult> SaveAsync(Dataset changed, string note, CancellationToken cancellation)
    {
        var stored = await store.Datasets.FirstAsync(row => row.Id == Dataset.Id.Value, cancellation);
        stored.Definition = changed;
        await store.SaveChangesAsync(cancellation);
        TempData["note"] = note;
        return Redirect($"/workshop/sources/{Source.Id:N}/{Dataset.Id}#computed");
    }

    private async Task<FormulaAnswer> TryAsync(CancellationToken cancellation)
    {
        var made = ComputedFieldMaking.Make(Catalogue, Dataset, Field, Label?.Trim() ?? "", Formula ?? "", int.TryParse(Decimals, NumberStyles.None, CultureInfo.InvariantCulture, out var decimals) ? decimals : null);
        if (made.Formula.Tree is null)
        {
            return new FormulaAnswer(made, [], Tried, null, null);
        }

        var request = new ReadRequest(Dataset.Id) { Computed = [new ComputedColumn(Tried, Formula!)], Window = new PageWindow.FromStart(0, SampleRows) };
        return await gate.ReadAsync(Catalogue, request, Grants.Everywhere(Grant.ViewOnly), cancellation) switch
        {
            ReadResult.Rows rows => new FormulaAnswer(made, rows.Records, Tried, rows.Explanation.FirstOrDefault(), null),
            ReadResult.Failed failed => new FormulaAnswer(made, [], Tried, null, failed.Failure.Message),
            ReadResult.Invalid invalid => new FormulaAnswer(made, [], Tried, null, made.Problem is null ? invalid.Problem : null),
            _ => new FormulaAnswer(made, [], Tried, null, null),
        };
    }

    private async Task<bool> LoadAsync(Guid id, Guid table, string? name, CancellationToken cancellation)
    {
        if (await store.Sources.AsNoTracking().FirstOrDefaultAsync(source => source.Id == id, cancellation) is not { } source)
        {
            return false;
        }

        Source = source;
        Catalogue = await store.DatasetsAsync(cancellation, id);
        if (Catalogue.Find(new DatasetId(table)) is not { } dataset)
        {
            return false;
        }

        Dataset = dataset;
        Field = name is null ? null : dataset.Find(new FieldName(name));
        return name is null || Field is { Formula: not null };
    }
}
