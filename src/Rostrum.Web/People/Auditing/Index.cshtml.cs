using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.People.Auditing;

/// <summary>Who did what, and when: the newest first.</summary>
internal sealed class IndexModel(RostrumStore store, Audit audit, RecordFormat format) : PageModel
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
        (AuditKind.SecretUses, "uses of secrets"),
        (AuditKind.Statements, "statements"),
        (AuditKind.Exports, "downloads"),
    ];

    /// <summary>One entry, as the list shows it.</summary>
    public sealed record Row(string At, string By, string Subject, string Text, ImmutableArray<string> Detail);

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    [BindProperty(SupportsGet = true)]
    public AuditKind? Kind { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Since { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Until { get; set; }

    public string? Problem { get; private set; }

    public ImmutableArray<Row> Rows { get; private set; } = [];

    /// <summary>The address of the entries before these; null where there are none.</summary>
    public string? Older { get; private set; }

    /// <summary>All that is shown on its pages, as a file.</summary>
    public async Task<IActionResult> OnGetDownloadAsync(CancellationToken cancellation)
    {
        await audit.WriteAsync(AuditKind.Exports, "Audit", "Downloaded the audit.", cancellation);
        return new AuditFile(
            "audit.csv",
            ["When", "Who", "About", "To what", "What", "Details"],
            Wanted()
                .OrderByDescending(entry => entry.Id)
                .AsAsyncEnumerable()
                .Select(entry =>
                    new[] { AuditFile.At(entry.At), entry.PersonName, entry.Kind.ToString(), entry.Subject, entry.Text, entry.Detail }
                )
        );
    }

    private IQueryable<AuditEntry> Wanted()
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

        (var since, var until, Problem) = SinceInput.Read(Since, Until, format);
        if (since is not null)
        {
            wanted = wanted.Where(entry => entry.At >= since);
        }

        if (until is not null)
        {
            wanted = wanted.Where(entry => entry.At < until);
        }

        return wanted;
    }

    public async Task OnGetAsync(long? before, CancellationToken cancellation)
    {
        var wanted = Wanted();
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
                        ["q"] = string.IsNullOrEmpty(Q) ? null : Q,
                        ["kind"] = Kind?.ToString(),
                        ["since"] = string.IsNullOrEmpty(Since) ? null : Since,
                        ["until"] = string.IsNullOrEmpty(Until) ? null : Until,
                        ["before"] = $"{entries[OnPage - 1].Id}",
                    }
                )
                : null;
    }
}
