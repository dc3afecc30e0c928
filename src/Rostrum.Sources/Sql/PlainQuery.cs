using System.Data.Common;

namespace Rostrum.Sources.Sql;

/// <summary>Questions to a database about itself: texts of our own, and at most a name beside them.</summary>
internal static class PlainQuery
{
    /// <summary>All rows of the answer.</summary>
    /// <param name="connection">The connection.</param>
    /// <param name="sql">The question.</param>
    /// <param name="read">Reads a row.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <param name="value">What stands for <c>@p1</c>; nothing where null.</param>
    public static async Task<List<T>> ListAsync<T>(
        DbConnection connection,
        string sql,
        Func<DbDataReader, T> read,
        CancellationToken cancellation,
        string? value = null
    )
    {
        await using var command = connection.CreateCommand();
        command.CommandText = sql;
        if (value is not null)
        {
            var parameter = command.CreateParameter();
            (parameter.ParameterName, parameter.Value) = ("@p1", value);
            command.Parameters.Add(parameter);
        }

        var rows = new List<T>();
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        while (await reader.ReadAsync(cancellation))
        {
            rows.Add(read(reader));
        }

        return rows;
    }
}
