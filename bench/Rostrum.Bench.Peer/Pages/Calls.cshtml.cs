using System.Data.Common;
using System.Globalization;
using Dapper;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.Data.Sqlite;
using MySqlConnector;

namespace Rostrum.Bench.Peer.Pages;

/// <summary>The list of calls in MariaDB or in SQLite, written by hand: the same rows and the same mark-up weight as Rostrum's.</summary>
public sealed class CallsModel(IConfiguration configuration) : PageModel
{
    public sealed class Call
    {
        public int Id { get; set; }
        public string Ship { get; set; } = "";
        public DateTime Berthed { get; set; }
        public string State { get; set; } = "";
        public int Fee { get; set; }
    }

    [BindProperty(SupportsGet = true, Name = "of")]
    public string Of { get; set; } = "sqlite";

    public IReadOnlyList<Call> Rows { get; private set; } = [];

    public string Count { get; private set; } = "";

    public static CultureInfo Culture => SailingsModel.Culture;

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var text = configuration[$"ROSTRUM_BENCH_{Of.ToUpperInvariant()}"];
        await using DbConnection connection = Of == "sqlite" ? new SqliteConnection(text) : new MySqlConnection(text);
        await connection.OpenAsync(cancellation);
        Rows = (
            await connection.QueryAsync<Call>("SELECT id, ship, berthed, state, fee FROM calls ORDER BY berthed DESC, id DESC LIMIT 50")
        ).AsList();
        var counted = await connection.ExecuteScalarAsync<long>("SELECT count(*) FROM (SELECT 1 FROM calls LIMIT 10001) c");
        Count = $"{(counted > 10_000 ? "more than 10,000" : counted.ToString("#,##0", Culture))} calls";
    }
}
