using System.Data.Common;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>Records as they are while nobody else can change them.</summary>
internal sealed partial class SqlWrites
{
    /// <param name="Record">The record as it is.</param>
    /// <param name="Granted">The verb applies to it.</param>
    /// <param name="Grant">What the person may do with it.</param>
    private sealed record Locked(Record Record, bool Granted, Grant Grant);

    private async Task<Locked?> LockAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        RecordKey key,
        Verbs verb,
        CancellationToken cancellation
    ) => (await LockAsync(connection, transaction, dataset, [key], verb, cancellation)).GetValueOrDefault(key.ToText(dataset));

    // Each record of those that are there, by its key as text.
    private async Task<Dictionary<string, Locked>> LockAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        IReadOnlyList<RecordKey> keys,
        Verbs verb,
        CancellationToken cancellation
    )
    {
        string Are(SqlText sql) => KeyCondition(_engine, dataset, keys, sql, "t.");

        // A database may take keys for equal that differ in case: the only one that was asked for keeps its name.
        var named = keys.Count == 1 ? keys[0] : null;
        var found = await LockedAsync(connection, transaction, dataset, grants, verb, Are, cancellation, named);
        return found.ToDictionary(one => one.Record.Key!.ToText(dataset), StringComparer.Ordinal);
    }

    // Records are taken in the order of their keys, so that no two savers wait for each other.
    private async Task<List<Locked>> LockedAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Grants seen,
        Verbs verb,
        Func<SqlText, string> condition,
        CancellationToken cancellation,
        RecordKey? named = null
    )
    {
        var sql = new SqlText(_engine);
        var columns = new SelectedColumns(_engine);
        var plan = new SelectPlan(new RequestScope(catalogue, seen, context), dataset, sql, "t");
        var stored = dataset.StoredFields.Select(field => field.Name).ToArray();
        var fields = stored.Select(name => columns.Add(plan.Stored(name))).ToArray();
        var title = plan.Title().Select(columns.Add).ToArray();
        var grant = seen.For(dataset.Id);
        Filter[] asked = [.. grant.ByRecord.Values.SelectMany(fields => fields.Parts).Select(part => part.Condition).Distinct()];
        string[] decided =
        [
            plan.Granted.For(plan.Row, verb) ?? "TRUE",
            .. asked.Select(condition => plan.Granted.Apart(condition, dataset, "t")),
        ];
        sql.Add(
            $"SELECT {columns.Sql}, {string.Join(", ", decided)} FROM {plan.Table()}{plan.Joins()} "
                + $"WHERE {condition(sql)} ORDER BY {KeyColumns(dataset, "t.")}{_engine.Lock("t")}"
        );
        await using var command = sql.Command(connection, transaction);
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        var found = new List<Locked>();
        while (await reader.ReadAsync(cancellation))
        {
            var row = columns.Read(reader);
            bool Holds(int at) => !reader.IsDBNull(columns.Leaves.Count + at) && reader.GetBoolean(columns.Leaves.Count + at);
            var holding = asked.Where((_, at) => Holds(1 + at)).ToHashSet();
            var name = RecordFormat.Title(
                title.Select(index => format.Display(columns.Leaves[index].Field, row[index])),
                $"{dataset.RecordLabel} without a name"
            );
            object?[] values = [.. fields.Select(index => row[index])];
            var key = named ?? new RecordKey([.. dataset.Key.Select(part => values[Array.IndexOf(stored, part)]!)]);
            found.Add(new Locked(new Record(new RecordLayout(stored, []), key, values, name, []), Holds(0), grant.Of(holding.Contains)));
        }

        return found;
    }
}
