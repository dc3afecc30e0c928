using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;
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
    public SignOffRequest Asked { get; private set; } = null!;

    /// <summary>Whoever looks may decide.</summary>
    public bool IsTheirs { get; private set; }

    public string? RecordAddress { get; private set; }

    public string? Problem { get; private set; }

    public string Comment { get; private set; } = "";

    /// <summary>Who else could decide.</summary>
    public ImmutableArray<(Guid Id, string Name)> Others { get; private set; } = [];

    public string Names { get; private set; } = "";

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
        switch (await signOffs.AnswerAsync(id, person.Id!.Value, answer, Comment, cancellation))
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
        IsTheirs = asked.People.Contains(person.Id!.Value) && asked is { AnsweredAt: null, IsWithdrawn: false };
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
