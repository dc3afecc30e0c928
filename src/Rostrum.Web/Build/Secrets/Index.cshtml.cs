using System.Collections.Immutable;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;
using Rostrum.Web.People;

namespace Rostrum.Web.Build.Secrets;

/// <summary>The secrets of the workspace: added, replaced and removed, and never shown again.</summary>
internal sealed partial class IndexModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    SourceSecrets secrets,
    CurrentPerson person,
    RecordFormat format,
    TimeProvider time
) : PageModel
{
    private const int LongestValue = 10_000;

    [GeneratedRegex("^[a-z][a-z0-9_]{0,39}$", RegexOptions.CultureInvariant, matchTimeoutMilliseconds: 1000)]
    private static partial Regex Names { get; }

    /// <param name="Name">Its name in formulas.</param>
    /// <param name="Note">What it is for.</param>
    /// <param name="Changed">When and by whom its value was set last.</param>
    /// <param name="UsedBy">The sources that name it.</param>
    /// <param name="Used">When, by whom and where it was used last; null where it never was.</param>
    public sealed record Row(string Name, string Note, string Changed, ImmutableArray<(Guid Id, string Name)> UsedBy, string? Used);

    public ImmutableArray<Row> Secrets { get; private set; } = [];

    [BindProperty]
    public string? Name { get; set; }

    [BindProperty]
    public string? Note { get; set; }

    public string? Problem { get; private set; }

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var sources = (await workspaces.GetAsync(cancellation))
            .Sources.Values.OrderBy(source => source.Name, StringComparer.CurrentCulture)
            .ToArray();
        var stored = await store.Secrets.AsNoTracking().OrderBy(secret => secret.Name).ToListAsync(cancellation);
        Secrets =
        [
            .. stored.Select(secret => new Row(
                secret.Name,
                secret.Note,
                $"{format.Display(new FieldType.Instant(), secret.ChangedAt)} by {secret.ChangedBy}",
                [
                    .. sources
                        .Where(source =>
                            (source.Options + source.Requests).Contains($"secrets.{secret.Name}", StringComparison.OrdinalIgnoreCase)
                        )
                        .Select(source => (source.Id, source.Name)),
                ],
                LastUse(secret)
            )),
        ];
    }

    private string? LastUse(StoredSecret secret) =>
        secret.UsedAt is not { } at ? null
        : secret.UsedBy.Length == 0 ? $"{format.Display(new FieldType.Instant(), at)} in {secret.UsedIn}"
        : $"{format.Display(new FieldType.Instant(), at)} by {secret.UsedBy} in {secret.UsedIn}";

    /// <summary>Adds a secret.</summary>
    public async Task<IActionResult> OnPostAsync(string? value, CancellationToken cancellation)
    {
        var name = Name?.Trim().ToLowerInvariant() ?? "";
        Problem =
            !Names.IsMatch(name) ? "Give it a name of small letters, digits and underscores, such as tide_service_key."
            : string.IsNullOrEmpty(value) || value.Length > LongestValue ? "Write its value."
            : await store.Secrets.AnyAsync(secret => secret.Name == name, cancellation)
                ? $"There is a secret “{name}” already. Replace its value, or choose another name."
            : null;
        if (Problem is not null)
        {
            await OnGetAsync(cancellation);
            return Page();
        }

        store.Secrets.Add(
            new StoredSecret
            {
                Name = name,
                Note = Note?.Trim() ?? "",
                ProtectedValue = secrets.Protect(value!),
                ChangedAt = time.GetUtcNow(),
                ChangedBy = await person.NameAsync(cancellation),
            }
        );
        await store.SaveChangesAsync(cancellation);
        TempData["note"] = $"The secret {name} is added. Use it as ${{secrets.{name}}} in headers and bodies.";
        return Redirect("/build/secrets");
    }

    /// <summary>Sets another value.</summary>
    public async Task<IActionResult> OnPostReplaceAsync(string name, string? value, CancellationToken cancellation)
    {
        if (await store.Secrets.FindAsync([name], cancellation) is not { } secret)
        {
            return NotFound();
        }

        if (!string.IsNullOrEmpty(value) && value.Length <= LongestValue)
        {
            (secret.ProtectedValue, secret.ChangedAt) = (secrets.Protect(value), time.GetUtcNow());
            secret.ChangedBy = await person.NameAsync(cancellation);
            await store.SaveChangesAsync(cancellation);
            TempData["note"] = $"The value of {name} is replaced.";
        }

        return Redirect("/build/secrets");
    }

    public async Task<IActionResult> OnPostRemoveAsync(string name, CancellationToken cancellation)
    {
        if (await store.Secrets.FindAsync([name], cancellation) is { } secret)
        {
            store.Secrets.Remove(secret);
            await store.SaveChangesAsync(cancellation);
        }

        TempData["note"] = $"The secret {name} is removed.";
        return Redirect("/build/secrets");
    }
}
