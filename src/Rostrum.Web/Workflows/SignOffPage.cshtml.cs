using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.Live.Sheet;
using Rostrum.Web.People;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Workflows;

/// <summary>Where somebody who is asked decides.</summary>
internal sealed class SignOffPageModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    SignOffs signOffs,
    RecordAddresses addresses,
    CurrentPerson person,
    RecordFormat format
) : PageModel
{
    private RunValues _values = null!;

    public SignOffRequest Asked { get; private set; } = null!;

    /// <summary>Whoever looks may decide.</summary>
    public bool IsTheirs { get; private set; }

    public string? RecordAddress { get; private set; }

    public string? Problem { get; private set; }

    public string Comment { get; private set; } = "";

    /// <summary>What is to be filled in.</summary>
    public ImmutableArray<FormField> Fields { get; private set; } = [];

    /// <summary>What was filled in, as people read it.</summary>
    public string FilledIn { get; private set; } = "";

    /// <summary>Who else could decide.</summary>
    public ImmutableArray<(Guid Id, string Name)> Others { get; private set; } = [];

    public string Names { get; private set; } = "";

    private string Said(string kept)
    {
        using var values = JsonDocument.Parse(kept);
        return string.Join(
            " · ",
            from field in Fields
            where values.RootElement.TryGetProperty(field.Field.Name.Value, out _)
            let value = JsonShape.Read(DatasetShapes.TypeOf(field.Field.Type)!, values.RootElement.GetProperty(field.Field.Name.Value))
            select $"{field.Label}: {format.Display(field.Field.Type, value)}"
        );
    }

    public string When(DateTimeOffset at) => format.Display(new FieldType.Instant(), at);

    public async Task<IActionResult> OnGetAsync(Guid id, CancellationToken cancellation) =>
        await LoadAsync(id, cancellation) ? Page() : NotFound();

    public async Task<IActionResult> OnPostAsync(Guid id, string answer, string? comment, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation))
        {
            return NotFound();
        }

        Comment = comment ?? "";
        if (!IsTheirs)
        {
            return Redirect($"/sign-off/{id}");
        }

        if (Filled() is not { } values)
        {
            Problem = "Not saved: look at the fields marked below.";
            return Page();
        }

        switch (
            await signOffs.AnswerAsync(
                id,
                person.Id!.Value,
                answer,
                Comment,
                values.Count == 0 ? null : values.ToJsonString(),
                cancellation
            )
        )
        {
            case AnswerOutcome.Taken:
                TempData["note"] = $"Your answer: {answer}.";
                return Redirect($"/sign-off/{id}");
            case AnswerOutcome.NeedsComment:
                Problem = $"Not saved: write a comment with “{answer}”.";
                return Page();
            case AnswerOutcome.TooLate:
                return Redirect($"/sign-off/{id}");
            default:
                return Forbid();
        }
    }

    public async Task<IActionResult> OnPostDelegateAsync(Guid id, Guid to, CancellationToken cancellation)
    {
        if (!await signOffs.DelegateAsync(id, person.Id!.Value, to, cancellation))
        {
            return Forbid();
        }

        TempData["note"] = "Somebody else decides in your place.";
        return Redirect("/inbox");
    }

    // What was typed into the fields; null where some of it is none of their type: they say so then.
    private JsonObject? Filled()
    {
        var values = new JsonObject();
        Fields =
        [
            .. Fields.Select(field =>
            {
                var text = Request.Form[field.InputName].ToString();
                switch (FieldText.FromForm(field.Field.Type, text, format))
                {
                    case Parsed.Value { Is: { } value }:
                        values[field.Field.Name.Value] = _values.Write(value);
                        return field with { Text = text };
                    case Parsed.Problem problem:
                        return field with { Text = text, Said = [new FieldProblem(field.Field.Name, problem.Message)] };
                    default:
                        return field with { Text = text };
                }
            }),
        ];
        return Fields.Any(field => field.IsInvalid) ? null : values;
    }

    private async Task<bool> LoadAsync(Guid id, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (
            await store.SignOffs.AsNoTracking().FirstOrDefaultAsync(request => request.Id == id, cancellation) is not { } asked
            || !(asked.People.Contains(person.Id!.Value) || await person.MayBuildAsync(cancellation))
        )
        {
            return false;
        }

        Asked = asked;
        _values = new RunValues(DatasetShapes.Of(workspace.Datasets, Grants.ViewEverything));
        IsTheirs = asked.People.Contains(person.Id!.Value) && asked is { AnsweredAt: null, IsWithdrawn: false };
        Fields =
        [
            .. asked.Fields.Select(field => new FormField
            {
                Field = new Field
                {
                    Name = new FieldName(field.Name),
                    Column = "",
                    NativeType = "",
                    Label = Wording.Label(field.Name),
                    Type = field.Type,
                },
                Label = Wording.Label(field.Name),
            }),
        ];
        FilledIn = asked.Values is { } kept ? Said(kept) : "";
        Names = string.Join(", ", asked.People.Select(known => workspace.People.GetValueOrDefault(known)?.Name ?? "somebody who has gone"));
        Others =
        [
            .. workspace
                .People.Where(known => known.Value.IsActive && !asked.People.Contains(known.Key))
                .OrderBy(known => known.Value.Name, StringComparer.Ordinal)
                .Select(known => (known.Key, known.Value.Name)),
        ];
        if (
            asked is { DatasetId: { } of, RecordKey: { } key }
            && workspace.Datasets.Find(new DatasetId(of)) is { } dataset
            && Core.Datasets.RecordKey.Parse(dataset, key) is { } parsed
        )
        {
            RecordAddress = await addresses.OfAsync(workspace, dataset, parsed, cancellation);
        }

        return true;
    }
}
