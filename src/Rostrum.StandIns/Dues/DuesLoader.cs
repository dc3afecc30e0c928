using System.Globalization;
using Microsoft.Data.Sqlite;

namespace Rostrum.StandIns.Dues;

/// <summary>
/// What ports charge for a night at a berth, as the harbour office sends it: a SQLite file. Hull numbers and port codes are those of the
/// fleet's database. The same day gives the same rows.
/// </summary>
public static class DuesLoader
{
    private const int Seed = 20_260_314;
    private const int Bills = 240;
    private const int DaysBack = 360;

    private static readonly string[] Ports = ["BRW", "SKS", "ELM", "TOR", "HAV", "GUL", "LIN", "MOR", "STE"];
    private static readonly string[] Hulls = ["BF-101", "BF-102", "BF-103", "BF-104", "BF-105", "BF-106", "BF-107", "BF-108"];
    private static readonly string[] Classes = ["under 40 m", "40 to 70 m", "over 70 m"];

    private const string Schema = """
        CREATE TABLE tariffs (
            id INTEGER PRIMARY KEY, port_code VARCHAR(3) NOT NULL, length_class TEXT NOT NULL, price_per_night DECIMAL(8,2) NOT NULL,
            valid_from DATE NOT NULL, valid_until DATE, UNIQUE (port_code, length_class, valid_from));
        CREATE TABLE bills (
            id INTEGER PRIMARY KEY, number VARCHAR(12) NOT NULL UNIQUE, vessel VARCHAR(8) NOT NULL, port_code VARCHAR(3) NOT NULL,
            arrived DATE NOT NULL, departed DATE NOT NULL, nights INTEGER NOT NULL CHECK (nights >= 1), amount DECIMAL(10,2) NOT NULL,
            state VARCHAR(10) NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'disputed', 'paid')), remark TEXT,
            CHECK (departed > arrived));
        CREATE TABLE payments (
            id INTEGER PRIMARY KEY, bill_id INTEGER NOT NULL REFERENCES bills (id) ON DELETE CASCADE, paid_on DATE NOT NULL,
            amount DECIMAL(10,2) NOT NULL);
        """;

    /// <summary>Writes the file anew.</summary>
    /// <param name="file">Its path.</param>
    /// <param name="today">The day as of which it is written.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public static async Task LoadAsync(string file, DateOnly today, CancellationToken cancellation)
    {
        File.Delete(file);
        await using var connection = new SqliteConnection(
            new SqliteConnectionStringBuilder { DataSource = file, Pooling = false }.ConnectionString
        );
        await connection.OpenAsync(cancellation);
        await RunAsync(connection, Schema, [], cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        var random = new Random(Seed);
        foreach (var port in Ports)
        {
            foreach (var (length, at) in Classes.Select((length, at) => (length, at)))
            {
                await RunAsync(
                    connection,
                    "INSERT INTO tariffs (port_code, length_class, price_per_night, valid_from) VALUES ($1, $2, $3, $4)",
                    [port, length, Money(80 + (at * 65) + random.Next(0, 40)), Day(new DateOnly(today.Year - 1, 1, 1))],
                    cancellation
                );
            }
        }

        for (var number = 1; number <= Bills; number++)
        {
            await AddBillAsync(connection, random, number, today, cancellation);
        }

        await transaction.CommitAsync(cancellation);
    }

    private static async Task AddBillAsync(
        SqliteConnection connection,
        Random random,
        int number,
        DateOnly today,
        CancellationToken cancellation
    )
    {
        var nights = random.Next(1, 6);
        var arrived = today.AddDays(-DaysBack + (number * DaysBack / Bills) - nights);
        var amount = nights * (110 + random.Next(0, 120)) + (random.Next(0, 4) * 0.25m);
        var state =
            random.Next(12) == 0 ? "disputed"
            : number < Bills - 40 ? "paid"
            : "open";
        await RunAsync(
            connection,
            "INSERT INTO bills (id, number, vessel, port_code, arrived, departed, nights, amount, state, remark) "
                + "VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)",
            [
                number,
                string.Create(CultureInfo.InvariantCulture, $"HD-{number:00000}"),
                Hulls[random.Next(Hulls.Length)],
                Ports[random.Next(Ports.Length)],
                Day(arrived),
                Day(arrived.AddDays(nights)),
                nights,
                Money(amount),
                state,
                state == "disputed" ? "Charged for a night too many." : null,
            ],
            cancellation
        );
        if (state == "paid")
        {
            await RunAsync(
                connection,
                "INSERT INTO payments (bill_id, paid_on, amount) VALUES ($1, $2, $3)",
                [number, Day(arrived.AddDays(nights + random.Next(5, 30))), Money(amount)],
                cancellation
            );
        }
    }

    private static string Day(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static string Money(decimal amount) => amount.ToString("0.00", CultureInfo.InvariantCulture);

    private static async Task RunAsync(SqliteConnection connection, string sql, object?[] values, CancellationToken cancellation)
    {
        await using var command = connection.CreateCommand();
        command.CommandText = sql;
        foreach (var (value, at) in values.Select((value, at) => (value, at)))
        {
            command.Parameters.AddWithValue($"${at + 1}", value ?? DBNull.Value);
        }

        await command.ExecuteNonQueryAsync(cancellation);
    }
}
