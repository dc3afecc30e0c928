using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apis;
using Rostrum.Sources;
using Rostrum.Sources.Http;
using Rostrum.Store;

namespace Rostrum.Web.Build.Sources.Requests;

/// <summary>Tables from an OpenAPI description: the builder chooses which.</summary>
internal sealed class ImportModel(RostrumStore store, WorkspaceCache workspaces, SourceSecrets secrets, ApiTables tables) : PageModel
{
    private const int LongestText = 5_000_000;

    public StoredSource Source { get; private set; } = null!;

    public string Text { get; private set; } = "";

    public string? Problem { get; private set; }

    public ImmutableArray<ApiResource> Found { get; private set; } = [];

    public string Here => $"/build/sources/{Source.Id:N}/requests/import";

    public async Task<IActionResult> OnGetAsync(Guid id, CancellationToken cancellation) =>
        await LoadAsync(id, cancellation) ? Page() : NotFound();

    /// <summary>Reads the description, from the text or from a path of the API.</summary>
    public async Task<IActionResult> OnPostReadAsync(Guid id, string? path, string? text, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation))
        {
            return NotFound();
        }

        Text = text ?? "";
        if (string.IsNullOrWhiteSpace(text) && !string.IsNullOrWhiteSpace(path))
        {
            var settings = secrets.Settings(SourceEntry.Of(Source), (await workspaces.GetAsync(cancellation)).Secrets);
            var answer = await ApiTrying.SendAsync(settings, new ApiRequest { Method = "GET", Path = path.Trim() }, cancellation);
            (Text, Problem) = (answer.Text, answer.Status == 200 ? null : answer.Failure?.Message);
        }

        if (Problem is null)
        {
            (Found, Problem) = Text.Length is 0 or > LongestText
                ? ([], "Paste the description, or give the path where the API has it.")
                : OpenApiReading.Read(Text);
        }

        return Page();
    }

    public async Task<IActionResult> OnPostAsync(Guid id, string? text, string[] chosen, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation))
        {
            return NotFound();
        }

        Text = text ?? "";
        (Found, Problem) = OpenApiReading.Read(Text);
        ApiResource[] wanted = [.. Found.Where(resource => chosen.Contains(resource.Name))];
        if (wanted.Length == 0)
        {
            Problem ??= "Tick the tables to import.";
            return Page();
        }

        await tables.AddAsync(id, wanted, cancellation);
        TempData["note"] = $"{wanted.Length} {(wanted.Length == 1 ? "table is" : "tables are")} imported.";
        return Redirect($"/build/sources/{id:N}");
    }

    private async Task<bool> LoadAsync(Guid id, CancellationToken cancellation)
    {
        if (
            await store.Sources.AsNoTracking().FirstOrDefaultAsync(source => source.Id == id, cancellation) is not { } source
            || SourceKind.Find(source.Kind) is not { HasRequests: true }
        )
        {
            return false;
        }

        Source = source;
        return true;
    }
}
