using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Imports;
using Rostrum.Core.OwnTables;
using Rostrum.Store;
using Rostrum.Web.Build.Data;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>Alters an own table: fields are added, hold something else, and go.</summary>
internal sealed class TableModel(RostrumStore store, WorkspaceCache workspaces, RecordFormat format, OwnTableSetUp setUp)
    : DatasetPage(store, workspaces, format)
{
    private const int MostShown = 20;

    /// <summary>The own tables to which relations can lead.</summary>
    public ImmutableArray<(string Table, string Label)> Targets { get; private set; } = [];

    /// <summary>The field that is to be added, as it was typed.</summary>
    public OwnField Added { get; private set; } = new("", OwnType.Text);

    /// <summary>The field whose type is changed.</summary>
    public Field? Retyped { get; private set; }

    public OwnField? Wanted { get; private set; }

    /// <summary>What could not be taken over; null where it has not been tried.</summary>
    public ImmutableArray<(string Text, long Records)>? Lost { get; private set; }

    public string Table => $"{Here}/table";

    public IEnumerable<Field> Columns => Dataset.StoredFields.Where(known => !Dataset.Key.Contains(known.Name));

    public string LostSays =>
        (Lost?.Sum(one => one.Records) ?? 0) switch
        {
            0 => "All values can be taken over.",
            1 => "1 record has a value that cannot be taken over: it would be blank.",
            var records => $"{records:#,##0} records have values that cannot be taken over: they would be blank.",
        };

    public IEnumerable<(string Text, long Records)> LostShown => (Lost ?? []).Take(MostShown);

    public async Task<IActionResult> OnGetAsync(Guid id, Guid table, string? field, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, cancellation))
        {
            return NotFound();
        }

        Retyped = Columns.FirstOrDefault(known => known.Name.Value == field);
        Wanted = Retyped is null ? null : OwnOf(Retyped);
        return Page();
    }

    public async Task<IActionResult> OnPostAddAsync(Guid id, Guid table, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, cancellation))
        {
            return NotFound();
        }

        Added = OwnTableFields.Read(Request.Form, "", Targets);
        Refusal = await setUp.AddAsync(Dataset, Added, cancellation);
        return Done($"“{Added.Label}” is added.");
    }

    /// <summary>The own tables with whose records this one's can be linked.</summary>
    public IEnumerable<(string Table, string Label)> Others =>
        Dataset.Key.Length == 1 ? Targets.Where(other => other.Table != Dataset.Table.Name) : [];

    /// <summary>What was typed of a link.</summary>
    public (string Table, string Label, string InverseLabel) Linked { get; private set; } = ("", "", "");

    public async Task<IActionResult> OnPostLinkAsync(
        Guid id,
        Guid table,
        string? other,
        string? linkLabel,
        string? inverseLabel,
        CancellationToken cancellation
    )
    {
        if (!await OpenAsync(id, table, cancellation))
        {
            return NotFound();
        }

        Linked = (other ?? "", linkLabel?.Trim() ?? "", inverseLabel?.Trim() ?? "");
        (var between, Refusal) = await setUp.LinkAsync(Dataset, Linked.Table, Linked.Label, Linked.InverseLabel, cancellation);
        return Done($"Linked. The links are records of “{between?.Label}”: set its Access for whoever sees or makes them.");
    }

    public async Task<IActionResult> OnPostRemoveAsync(Guid id, Guid table, string field, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, cancellation) || Columns.FirstOrDefault(known => known.Name.Value == field) is not { } known)
        {
            return NotFound();
        }

        Refusal = await setUp.RemoveAsync(Dataset, known, cancellation);
        return Done($"“{known.Label}” is removed.");
    }

    public async Task<IActionResult> OnPostRetypeAsync(Guid id, Guid table, string field, string? step, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, cancellation) || Columns.FirstOrDefault(known => known.Name.Value == field) is not { } known)
        {
            return NotFound();
        }

        (Retyped, Wanted) = (known, OwnTableFields.Read(Request.Form, "", Targets));
        var cells = new CellForm(false, DateOrder.YearMonthDay);
        (Lost, Refusal) = await setUp.RetypeAsync(
            Dataset,
            known,
            Wanted,
            text => Wanted.Read(cells, text, Format) is Parsed.Value { Is: { } value } ? value : null,
            tries: step != "change",
            cancellation
        );
        return step == "change" ? Done($"“{Wanted.Label}” is {Label(Wanted.Type)} now.") : Page();
    }

    public async Task<IActionResult> OnPostDropAsync(Guid id, Guid table, string? name, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, cancellation))
        {
            return NotFound();
        }

        if (!string.Equals(name?.Trim(), Dataset.Label, StringComparison.OrdinalIgnoreCase))
        {
            Refusal = $"Nothing was removed: type “{Dataset.Label}” to remove it with all its records.";
            return Page();
        }

        Refusal = await setUp.DropAsync(Dataset, cancellation);
        return Refusal is null ? Redirect("/build") : Page();
    }

    public static string Label(OwnType type) => OwnKind.Of(type).Label.ToLowerInvariant();

    /// <summary>What a field is, in the words of own tables.</summary>
    public OwnField OwnOf(Field field) =>
        new(field.Label, OwnKind.Of(field, Dataset.RelationOf(field.Name) is not null).Type)
        {
            Options = (field.Type as FieldType.Choice ?? (field.Type as FieldType.List)?.Element as FieldType.Choice)?.Options ?? [],
            Target = Dataset.RelationOf(field.Name) is { } relation ? Catalogue.Find(relation.Target)?.Table.Name : null,
            Currency = (field.Format as DisplayFormat.Money)?.Currency,
            Minimum = Limit(field, Question.AtLeast),
            Maximum = Limit(field, Question.AtMost),
            Default =
                field.UsualValue is { } usual
                && FieldText.FromCanonical(field.Type, Canonical(field.Type, usual)) is Parsed.Value { Is: { } value }
                    ? FieldText.InForm(field.Type, value, Format)
                    : "",
            Required = field.Required,
            Unique = Open.Structure?.UniqueKeys.Any(key => key is [var only] && only == field.Column) == true,
        };

    // “Yes” and “No” are how the structure words what the table gives.
    private static string Canonical(FieldType type, string usual) => type is FieldType.YesNo ? (usual == "Yes" ? "true" : "false") : usual;

    // What the table itself demands of a field, as it is typed.
    private string Limit(Field field, Question question)
    {
        var columns = Dataset.StoredFields.ToDictionary(known => known.Column);
        var limit = (Open.Structure?.Checks ?? [])
            .Select(sql => CheckCondition.Read(sql, columns))
            .OfType<Condition.Test>()
            .FirstOrDefault(test => test.Question == question && test.Name is [var name] && name == field.Name.Value);
        return limit?.Operand switch
        {
            Operand.Value { Is: decimal number } => FieldText.InForm(
                field.Type,
                field.Type is FieldType.Integer ? decimal.ToInt64(number) : number,
                Format
            ),
            Operand.Value { Is: DateOnly day } => FieldText.InForm(field.Type, day, Format),
            _ => "",
        };
    }

    private IActionResult Done(string note)
    {
        if (Refusal is not null)
        {
            return Page();
        }

        TempData["note"] = note;
        return Redirect(Table);
    }

    private async Task<bool> OpenAsync(Guid id, Guid table, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation) || !IsOwn || Dataset.GoneBecause is not null)
        {
            return false;
        }

        Targets = OwnTableFields.Targets(await WorkspaceAsync(cancellation));
        return true;
    }
}
