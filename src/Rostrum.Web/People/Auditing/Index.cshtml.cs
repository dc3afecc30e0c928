using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.People.Auditing;

/// <summary>Who did what, and when: the newest first.</summary>
internal sealed class IndexModel(RostrumStore store, RecordFormat format) : PageModel
{
    private const int OnPage = 50;

    /// <summary>What entries are about, as people read it.</summary>
    public static readonly ImmutableArray<(AuditKind Kind, string Label)> Kinds =
    [
        (AuditKind.Rights, "rights"),
        (AuditKind.People, "people and groups"),
        (AuditKind.Roles, "roles"),
        (AuditKind.SignIn, "signing in"),
        (AuditKind.Viewing, "viewing as somebody"),
        (AuditKind.PublicLinks, "public links"),
        (AuditKind.Apps, "apps"),
        (AuditKind.Sources, "sources and secrets"),
    ];

    /// <summary>One entry, as the list shows it.</summary>
    public sealed record Row(string At, string By, string Subject, string Text, ImmutableArray<string> Detail);

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    [BindProperty(SupportsGet = true)]
    public AuditKind? Kind { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Since { get; set; }

    public string? Problem { get; private set; }

    public ImmutableArray<Row> Rows { get; private set; } = [];

    /// <summary>The address of the entries before these; null where there are none.</summary>
    public string? Older { get; private set; }

    public async Task OnGetAsync(long? before, CancellationToken cancellation)
    {
        Q = Q?.Trim() ?? "";
        var wanted = store.AuditEntries.AsNoTracking();
        if (Q.Length > 0)
        {
            wanted = wanted.Where(entry =>
                EF.Functions.ILike(
                    entry.PersonName + " " + entry.Subject + " " + entry.Text + " " + entry.Detail,
                    $"%{LikePattern.Literally(Q)}%",
                    "\\"
                )
            );
        }

        if (Kind is { } kind)
        {
            wanted = wanted.Where(entry => entry.Kind == kind);
        }

        (var since, Problem) = SinceInput.Read(Since, format);
        if (since is not null)
        {
            wanted = wanted.Where(entry => entry.At >= since);
        }

        if (before is { } id)
        {
            wanted = wanted.Where(entry => entry.Id < id);
        }

        var entries = await wanted.OrderByDescending(entry => entry.Id).Take(OnPage + 1).ToListAsync(cancellation);
        Rows =
        [
            .. entries
                .Take(OnPage)
                .Select(entry => new Row(
                    format.Display(new FieldType.Instant(), entry.At),
                    entry.PersonName,
                    entry.Subject,
                    entry.Text,
                    [.. entry.Detail.Split('\n', StringSplitOptions.RemoveEmptyEntries)]
                )),
        ];
        Older =
            entries.Count > OnPage
                ? QueryHelpers.AddQueryString(
                    "/people/audit",
                    new Dictionary<string, string?>
                    {
                        ["q"] = Q.Length == 0 ? null : Q,
                        ["kind"] = Kind?.ToString(),
                        ["since"] = string.IsNullOrEmpty(Since) ? null : Since,
                        ["before"] = $"{entries[OnPage - 1].Id}",
                    }
                )
                : null;
    }
}
