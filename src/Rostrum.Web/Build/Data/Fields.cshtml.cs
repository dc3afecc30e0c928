using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.Apps;
using Rostrum.Web.People;

namespace Rostrum.Web.Build.Data;

/// <summary>A table opened as its rows, with each field's settings at the head of its column.</summary>
internal sealed class FieldsModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    RecordGate gate,
    RecordFormat format,
    CurrentPerson current
) : DatasetPage(store, workspaces, format)
{
    private const int RowsPerPage = 40;
    private const int SamplesOfShape = 200;
    private SignedIn? _user;

    public ReadResult Sample { get; private set; } = null!;

    /// <summary>The field whose settings are open.</summary>
    public Field? Selected { get; private set; }

    /// <summary>The settings as they stand in their form.</summary>
    public FieldSettings Settings { get; private set; } = null!;

    /// <summary>The rules that these settings would add, and how many records break each.</summary>
    public ImmutableArray<(Rule Rule, string Records)> Broken { get; private set; } = [];

    /// <summary>Only these rows, because something is wrong with them; and in words.</summary>
    public (string Words, Filter Filter)? Only { get; private set; }

    public int PageNumber { get; private set; } = 1;

    public async Task<IActionResult> OnGetAsync(
        Guid id,
        Guid? table,
        string? field,
        string? only,
        int? page,
        CancellationToken cancellation
    )
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            // A source without tables: they are made of requests, or found by reading its structure.
            return table is null && Source is not null ? Redirect($"{Root}/{(HasRequests ? "requests/new" : "structure")}") : NotFound();
        }

        await ChooseAsync(field, cancellation);
        Only = RecordFaults.Only(Dataset, only);
        PageNumber = Math.Max(1, page ?? 1);
        return await ShowAsync(cancellation);
    }

    /// <summary>Keeps the settings of one field.</summary>
    public async Task<IActionResult> OnPostFieldAsync(Guid id, Guid table, string field, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation) || Dataset.Find(new FieldName(field)) is not { } known)
        {
            return NotFound();
        }

        await ChooseAsync(field, cancellation);
        Settings = FieldSettings.Posted(Dataset, known, Request.Form);
        var (changed, problem) = Settings.Apply(Dataset, known, Anybody, Format);
        if (changed is null)
        {
            Refusal = problem;
            return await ShowAsync(cancellation);
        }

        var added = changed.Rules.Except(Dataset.Rules).ToArray();
        switch (Request.Form["existing"].ToString())
        {
            case "changed":
                changed = changed with
                {
                    Rules = [.. changed.Rules.Select(rule => added.Contains(rule) ? rule with { OnlyOnChange = true } : rule)],
                };
                break;
            case "" when await BrokenAsync(added, cancellation) is { IsEmpty: false } broken:
                Broken = broken;
                return await ShowAsync(cancellation);
        }

        return await SaveAsync(changed, $"{changed.Find(known.Name)!.Label} is saved.", $"{Here}?field={field}", cancellation, async () =>
            await ShowAsync(cancellation)
        );
    }

    /// <summary>Moves a field one place to the left or the right.</summary>
    public async Task<IActionResult> OnPostMoveAsync(Guid id, Guid table, string field, int by, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation) || Dataset.Find(new FieldName(field)) is not { } known)
        {
            return NotFound();
        }

        var from = Dataset.Fields.IndexOf(known);
        var to = Math.Clamp(from + Math.Sign(by), 0, Dataset.Fields.Length - 1);
        return await SaveAsync(
            Dataset with
            {
                Fields = Dataset.Fields.RemoveAt(from).Insert(to, known),
            },
            $"{known.Label} is moved.",
            $"{Here}?field={field}",
            cancellation
        );
    }

    /// <summary>Proposes the shape of a JSON field by some of its values; nothing is saved.</summary>
    public async Task<IActionResult> OnPostShapeAsync(Guid id, Guid table, string field, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation) || Dataset.Find(new FieldName(field)) is not { Type: FieldType.Json } known)
        {
            return NotFound();
        }

        await ChooseAsync(field, cancellation);
        Settings = FieldSettings.Posted(Dataset, known, Request.Form);
        var request = new ReadRequest(Dataset.Id) { Fields = [known.Name], Window = new PageWindow.FromStart(0, SamplesOfShape) };
        var read = await gate.ReadAsync(Catalogue, request, Builder, cancellation);
        var samples = (read as ReadResult.Rows)?.Records.Select(record => record[known.Name]).OfType<string>() ?? [];
        if (JsonSchema.SchemaOf(samples) is { } schema)
        {
            Settings = Settings with { Schema = schema };
        }
        else
        {
            Refusal = "None of the first records has a JSON object here.";
        }

        return await ShowAsync(cancellation);
    }

    /// <summary>What the default that is being typed amounts to.</summary>
    public async Task<IActionResult> OnPostDefaultAsync(Guid id, Guid table, string field, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation) || Dataset.Find(new FieldName(field)) is not { } known)
        {
            return NotFound();
        }

        await ChooseAsync(field, cancellation);
        Settings = FieldSettings.Posted(Dataset, known, Request.Form);
        return Partial("/Build/Data/_DefaultNow.cshtml", DefaultNow);
    }

    /// <summary>
    /// The value that a formula for the default gives at this moment, as people read it, or what is wrong with it; null where there is
    /// none.
    /// </summary>
    public Parsed? DefaultNow =>
        Settings.Default.Length == 0 || Selected is not { } of
            ? null
            : FieldDefault.Value(
                of with
                {
                    Default = Settings.Default,
                },
                _user ?? Anybody,
                new FormulaContext(Format.Clock.GetUtcNow(), Format.Zone)
            ) switch
            {
                Parsed.Value value => Settings.Default.StartsWith('=')
                    ? new Parsed.Value(value.Is is null ? "blank" : Format.Display(of, value.Is))
                    : null,
                var problem => problem,
            };

    public string Address(int page)
    {
        var field = Selected is null ? "" : $"&field={Selected.Name}";
        var shown = Request.Query["only"].ToString() is { Length: > 0 } only ? $"&only={Uri.EscapeDataString(only)}" : "";
        return $"{Here}?page={page}{field}{shown}";
    }

    // Rules that many records break already would stop the next save of each of them: their builder decides.
    private async Task<ImmutableArray<(Rule Rule, string Records)>> BrokenAsync(IEnumerable<Rule> rules, CancellationToken cancellation)
    {
        var broken = ImmutableArray.CreateBuilder<(Rule, string)>();
        foreach (var rule in rules)
        {
            var request = new ReadRequest(Dataset.Id)
            {
                Filter = RecordFaults.Breaking(rule),
                Window = new PageWindow.FromStart(0, 0),
                Counted = true,
            };
            if (await gate.ReadAsync(Catalogue, request, Builder, cancellation) is ReadResult.Rows { Count: { Number: > 0 } count })
            {
                broken.Add(
                    (
                        rule,
                        count.Number == 1
                            ? $"1 {Dataset.RecordLabel} breaks"
                            : $"{count.Number.ToString("#,##0", Format.Culture)} {Dataset.LabelInSentence} break"
                    )
                );
            }
        }

        return broken.ToImmutable();
    }

    private async Task ChooseAsync(string? field, CancellationToken cancellation)
    {
        _user = (await current.GrantsAsync(cancellation)).User;
        Selected = field is null ? null : Dataset.Find(new FieldName(field));
        Settings = Selected is null ? null! : FieldSettings.Of(Dataset, Selected);
    }

    private async Task<PageResult> ShowAsync(CancellationToken cancellation)
    {
        Sample = await gate.ReadAsync(
            Catalogue,
            new ReadRequest(Dataset.Id)
            {
                Fields = [.. Dataset.Fields.Select(field => field.Name)],
                Titles = [.. Dataset.Relations.Select(relation => relation.Name)],
                Filter = Only?.Filter ?? new Filter.Everything(),
                Window = new PageWindow.FromStart((long)(PageNumber - 1) * RowsPerPage, RowsPerPage),
                Counted = true,
            },
            Builder,
            cancellation
        );
        return Page();
    }
}
