using System.Globalization;
using Dapper;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Npgsql;

namespace Rostrum.Bench.Peer.Pages;

/// <summary>The list of sailings, written by hand: the same rows, the same count strategy, the same mark-up weight as Rostrum's.</summary>
public sealed class SailingsModel(NpgsqlDataSource source) : PageModel
{
    public const int PageSize = 50;

    public sealed record Sailing(
        long Id,
        string Route,
        string Origin,
        string Destination,
        string Vessel,
        DateTime Departs,
        DateTime ArrivesPlanned,
        DateTime? ArrivesActual,
        string State,
        int FootPassengers,
        int Cars
    )
    {
        public string RouteTitle => $"{Route} · {Origin} · {Destination}";
    }

    [BindProperty(SupportsGet = true, Name = "p")]
    public int Number { get; set; } = 1;

    [BindProperty(SupportsGet = true, Name = "sort")]
    public string? Sort { get; set; }

    [BindProperty(SupportsGet = true, Name = "q")]
    public string? Search { get; set; }

    [BindProperty(SupportsGet = true, Name = "port")]
    public string? Port { get; set; }

    public IReadOnlyList<Sailing> Rows { get; private set; } = [];

    public string Count { get; private set; } = "";

    public static CultureInfo Culture { get; } = CultureInfo.GetCultureInfo("en-GB");

    public static string When(DateTime? at) => at?.ToString("dd MMM yyyy HH:mm", Culture) ?? "";

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var order = Sort == "-foot_passengers" ? "s.foot_passengers DESC, s.id DESC" : "s.departs DESC, s.id DESC";
        const string Where = """
            (s.state::text ILIKE @pattern OR s.cancellation_reason ILIKE @pattern
             OR s.route_code IN (SELECT r.code FROM routes r JOIN ports o ON o.code = r.origin_port
               JOIN ports d ON d.code = r.destination_port WHERE r.code ILIKE @pattern OR o.name ILIKE @pattern OR d.name ILIKE @pattern)
             OR s.vessel IN (SELECT hull_number FROM vessels WHERE name ILIKE @pattern))
            """;
        const string OfPort = "s.route_code IN (SELECT r.code FROM routes r WHERE r.origin_port = @port OR r.destination_port = @port)";
        var where =
            !string.IsNullOrEmpty(Port) ? "WHERE " + OfPort
            : string.IsNullOrEmpty(Search) ? ""
            : "WHERE " + Where;
        var parameters = new
        {
            port = Port,
            pattern = $"%{Search}%",
            limit = PageSize,
            offset = (Number - 1) * PageSize,
        };
        await using var connection = await source.OpenConnectionAsync(cancellation);
        Rows = (
            await connection.QueryAsync<Sailing>(
                $"""
                SELECT s.id, s.route_code AS route, o.name AS origin, d.name AS destination, v.name AS vessel, s.departs,
                  s.arrives_planned AS arrivesplanned,
                       s.arrives_actual AS arrivesactual, s.state::text AS state, s.foot_passengers AS footpassengers, s.cars
                FROM sailings s
                JOIN routes r ON r.code = s.route_code
                JOIN ports o ON o.code = r.origin_port
                JOIN ports d ON d.code = r.destination_port
                JOIN vessels v ON v.hull_number = s.vessel
                {where}
                ORDER BY {order} LIMIT @limit OFFSET @offset
                """,
                parameters
            )
        ).AsList();
        if (where.Length == 0)
        {
            var estimate = await connection.ExecuteScalarAsync<long>(
                "SELECT reltuples::int8 FROM pg_class WHERE oid = 'sailings'::regclass"
            );
            Count = $"about {estimate.ToString("#,##0", Culture)} sailings";
        }
        else
        {
            var counted = await connection.ExecuteScalarAsync<long>(
                $"SELECT count(*) FROM (SELECT 1 FROM sailings s {where} LIMIT 10001) c",
                parameters
            );
            Count = $"{(counted > 10000 ? "more than 10,000" : counted.ToString("#,##0", Culture))} sailings";
        }
    }
}
