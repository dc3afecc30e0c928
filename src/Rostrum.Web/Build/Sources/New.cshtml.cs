using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Build.Sources;

/// <summary>Connecting a source.</summary>
internal sealed class NewModel(SourceSetUp setUp, SourceFiles files, SourceSecrets secrets, WorkspaceCache workspaces)
    : ConnectionModel(files, secrets, workspaces)
{
    public IActionResult OnGet(string? kind)
    {
        if (!Choose(kind))
        {
            return NotFound();
        }

        foreach (var setting in Kind.Settings.Where(setting => setting.Standard is not null))
        {
            Typed[setting.Key] = setting.Standard!.Value.ToString(CultureInfo.InvariantCulture);
        }

        return Page();
    }

    public Task<IActionResult> OnPostTestAsync(string? kind, CancellationToken cancellation) =>
        Choose(kind) ? TestAsync(cancellation) : Task.FromResult<IActionResult>(NotFound());

    public Task<IActionResult> OnPostUploadAsync(string? kind, IFormFile? upload, CancellationToken cancellation) =>
        Choose(kind) ? UploadAsync(upload, cancellation) : Task.FromResult<IActionResult>(NotFound());

    public async Task<IActionResult> OnPostAsync(string? kind, CancellationToken cancellation)
    {
        if (!Choose(kind))
        {
            return NotFound();
        }

        if (!Read())
        {
            return Show();
        }

        var (source, refusal) = await setUp.ConnectAsync(Name.Trim(), Settings, cancellation);
        Refusal = refusal;
        return source is null ? Show()
            : Kind.HasRequests ? GoTo($"/build/sources/{source.Id:N}/requests/new")
            : GoTo($"/build/sources/{source.Id:N}");
    }

    private bool Choose(string? kind)
    {
        if (Kinds.FirstOrDefault(known => known.Name == (kind ?? SourceKind.Usual)) is not { } chosen)
        {
            return false;
        }

        Kind = chosen;
        return true;
    }
}
