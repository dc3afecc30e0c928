using System.Globalization;
using Dapper;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Npgsql;

namespace Rostrum.Bench.Peer.Pages;

/// <summary>
/// The start page of the demo's maintenance, written by hand: the same ten panels with the same content, in one round trip to the database.
/// </summary>
public sealed class TodayModel(NpgsqlDataSource source) : PageModel
{
    public sealed record Due(int Id, string Title, string Vessel, string Severity, DateTime? DueOn, int? DaysOverdue);

    public sealed record Mine(int Id, string Title, string Vessel, string State);

    public sealed record InDock(string Vessel, DateTime PlannedEnd, int Done);

    [BindProperty(SupportsGet = true, Name = "me")]
    public string Me { get; set; } = "";

    public long Open { get; private set; }

    public long Overdue { get; private set; }

    public long ThisMonth { get; private set; }

    public long MonthBefore { get; private set; }

    public decimal Estimated { get; private set; }

    public long DueCount { get; private set; }

    public long MineCount { get; private set; }

    public long DockCount { get; private set; }

    public IReadOnlyList<Due> DueRows { get; private set; } = [];

    public IReadOnlyList<Mine> MineRows { get; private set; } = [];

    public IReadOnlyList<InDock> DockRows { get; private set; } = [];

    public static CultureInfo Culture { get; } = CultureInfo.GetCultureInfo("en-GB");

    public static string Day(DateTime? on) => on?.ToString("dd MMM yyyy", Culture) ?? "";

    public static string Whole(long number) => number.ToString("#,##0", Culture);

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        await using var connection = await source.OpenConnectionAsync(cancellation);
        await using var read = await connection.QueryMultipleAsync(
            """
            SELECT count(*) FROM defects WHERE state <> 'closed';
            SELECT count(*) FROM defects WHERE state <> 'closed' AND due < current_date;
            SELECT count(*) FROM defects WHERE reported_at >= date_trunc('month', now()) AND reported_at < current_date + 1;
            SELECT count(*) FROM defects WHERE reported_at >= date_trunc('month', now()) - interval '1 month'
              AND reported_at < current_date + 1 - interval '1 month';
            SELECT sum(estimated_cost) FROM defects WHERE state <> 'closed';
            SELECT d.id, d.title, v.name AS vessel, d.severity::text AS severity, d.due::timestamp AS dueon,
              CASE WHEN d.due < current_date THEN current_date - d.due END AS daysoverdue
              FROM defects d LEFT JOIN vessels v ON v.hull_number = d.vessel WHERE d.state <> 'closed' AND d.due <= current_date + 7
                ORDER BY d.due, d.id LIMIT 13;
            SELECT count(*) FROM defects WHERE state <> 'closed' AND due <= current_date + 7;
            SELECT d.id, d.title, v.name AS vessel, d.state::text AS state FROM defects d LEFT JOIN vessels v ON v.hull_number = d.vessel
              WHERE d.reported_by = @me AND d.state <> 'closed' ORDER BY d.reported_at DESC, d.id DESC LIMIT 6;
            SELECT count(*) FROM defects WHERE reported_by = @me AND state <> 'closed';
            SELECT v.name AS vessel, k.planned_end::timestamp AS plannedend, k.percent_done AS done FROM dockings k
              JOIN vessels v ON v.hull_number = k.vessel WHERE k.actual_start IS NOT NULL AND k.actual_end IS NULL
              ORDER BY k.planned_end, k.id LIMIT 6;
            SELECT count(*) FROM dockings WHERE actual_start IS NOT NULL AND actual_end IS NULL;
            """,
            new { me = Me }
        );
        Open = await read.ReadSingleAsync<long>();
        Overdue = await read.ReadSingleAsync<long>();
        ThisMonth = await read.ReadSingleAsync<long>();
        MonthBefore = await read.ReadSingleAsync<long>();
        Estimated = await read.ReadSingleAsync<decimal?>() ?? 0;
        DueRows = [.. (await read.ReadAsync<Due>()).Take(12)];
        DueCount = await read.ReadSingleAsync<long>();
        MineRows = [.. (await read.ReadAsync<Mine>()).Take(5)];
        MineCount = await read.ReadSingleAsync<long>();
        DockRows = [.. (await read.ReadAsync<InDock>()).Take(5)];
        DockCount = await read.ReadSingleAsync<long>();
    }
}
