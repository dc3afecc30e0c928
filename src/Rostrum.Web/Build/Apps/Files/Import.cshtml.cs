using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Apps.Files;
using Rostrum.Web.People;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Apps.Files;

/// <summary>Brings an app in from files: what would be otherwise is shown before anything is changed.</summary>
[RequestSizeLimit(FolderInZip.Largest)]
internal sealed class ImportModel(AppTransfer transfer, CurrentPerson person) : PageModel
{
    [BindProperty]
    public IFormFile? Upload { get; set; }

    /// <summary>The draft's revision with which the files were compared; none where the app would be new.</summary>
    [BindProperty]
    public int? Revision { get; set; }

    public ImportPlan? Plan { get; private set; }

    public string? Refusal { get; private set; }

    public IActionResult OnGet() => Page();

    public async Task<IActionResult> OnPostCompareAsync(CancellationToken cancellation)
    {
        await ReadAsync(cancellation);
        return Show();
    }

    public async Task<IActionResult> OnPostAsync(CancellationToken cancellation)
    {
        await ReadAsync(cancellation);
        if (Plan is not { IsPossible: true } plan)
        {
            return Show();
        }

        if (plan.Existing?.Revision != Revision)
        {
            Refusal = "The app has changed since the comparison. Check the comparison again, then import.";
            return Show();
        }

        var address = await transfer.ImportAsync(plan, person.Id!.Value, await person.NameAsync(cancellation), cancellation);
        var page = $"/build/apps/{address}";
        if (!Request.IsPartial())
        {
            return Redirect(page);
        }

        Response.Headers["HX-Redirect"] = page;
        return new NoContentResult();
    }

    private async Task ReadAsync(CancellationToken cancellation)
    {
        if (Upload is null)
        {
            Refusal = "Choose a file first: one that was exported from an app.";
            return;
        }

        await using var stream = Upload.OpenReadStream();
        var (folder, problem) = await FolderInZip.ReadAsync(stream, cancellation);
        Refusal = problem;
        Plan = folder is null ? null : await transfer.PlanAsync(folder, cancellation);
    }

    private IActionResult Show() => Request.IsPartial() ? Partial("/Build/Apps/Files/_Plan.cshtml", this) : Page();
}
