using System.Reflection;
using Npgsql;
using NpgsqlTypes;

namespace Rostrum.StandIns.Fleet;

/// <summary>Makes the tables of the demo's <i>fleet</i> database and fills them: the same day gives the same rows.</summary>
public static class FleetLoader
{
    public static async Task LoadAsync(string connectionString, DateOnly today, CancellationToken cancellation)
    {
        await using var source = NpgsqlDataSource.Create(connectionString);
        await using var connection = await source.OpenConnectionAsync(cancellation);
        await using (var create = new NpgsqlCommand(await ReadSchemaAsync(), connection))
        {
            await create.ExecuteNonQueryAsync(cancellation);
        }

        var fleet = new FleetGenerator(today);
        await CopyAsync(connection, "ports (code, name, island, berths, latitude, longitude)", FleetGenerator.Ports(), cancellation);
        await CopyAsync(
            connection,
            "vessels (hull_number, name, class, built, passenger_capacity, car_capacity, home_port, state, picture)",
            FleetGenerator.Vessels(),
            cancellation
        );
        await CopyAsync(
            connection,
            "routes (code, origin_port, destination_port, relief_port, minutes, season)",
            FleetGenerator.Routes(),
            cancellation
        );
        await CopyAsync(
            connection,
            "sailings (route_code, vessel, departs, arrives_planned, arrives_actual, state, foot_passengers, cars, "
                + "fare_revenue, cancellation_reason)",
            fleet.Sailings(),
            cancellation
        );
        await CopyAsync(
            connection,
            "defects (vessel, reported_by, reported_at, title, description, severity, state, due, estimated_cost, actual_cost, photo)",
            fleet.Defects(),
            cancellation
        );
        await CopyAsync(
            connection,
            "dockings (vessel, yard, planned_start, planned_end, actual_start, actual_end, percent_done, budget, spent, after_docking)",
            fleet.Dockings(),
            cancellation
        );
        await CopyAsync(connection, "fuel_logs (id, vessel, port, taken_at, litres, price_a_litre)", fleet.FuelLogs(), cancellation);
        await CopyAsync(
            connection,
            "timetable_changes (route, asked_by, reason, valid_from, valid_until, state)",
            fleet.TimetableChanges(),
            cancellation
        );
        await CopyAsync(
            connection,
            """legacy_codes ("Old Code", "order", "Was ""Active""?", "Straße/Ö", "Vessel No.", "Last Seen", "tags", "raw")""",
            fleet.LegacyCodes(),
            cancellation
        );

        await using var analyze = new NpgsqlCommand("ANALYZE", connection);
        await analyze.ExecuteNonQueryAsync(cancellation);
    }

    private static async Task<string> ReadSchemaAsync()
    {
        await using var stream = Assembly.GetExecutingAssembly().GetManifestResourceStream("fleet.sql")
            ?? throw new InvalidOperationException("fleet.sql is not embedded");
        using var reader = new StreamReader(stream);
        return await reader.ReadToEndAsync();
    }

    private static async Task CopyAsync(
        NpgsqlConnection connection,
        string target,
        IEnumerable<object?[]> rows,
        CancellationToken cancellation
    )
    {
        await using var importer = await connection.BeginBinaryImportAsync($"COPY {target} FROM STDIN (FORMAT BINARY)", cancellation);
        foreach (var row in rows)
        {
            await importer.StartRowAsync(cancellation);
            foreach (var value in row)
            {
                await WriteAsync(importer, value, cancellation);
            }
        }

        await importer.CompleteAsync(cancellation);
    }

    private static Task WriteAsync(NpgsqlBinaryImporter importer, object? value, CancellationToken cancellation) =>
        value switch
        {
            null => importer.WriteNullAsync(cancellation),
            short number => importer.WriteAsync(number, NpgsqlDbType.Smallint, cancellation),
            int number => importer.WriteAsync(number, NpgsqlDbType.Integer, cancellation),
            decimal number => importer.WriteAsync(number, NpgsqlDbType.Numeric, cancellation),
            bool yes => importer.WriteAsync(yes, NpgsqlDbType.Boolean, cancellation),
            DateOnly date => importer.WriteAsync(date, NpgsqlDbType.Date, cancellation),
            DateTimeOffset instant => importer.WriteAsync(instant.UtcDateTime, NpgsqlDbType.TimestampTz, cancellation),
            Guid id => importer.WriteAsync(id, NpgsqlDbType.Uuid, cancellation),
            byte[] bytes => importer.WriteAsync(bytes, NpgsqlDbType.Bytea, cancellation),
            string[] texts => importer.WriteAsync(texts, NpgsqlDbType.Array | NpgsqlDbType.Text, cancellation),
            JsonText json => importer.WriteAsync(json.Value, NpgsqlDbType.Json, cancellation),
            EnumLabel label => importer.WriteAsync(label.Value, NpgsqlDbType.Unknown, cancellation),
            string text => importer.WriteAsync(text, NpgsqlDbType.Text, cancellation),
            _ => throw new ArgumentOutOfRangeException(nameof(value), value.GetType().Name, "no column type for it"),
        };
}

internal readonly record struct JsonText(string Value);

internal readonly record struct EnumLabel(string Value);
