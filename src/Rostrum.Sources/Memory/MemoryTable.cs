using System.Data.Common;
using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Memory;

/// <summary>
/// Records that were fetched, as a table of a database in memory: what their source leaves over is decided there, by the same planner and
/// with the same meaning as in any other database.
/// </summary>
internal static class MemoryTable
{
    // What no codec reads: it is unreadable there too.
    private const string NoValue = "•";

    /// <summary>The language of the memory.</summary>
    public static SqlEngine Engine { get; } = SqlEngines.All.First(engine => engine.OpenMemory() is not null);

    /// <summary>Opens a memory with a dataset's table and some records in it.</summary>
    /// <param name="dataset">The dataset.</param>
    /// <param name="rows">The values of its stored fields, in their order.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public static async Task<DbConnection> OpenAsync(Dataset dataset, IEnumerable<object?[]> rows, CancellationToken cancellation)
    {
        var connection = Engine.OpenMemory()!;
        await connection.OpenAsync(cancellation);
        Engine.Prepare(connection);
        var fields = dataset.StoredFields.ToArray();
        var (table, columns) = (Engine.Quote(dataset.Table), fields.Select(field => Engine.Quote(field.Column)).ToArray());
        await using var command = connection.CreateCommand();
        command.CommandText =
            $"CREATE TABLE {table} ({string.Join(", ", fields.Select((field, at) => columns[at] + Declared(dataset, field)))})";
        await command.ExecuteNonQueryAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        await using var insert = connection.CreateCommand();
        insert.Transaction = transaction;
        insert.CommandText = $"INSERT INTO {table} VALUES ({string.Join(", ", fields.Select((_, at) => Engine.Placeholder(at + 1)))})";
        var parameters = new DbParameter[fields.Length];
        for (var at = 0; at < fields.Length; at++)
        {
            parameters[at] = Engine.Parameter("");
            parameters[at].ParameterName = Engine.NameOf(at + 1);
            insert.Parameters.Add(parameters[at]);
        }

        // Everything is in memory: there is nothing to wait for.
        foreach (var row in rows)
        {
            for (var at = 0; at < fields.Length; at++)
            {
                parameters[at].Value = row[at] is Unreadable ? NoValue : Engine.CodecOf(fields[at].Type).Parameter(row[at]).Value;
            }

            insert.ExecuteNonQuery();
        }

        await transaction.CommitAsync(cancellation);
        return connection;
    }

    /// <summary>The values of a record's stored fields, in their order.</summary>
    public static object?[] Row(Dataset dataset, Func<Field, object?> value) => [.. dataset.StoredFields.Select(value)];

    // A new record has a key of its own until its source gives it one.
    private static string Declared(Dataset dataset, Field field) =>
        dataset.Key is [var key] && key == field.Name
            ? field.Type switch
            {
                FieldType.Integer => " INTEGER PRIMARY KEY",
                FieldType.Text or FieldType.Uuid => " TEXT DEFAULT (lower(hex(randomblob(4)) || '-' || hex(randomblob(2)) || '-4' || "
                    + "substr(hex(randomblob(2)), 2) || '-a' || substr(hex(randomblob(2)), 2) || '-' || hex(randomblob(6)))) PRIMARY KEY",
                _ => "",
            }
        : field.Type is FieldType.Number ? " NUMERIC"
        : "";
}
