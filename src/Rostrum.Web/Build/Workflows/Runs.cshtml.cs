using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Build.Workflows;

/// <summary>The runs of a workflow.</summary>
internal sealed class RunsModel(RostrumStore store, WorkflowDrafts drafts, RecordFormat format) : PageModel
{
    public const int PageSize = 50;

    /// <summary>A run in the list.</summary>
    public sealed record Entry(long Id, RunStatus Status, string SetOffBy, string By, string At, string Took, string Message, bool IsTrial);

    public StoredWorkflow Stored { get; private set; } = null!;

    public ImmutableArray<Entry> Runs { get; private set; } = [];

    public int Total { get; private set; }

    [BindProperty(SupportsGet = true)]
    public RunStatus? Status { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    [BindProperty(SupportsGet = true)]
    public int P { get; set; } = 1;

    public async Task<IActionResult> OnGetAsync(string name, CancellationToken cancellation)
    {
        if (await drafts.FindAsync(name, cancellation) is not { } stored)
        {
            return NotFound();
        }

        Stored = stored;
        var runs = store.WorkflowRuns.AsNoTracking().Where(run => run.WorkflowId == stored.Id);
        if (Status is { } status)
        {
            runs = runs.Where(run => run.Status == status);
        }

        if (!string.IsNullOrWhiteSpace(Q))
        {
            var like = $"%{Literal(Q.Trim())}%";
            runs = runs.Where(run =>
                EF.Functions.ILike(run.SetOffBy, like)
                || EF.Functions.ILike(run.PersonName, like)
                || (run.Message != null && EF.Functions.ILike(run.Message, like))
            );
        }

        Total = await runs.CountAsync(cancellation);
        P = Math.Clamp(P, 1, Math.Max(1, (Total + PageSize - 1) / PageSize));
        Runs =
        [
            .. (
                await runs.OrderByDescending(run => run.Id)
                    .Skip((P - 1) * PageSize)
                    .Take(PageSize)
                    .Select(run => new
                    {
                        run.Id,
                        run.Status,
                        run.SetOffBy,
                        run.PersonName,
                        run.At,
                        run.BegunAt,
                        run.EndedAt,
                        run.Message,
                        IsTrial = run.Version == null,
                    })
                    .ToListAsync(cancellation)
            ).Select(run => new Entry(
                run.Id,
                run.Status,
                run.SetOffBy,
                run.PersonName,
                format.Display(new FieldType.Instant(), run.At),
                Took(run.BegunAt, run.EndedAt),
                run.Message ?? "",
                run.IsTrial
            )),
        ];
        return Page();
    }

    // What stands for others in a pattern stands for itself.
    private static string Literal(string text) =>
        text.Replace("\\", "\\\\", StringComparison.Ordinal)
            .Replace("%", "\\%", StringComparison.Ordinal)
            .Replace("_", "\\_", StringComparison.Ordinal);

    /// <summary>How long something took, for people.</summary>
    public static string Took(DateTimeOffset? from, DateTimeOffset? until) =>
        (until - from) switch
        {
            null => "",
            { TotalMilliseconds: < 1000 } took => $"{took.TotalMilliseconds:0} ms",
            { TotalSeconds: < 60 } took => $"{took.TotalSeconds:0.0} s",
            { TotalMinutes: < 60 } took => $"{took.TotalMinutes:0} min",
            { TotalHours: < 48 } took => $"{took.TotalHours:0} h",
            { } took => $"{took.TotalDays:0} days",
        };
}
