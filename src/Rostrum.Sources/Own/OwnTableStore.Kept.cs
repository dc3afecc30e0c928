using System.Collections.Immutable;
using Npgsql;
using Rostrum.Core.Datasets;
using Rostrum.Core.OwnTables;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Own;

/// <summary>What alterations take away, and how it comes back.</summary>
public sealed partial class OwnTableStore
{
    private const string KeptSchema = "own_tables_kept";

    /// <summary>Removes a field; what stood in it is kept.</summary>
    /// <param name="at">The column.</param>
    /// <param name="keepAs">The alteration under which it is kept.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task RemoveAsync(OwnColumn at, Guid keepAs, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(at);
        var (table, name) = (Quoted(at.Table), SqlIdentifier.Quote(at.Column));
        await LockAsync(at.Table, cancellation);
        await KeepAsync(keepAs, $"SELECT {at.KeyColumns}, {name} AS old FROM {table} WHERE {name} IS NOT NULL", cancellation);
        await RunAsync($"ALTER TABLE {table} DROP COLUMN {name}", cancellation);
    }

    /// <summary>Brings a removed field back, with what stood in it where its records are still there.</summary>
    /// <param name="at">The column.</param>
    /// <param name="field">What it was.</param>
    /// <param name="keptAs">The alteration that removed it.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <returns>Whether it is required as it was: where records came since, it cannot be.</returns>
    public async Task<bool> RestoreAsync(OwnColumn at, OwnField field, Guid keptAs, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(at);
        ArgumentNullException.ThrowIfNull(field);
        var (table, name) = (Quoted(at.Table), SqlIdentifier.Quote(at.Column));
        await LockAsync(at.Table, cancellation);
        await RunAsync($"ALTER TABLE {table} ADD COLUMN {await ColumnAsync(at.Column, Unlimited(field), cancellation)}", cancellation);
        var isThere = field.Type is OwnType.Relation ? $" AND EXISTS (SELECT FROM {Quoted(field.Target!)} o WHERE o.{Key} = k.old)" : "";
        await RunAsync($"UPDATE {table} t SET {name} = k.old FROM {Kept(keptAs)} k WHERE {at.SameRecord}{isThere}", cancellation);
        var required = field.Required && !await IsAsync($"EXISTS (SELECT FROM {table} WHERE {name} IS NULL)", cancellation);
        await LimitAsync(at.Table, name, field with { Required = required }, cancellation);
        await ForgetAsync(keptAs, cancellation);
        return required;
    }

    /// <summary>Removes a table; it is kept apart with all its records, and holds on to none of other tables.</summary>
    /// <param name="table">The table.</param>
    /// <param name="keepAs">The alteration under which it is kept.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <returns>The keys by which it led to others.</returns>
    public async Task<ImmutableArray<OwnReference>> DropAsync(string table, Guid keepAs, CancellationToken cancellation)
    {
        await LockAsync(table, cancellation);
        var references = await ReferencesAsync(table, cancellation);
        foreach (var reference in references)
        {
            await RunAsync($"ALTER TABLE {Quoted(table)} DROP CONSTRAINT {SqlIdentifier.Quote(reference.Name)}", cancellation);
        }

        if (
            await IsAsync(
                $"EXISTS (SELECT FROM pg_constraint WHERE contype = 'f' AND confrelid = $1::regclass)",
                cancellation,
                Quoted(table)
            )
        )
        {
            throw new PostgresException("it is referred to", "ERROR", "ERROR", PostgresErrorCodes.DependentObjectsStillExist);
        }

        await RunAsync($"CREATE SCHEMA IF NOT EXISTS {KeptSchema}", cancellation);
        await RunAsync($"ALTER TABLE {Quoted(table)} SET SCHEMA {KeptSchema}", cancellation);
        var moved = SqlIdentifier.Quote(new TableName(KeptSchema, table));
        await RunAsync($"ALTER TABLE {moved} RENAME TO {SqlIdentifier.Quote(KeptName(keepAs))}", cancellation);
        return references;
    }

    /// <summary>Brings a removed table back. What led from it to records that are gone is blank; of links, the link is gone.</summary>
    /// <param name="table">The table.</param>
    /// <param name="references">The keys by which it led to others.</param>
    /// <param name="keptAs">The alteration that removed it.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task RestoreAsync(string table, ImmutableArray<OwnReference> references, Guid keptAs, CancellationToken cancellation)
    {
        await RunAsync($"ALTER TABLE {Kept(keptAs)} RENAME TO {SqlIdentifier.Quote(table)}", cancellation);
        await RunAsync($"ALTER TABLE {SqlIdentifier.Quote(new TableName(KeptSchema, table))} SET SCHEMA {Schema}", cancellation);
        foreach (var reference in references)
        {
            var name = SqlIdentifier.Quote(reference.Column);
            var gone = $"{name} IS NOT NULL AND NOT EXISTS (SELECT FROM {Quoted(reference.Target)} o WHERE o.{Key} = t.{name})";
            await RunAsync(
                reference.GoesWith
                    ? $"DELETE FROM {Quoted(table)} t WHERE {gone}"
                    : $"UPDATE {Quoted(table)} t SET {name} = NULL WHERE {gone}",
                cancellation
            );
            var cascade = reference.GoesWith ? " ON DELETE CASCADE" : "";
            await RunAsync(
                $"ALTER TABLE {Quoted(table)} ADD CONSTRAINT {SqlIdentifier.Quote(reference.Name)} "
                    + $"FOREIGN KEY ({name}) REFERENCES {Quoted(reference.Target)}{cascade}",
                cancellation
            );
        }
    }

    /// <summary>What was kept goes for good.</summary>
    public Task ForgetAsync(Guid keptAs, CancellationToken cancellation) => RunAsync($"DROP TABLE IF EXISTS {Kept(keptAs)}", cancellation);

    private async Task KeepAsync(Guid keepAs, string values, CancellationToken cancellation)
    {
        await RunAsync($"CREATE SCHEMA IF NOT EXISTS {KeptSchema}", cancellation);
        await RunAsync($"CREATE TABLE {Kept(keepAs)} AS {values}", cancellation);
    }

    private async Task<ImmutableArray<OwnReference>> ReferencesAsync(string table, CancellationToken cancellation)
    {
        await using var read = new NpgsqlCommand(
            """
            SELECT c.conname, a.attname, t.relname, c.confdeltype = 'c'
            FROM pg_constraint c
            JOIN pg_attribute a ON a.attrelid = c.conrelid AND a.attnum = c.conkey[1]
            JOIN pg_class t ON t.oid = c.confrelid
            WHERE c.contype = 'f' AND c.conrelid = $1::regclass
            """,
            _connection
        );
        read.Parameters.Add(new NpgsqlParameter<string> { TypedValue = Quoted(table) });
        await using var rows = await read.ExecuteReaderAsync(cancellation);
        var references = ImmutableArray.CreateBuilder<OwnReference>();
        while (await rows.ReadAsync(cancellation))
        {
            references.Add(new OwnReference(rows.GetString(0), rows.GetString(1), rows.GetString(2), rows.GetBoolean(3)));
        }

        return references.ToImmutable();
    }

    private async Task<bool> IsAsync(string condition, CancellationToken cancellation, string? value = null)
    {
        await using var command = new NpgsqlCommand($"SELECT {condition}", _connection);
        if (value is not null)
        {
            command.Parameters.Add(new NpgsqlParameter<string> { TypedValue = value });
        }

        return (bool)(await command.ExecuteScalarAsync(cancellation))!;
    }

    private static string KeptName(Guid alteration) => $"kept_{alteration:N}";

    private static string Kept(Guid alteration) => SqlIdentifier.Quote(new TableName(KeptSchema, KeptName(alteration)));
}
