using System.Globalization;
using MySqlConnector;

namespace Rostrum.StandIns.Crew;

/// <summary>
/// The crew office's database, a MariaDB: people, their certificates, and who is on duty on which vessel. Hull numbers and port codes are
/// those of the fleet's database. The same day gives the same rows.
/// </summary>
public static class CrewLoader
{
    private const int Seed = 20_260_314;
    private const int People = 64;
    private const int Weeks = 6;

    private static readonly string[] First =
    [
        "Alva",
        "Birk",
        "Cora",
        "Dag",
        "Eira",
        "Finn",
        "Greta",
        "Hauk",
        "Ines",
        "Joar",
        "Kaia",
        "Lars",
        "Maia",
        "Nils",
        "Oda",
        "Per",
    ];

    private static readonly string[] Last = ["Aas", "Brekke", "Dahl", "Eide", "Foss", "Gran", "Hauge", "Iversen", "Krogh", "Lie", "Moen"];
    private static readonly string[] Ranks = ["master", "mate", "engineer", "deckhand", "steward"];
    private static readonly string[] Kinds = ["sea survival", "fire fighting", "medical", "radio", "bridge watch"];
    private static readonly string[] Ports = ["BRW", "SKS", "ELM", "TOR", "HAV", "GUL", "LIN", "MOR", "STE"];
    private static readonly string[] Hulls = ["BF-101", "BF-102", "BF-103", "BF-104", "BF-105", "BF-106", "BF-107", "BF-108"];

    private static readonly string[] Schema =
    [
        """
            CREATE TABLE people (
                id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, staff_number VARCHAR(8) NOT NULL UNIQUE, name VARCHAR(60) NOT NULL,
                `rank` ENUM('master', 'mate', 'engineer', 'deckhand', 'steward') NOT NULL, home_port VARCHAR(3) NOT NULL,
                phone VARCHAR(20), hired DATE NOT NULL, active TINYINT(1) NOT NULL DEFAULT 1)
            """,
        """
            CREATE TABLE certificates (
                id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, person_id INT UNSIGNED NOT NULL,
                kind ENUM('sea survival', 'fire fighting', 'medical', 'radio', 'bridge watch') NOT NULL, issued DATE NOT NULL,
                expires DATE NOT NULL COMMENT 'The last day on which it is valid', CHECK (expires > issued), UNIQUE (person_id, kind),
                FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE)
            """,
        """
            CREATE TABLE rosters (
                id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, person_id INT UNSIGNED NOT NULL, vessel VARCHAR(8) NOT NULL,
                starts DATE NOT NULL, ends DATE NOT NULL, duty ENUM('day', 'night', 'stand-by') NOT NULL, CHECK (ends >= starts),
                FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE)
            """,
    ];

    /// <summary>Makes the tables anew and fills them.</summary>
    /// <param name="connectionString">The database; it is made where it is not there.</param>
    /// <param name="today">The day as of which it is written.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public static async Task LoadAsync(string connectionString, DateOnly today, CancellationToken cancellation)
    {
        var target = new MySqlConnectionStringBuilder(connectionString);
        var database = target.Database;
        target.Database = "";
        await using var connection = new MySqlConnection(target.ConnectionString);
        await connection.OpenAsync(cancellation);
        await RunAsync(connection, $"CREATE DATABASE IF NOT EXISTS `{database}`", [], cancellation);
        await connection.ChangeDatabaseAsync(database, cancellation);
        foreach (var sql in Schema.Prepend("DROP TABLE IF EXISTS rosters, certificates, people"))
        {
            await RunAsync(connection, sql, [], cancellation);
        }

        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        var random = new Random(Seed);
        for (var id = 1; id <= People; id++)
        {
            await AddPersonAsync(connection, transaction, random, id, today, cancellation);
        }

        await transaction.CommitAsync(cancellation);
    }

    private static async Task AddPersonAsync(
        MySqlConnection connection,
        MySqlTransaction transaction,
        Random random,
        int id,
        DateOnly today,
        CancellationToken cancellation
    )
    {
        var name = $"{First[id * 7 % First.Length]} {Last[id * 5 % Last.Length]}";
        var rank = Ranks[id % Ranks.Length];
        await RunAsync(
            connection,
            "INSERT INTO people VALUES (@1, @2, @3, @4, @5, @6, @7, @8)",
            [
                id,
                string.Create(CultureInfo.InvariantCulture, $"C-{1000 + id}"),
                name,
                rank,
                Ports[random.Next(Ports.Length)],
                string.Create(CultureInfo.InvariantCulture, $"01632 960{random.Next(100, 999)}"),
                Day(today.AddDays(-random.Next(200, 4_000))),
                id % 17 != 0,
            ],
            cancellation,
            transaction
        );
        foreach (var kind in Kinds.Where((_, at) => at < 3 || (rank is "master" or "mate")))
        {
            // Most are valid for a while, some run out soon, a few have.
            var expires = today.AddDays(random.Next(-40, 900));
            await RunAsync(
                connection,
                "INSERT INTO certificates (person_id, kind, issued, expires) VALUES (@1, @2, @3, @4)",
                [id, kind, Day(expires.AddYears(-5)), Day(expires)],
                cancellation,
                transaction
            );
        }

        for (var week = -2; week < Weeks - 2; week++)
        {
            var starts = today.AddDays((week * 7) - (int)today.DayOfWeek + 1);
            await RunAsync(
                connection,
                "INSERT INTO rosters (person_id, vessel, starts, ends, duty) VALUES (@1, @2, @3, @4, @5)",
                [
                    id,
                    Hulls[(id + week + Weeks) % Hulls.Length],
                    Day(starts),
                    Day(starts.AddDays(6)),
                    random.Next(5) switch
                    {
                        0 => "stand-by",
                        1 => "night",
                        _ => "day",
                    },
                ],
                cancellation,
                transaction
            );
        }
    }

    private static string Day(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static async Task RunAsync(
        MySqlConnection connection,
        string sql,
        object[] values,
        CancellationToken cancellation,
        MySqlTransaction? transaction = null
    )
    {
        await using var command = new MySqlCommand(sql, connection, transaction);
        foreach (var (value, at) in values.Select((value, at) => (value, at)))
        {
            command.Parameters.AddWithValue($"@{at + 1}", value);
        }

        await command.ExecuteNonQueryAsync(cancellation);
    }
}
