using System.Globalization;
using Dapper;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Npgsql;

namespace Rostrum.Bench.Peer.Pages;

/// <summary>
/// The demo's page of six charts over defects, written by hand: the same figures in one round trip, drawn as the same kinds of SVG with as
/// many marks, each with its tooltip and its link, and the figures beside it.
/// </summary>
public sealed class FiguresModel(NpgsqlDataSource source) : PageModel
{
    public sealed record Group(string Label, string? Series, decimal Number);

    public sealed record Chart(
        string Name,
        string Kind,
        IReadOnlyList<string> Labels,
        IReadOnlyList<(string Label, decimal[] Values)> Series
    )
    {
        public decimal Most =>
            Kind == "stacked"
                ? Enumerable.Range(0, Labels.Count).Max(at => Series.Sum(series => series.Values[at]))
                : Series.Max(series => series.Values.Max());
    }

    public List<Chart> Charts { get; } = [];

    public static CultureInfo Culture { get; } = CultureInfo.GetCultureInfo("en-GB");

    public static string Whole(decimal number) => number.ToString("#,##0.##", Culture);

    public static string N(double number) => number.ToString("0.###", CultureInfo.InvariantCulture);

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        await using var connection = await source.OpenConnectionAsync(cancellation);
        await using var read = await connection.QueryMultipleAsync(
            """
            SELECT state::text AS label, severity::text AS series, count(*)::numeric AS number FROM defects GROUP BY 1, 2;
            SELECT to_char(date_trunc('month', reported_at), 'YYYY-MM') AS label, NULL AS series, count(*)::numeric AS number
              FROM defects GROUP BY 1 ORDER BY 1;
            SELECT v.name AS label, NULL AS series, count(*)::numeric AS number FROM defects d
              LEFT JOIN vessels v ON v.hull_number = d.vessel GROUP BY d.vessel, v.name ORDER BY 3 DESC;
            SELECT to_char(date_trunc('month', reported_at), 'YYYY-MM') AS label, 'estimated' AS series,
              coalesce(sum(estimated_cost), 0) AS number FROM defects GROUP BY 1
            UNION ALL
            SELECT to_char(date_trunc('month', reported_at), 'YYYY-MM'), 'actual', coalesce(sum(actual_cost), 0) FROM defects GROUP BY 1
            ORDER BY 1;
            SELECT severity::text AS label, NULL AS series, count(*)::numeric AS number FROM defects WHERE state <> 'closed' GROUP BY 1;
            SELECT (floor(estimated_cost / 500) * 500)::int::text AS label, NULL AS series, count(*)::numeric AS number
              FROM defects WHERE estimated_cost IS NOT NULL GROUP BY 1 ORDER BY floor(min(estimated_cost) / 500);
            """
        );
        foreach (
            var (name, kind) in new[]
            {
                ("Defects by state and severity", "stacked"),
                ("Reported by month", "bars"),
                ("Defects by vessel", "sideways"),
                ("Estimated cost by month", "line"),
                ("Open defects by severity", "ring"),
                ("What a repair costs", "bars"),
            }
        )
        {
            Group[] groups = [.. await read.ReadAsync<Group>()];
            string[] labels = [.. groups.Select(group => group.Label).Distinct()];
            Charts.Add(
                new Chart(
                    name,
                    kind,
                    labels,
                    [
                        .. groups
                            .GroupBy(group => group.Series ?? name)
                            .Select(series =>
                                (
                                    series.Key,
                                    labels.Select(label => series.Where(group => group.Label == label).Sum(group => group.Number)).ToArray()
                                )
                            ),
                    ]
                )
            );
        }
    }
}
