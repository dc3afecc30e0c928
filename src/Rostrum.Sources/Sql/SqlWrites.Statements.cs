using System.Data.Common;
using System.Globalization;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>Changes as statements, and the keys of what they made.</summary>
internal sealed partial class SqlWrites
{
    private string KeyColumns(Dataset dataset, string prefix) =>
        string.Join(", ", dataset.Key.Select(name => prefix + _engine.Quote(dataset[name].Column)));

    private SqlText Statement(Dataset dataset, Change change)
    {
        var sql = new SqlText(_engine);
        var table = _engine.Quote(dataset.Table);
        var key = string.Join(
            ", ",
            dataset.Key.Select(name => _engine.CodecOf(dataset[name].Type).Selected(_engine.Quote(dataset[name].Column)))
        );
        string Columns(FieldValues values) => string.Join(", ", values.Fields.Select(name => _engine.Quote(dataset[name].Column)));
        string Placeholders(FieldValues values) => string.Join(", ", values.Select(pair => sql.Value(dataset[pair.Key], pair.Value)));
        string Assignments(FieldValues values) => string.Join(", ", values.Select(Assignment));
        string Assignment(KeyValuePair<FieldName, object?> pair) =>
            $"{_engine.Quote(dataset[pair.Key].Column)} = {sql.Value(dataset[pair.Key], pair.Value)}";
        var returning = _engine.ReturnsKeys ? $" RETURNING {key}" : "";
        return change switch
        {
            Change.Insert { Values.Count: 0 } => sql.Add($"INSERT INTO {table} {_engine.NoValues}{returning}"),
            Change.Insert insert => sql.Add(
                $"INSERT INTO {table} ({Columns(insert.Values)}) VALUES ({Placeholders(insert.Values)}){returning}"
            ),
            Change.Restore restore => sql.Add(
                $"INSERT INTO {table} ({Columns(restore.Values)}){_engine.WithOwnIdentity} "
                    + $"VALUES ({Placeholders(restore.Values)}){returning}"
            ),
            Change.Update update => sql.Add(
                $"UPDATE {table} SET {Assignments(update.Values)} WHERE {KeyCondition(_engine, dataset, update.Key, sql, "")}{returning}"
            ),
            Change.Delete delete => sql.Add($"DELETE FROM {table} WHERE {KeyCondition(_engine, dataset, delete.Key, sql, "")}{returning}"),
            _ => throw new ArgumentOutOfRangeException(nameof(change), change, "unknown change"),
        };
    }

    private async Task<RecordKey?> ExecuteAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change change,
        CancellationToken cancellation
    )
    {
        await using var command = Statement(dataset, change).Command(connection, transaction);
        if (!_engine.ReturnsKeys)
        {
            await command.ExecuteNonQueryAsync(cancellation);
            return await KeyAfterAsync(connection, transaction, dataset, change, cancellation);
        }

        await using var reader = await command.ExecuteReaderAsync(cancellation);
        return await reader.ReadAsync(cancellation) ? KeyRead(reader, dataset) : null;
    }

    private RecordKey KeyRead(DbDataReader reader, Dataset dataset) =>
        new([
            .. dataset.Key.Select(
                (name, index) => _engine.Read(reader, index, dataset[name].Type) ?? throw new InvalidOperationException("a key is blank")
            ),
        ]);

    // Where the database does not give the key back: it is as written, or counted up by the database.
    private async Task<RecordKey?> KeyAfterAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change change,
        CancellationToken cancellation
    )
    {
        var (written, known) = change switch
        {
            Change.Insert insert => (insert.Values, null),
            Change.Restore restore => (restore.Values, null),
            Change.Update update => (update.Values, update.Key),
            Change.Delete delete => (FieldValues.None, (RecordKey?)delete.Key),
            _ => throw new ArgumentOutOfRangeException(nameof(change), change, "unknown change"),
        };
        var values = new List<object>();
        foreach (var (name, at) in dataset.Key.Select((name, at) => (name, at)))
        {
            values.Add(
                (written.Has(name) ? written[name] : null)
                    ?? known?.Values[at]
                    ?? await LastIdentityAsync(connection, transaction, cancellation)
            );
        }

        return new RecordKey([.. values]);
    }

    private async Task<object> LastIdentityAsync(DbConnection connection, DbTransaction transaction, CancellationToken cancellation)
    {
        await using var command = new SqlText(_engine).Add(_engine.LastIdentity!).Command(connection, transaction);
        return Convert.ToInt64(await command.ExecuteScalarAsync(cancellation), CultureInfo.InvariantCulture);
    }

    /// <summary>The condition on one record; the prefix is its table's alias and a dot.</summary>
    public static string KeyCondition(SqlEngine engine, Dataset dataset, RecordKey key, SqlText sql, string prefix) =>
        string.Join(
            " AND ",
            dataset.Key.Zip(key.Values, (name, value) =>
                $"{prefix}{engine.Quote(dataset[name].Column)} = {sql.Value(dataset[name], value)}"
            )
        );

    /// <summary>The condition on some records.</summary>
    public static string KeyCondition(SqlEngine engine, Dataset dataset, IReadOnlyList<RecordKey> keys, SqlText sql, string prefix) =>
        keys.Count == 1 ? KeyCondition(engine, dataset, keys[0], sql, prefix)
        : dataset.Key is [var only] ? OneOf(engine, dataset[only], keys, sql, prefix)
        : $"({string.Join(" OR ", keys.Select(key => $"({KeyCondition(engine, dataset, key, sql, prefix)})"))})";

    private static string OneOf(SqlEngine engine, Field field, IReadOnlyList<RecordKey> keys, SqlText sql, string prefix)
    {
        object[] values = [.. keys.Select(key => key.Values[0])];
        return engine.KeyIsIn(sql, field, prefix + engine.Quote(field.Column), values);
    }
}
