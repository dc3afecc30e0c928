using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.Logbook;

namespace Rostrum.Web.People.Auditing;

/// <summary>
/// All changes of records, the newest first: who changed which fields of what. The values stand in each record’s logbook, for whoever may
/// see them.
/// </summary>
internal sealed class ChangesModel(RostrumStore store, WorkspaceCache workspaces, Audit audit, RecordFormat format) : PageModel
{
    private const int OnPage = 50;

    /// <summary>One change, as the list shows it.</summary>
    public sealed record Row(string At, string By, string What, string Title, string Via, string Fields);

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    [BindProperty(SupportsGet = true)]
    public Guid? Dataset { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Since { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Until { get; set; }

    public string? Problem { get; private set; }

    public ImmutableArray<(Guid Id, string Label)> Datasets { get; private set; } = [];

    public ImmutableArray<Row> Rows { get; private set; } = [];

    /// <summary>The address of the changes before these; null where there are none.</summary>
    public string? Older { get; private set; }

    /// <summary>For how many months the logbook is kept; for ever where null.</summary>
    public int? Kept { get; private set; }

    /// <summary>For how long it can be kept, in months.</summary>
    public static readonly ImmutableArray<(int? Months, string Label)> Keeping =
    [
        (null, "for ever"),
        (12, "1 year"),
        (24, "2 years"),
        (60, "5 years"),
        (120, "10 years"),
    ];

    /// <summary>All that is shown on its pages, as a file.</summary>
    public async Task<IActionResult> OnGetDownloadAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        await audit.WriteAsync(AuditKind.Exports, "Changes of records", "Downloaded who changed what.", cancellation);
        return new AuditFile(
            "changes.csv",
            ["When", "Who", "What", "Record", "Fields", "Through"],
            Wanted()
                .OrderByDescending(entry => entry.Id)
                .AsAsyncEnumerable()
                .Select(entry =>
                    RowOf(workspace, entry) is var row
                        ? new[] { AuditFile.At(entry.At), row.By, row.What, row.Title, row.Fields, row.Via }
                        : []
                )
        );
    }

    /// <summary>Decides for how long the logbook is kept.</summary>
    public async Task<IActionResult> OnPostKeepAsync(int? months, CancellationToken cancellation)
    {
        if (!Keeping.Any(known => known.Months == months))
        {
            return BadRequest();
        }

        if (await store.Settings.FirstOrDefaultAsync(cancellation) is not { } settings)
        {
            store.Settings.Add(settings = new WorkspaceSettings());
        }

        settings.LogKeptMonths = months;
        await store.SaveChangesAsync(cancellation);
        return RedirectToPage();
    }

    private IQueryable<LogEntry> Wanted()
    {
        Q = Q?.Trim() ?? "";
        var wanted = store.LogEntries.AsNoTracking();
        if (Q.Length > 0)
        {
            wanted = wanted.Where(entry =>
                EF.Functions.ILike(entry.PersonName + " " + entry.Title + " " + entry.Via, $"%{LikePattern.Literally(Q)}%", "\\")
            );
        }

        if (Dataset is { } dataset)
        {
            wanted = wanted.Where(entry => entry.DatasetId == dataset);
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
        var workspace = await workspaces.GetAsync(cancellation);
        Datasets = [.. workspace.Labelled(workspace.Datasets.All).Select(known => (known.Id.Value, known.Label))];
        Kept = await store.Settings.AsNoTracking().Select(row => row.LogKeptMonths).FirstOrDefaultAsync(cancellation);
        var wanted = Wanted();
        if (before is { } id)
        {
            wanted = wanted.Where(entry => entry.Id < id);
        }

        var entries = await wanted.OrderByDescending(entry => entry.Id).Take(OnPage + 1).ToListAsync(cancellation);
        Rows = [.. entries.Take(OnPage).Select(entry => RowOf(workspace, entry))];
        Older =
            entries.Count > OnPage
                ? QueryHelpers.AddQueryString(
                    "/people/audit/changes",
                    new Dictionary<string, string?>
                    {
                        ["q"] = string.IsNullOrEmpty(Q) ? null : Q,
                        ["dataset"] = Dataset?.ToString(),
                        ["since"] = string.IsNullOrEmpty(Since) ? null : Since,
                        ["until"] = string.IsNullOrEmpty(Until) ? null : Until,
                        ["before"] = $"{entries[OnPage - 1].Id}",
                    }
                )
                : null;
    }

    private Row RowOf(Workspace workspace, LogEntry entry)
    {
        var dataset = workspace.Datasets.Find(new DatasetId(entry.DatasetId));
        var fields = dataset is null ? [] : LoggedValues.Read(dataset, entry.Fields);
        return new Row(
            format.Display(new FieldType.Instant(), entry.At),
            entry.PersonName,
            $"{dataset?.RecordLabel ?? "a record whose dataset is gone"} {entry.Kind}",
            entry.Title,
            entry.Via,
            entry.Kind == "changed" ? string.Join(", ", fields.Select(value => dataset!.LabelOf(value.Field.Name))) : ""
        );
    }
}
