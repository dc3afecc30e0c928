using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Build.Data;

/// <summary>What a formula amounts to, as the builder types it: its problems, or its values of some records.</summary>
internal sealed record FormulaAnswer(MadeField Made, ImmutableArray<Record> Sample, FieldName Column, ComputedPart? Part, string? Failure);

/// <summary>A computed field of a dataset: its label and its formula, tried out on records while it is typed.</summary>
internal sealed class ComputedFieldModel(RostrumStore store, WorkspaceCache workspaces, RecordGate gate, RecordFormat format)
    : DatasetPage(store, workspaces, format)
{
    private const int SampleRows = 6;
    private static readonly FieldName Tried = new("tried_out");

    /// <summary>The field that is changed; null for a new one.</summary>
    public Field? Field { get; private set; }

    public FormulaAnswer? Answer { get; private set; }

    [BindProperty]
    public string? Label { get; set; } = "";

    [BindProperty]
    public string? Formula { get; set; } = "";

    [BindProperty]
    public string? Decimals { get; set; } = "";

    public async Task<IActionResult> OnGetAsync(Guid id, Guid table, string? name, CancellationToken cancellation)
    {
        if (!await LoadFieldAsync(id, table, name, cancellation))
        {
            return NotFound();
        }

        Offers = await FormulaCompletion.JsonAsync(this, gate, name, cancellation);
        (Label, Formula, Decimals) = (
            Field?.Label ?? "",
            Field?.Formula ?? "",
            (Field?.Type as FieldType.Number)?.Scale?.ToString(CultureInfo.InvariantCulture) ?? ""
        );
        Answer = Formula.Length > 0 ? await TryAsync(cancellation) : null;
        return Page();
    }

    /// <summary>Says what the formula amounts to so far.</summary>
    public async Task<IActionResult> OnPostTryAsync(Guid id, Guid table, string? name, CancellationToken cancellation)
    {
        if (!await LoadFieldAsync(id, table, name, cancellation))
        {
            return NotFound();
        }

        Answer = string.IsNullOrWhiteSpace(Formula) ? null : await TryAsync(cancellation);
        return Partial("/Build/Data/_FormulaAnswer.cshtml", this);
    }

    public async Task<IActionResult> OnPostAsync(Guid id, Guid table, string? name, CancellationToken cancellation)
    {
        if (!await LoadFieldAsync(id, table, name, cancellation))
        {
            return NotFound();
        }

        Answer = await TryAsync(cancellation);
        Offers = await FormulaCompletion.JsonAsync(this, gate, name, cancellation);
        return Answer.Made.Dataset is { } changed
            ? await SaveAsync(
                changed,
                $"{Answer.Made.Field!.Label} is saved.",
                $"{Here}?field={Answer.Made.Field.Name}",
                cancellation,
                () => Task.FromResult<IActionResult>(Page())
            )
            : Page();
    }

    public async Task<IActionResult> OnPostRemoveAsync(Guid id, Guid table, string? name, CancellationToken cancellation) =>
        await LoadFieldAsync(id, table, name, cancellation) && Field is { } field
            ? await SaveAsync(ComputedFieldMaking.Without(Dataset, field), $"{field.Label} is removed.", Here, cancellation)
            : NotFound();

    private async Task<FormulaAnswer> TryAsync(CancellationToken cancellation)
    {
        var made = ComputedFieldMaking.Make(
            Catalogue,
            Dataset,
            Field,
            Label?.Trim() ?? "",
            Formula ?? "",
            int.TryParse(Decimals, NumberStyles.None, CultureInfo.InvariantCulture, out var decimals) ? decimals : null
        );
        if (made.Formula.Tree is null)
        {
            return new FormulaAnswer(made, [], Tried, null, null);
        }

        var request = new ReadRequest(Dataset.Id)
        {
            Computed = [new ComputedColumn(Tried, Formula!)],
            Window = new PageWindow.FromStart(0, SampleRows),
        };
        return await gate.ReadAsync(Catalogue, request, Builder, cancellation) switch
        {
            ReadResult.Rows rows => new FormulaAnswer(made, rows.Records, Tried, rows.Explanation.FirstOrDefault(), null),
            ReadResult.Failed failed => new FormulaAnswer(made, [], Tried, null, failed.Failure.Message),
            ReadResult.Invalid invalid => new FormulaAnswer(made, [], Tried, null, made.Problem is null ? invalid.Problem : null),
            _ => new FormulaAnswer(made, [], Tried, null, null),
        };
    }

    private async Task<bool> LoadFieldAsync(Guid id, Guid table, string? name, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            return false;
        }

        Field = name is null ? null : Dataset.Find(new FieldName(name));
        return name is null || Field is { Formula: not null };
    }
}
