using System.Collections.Immutable;
using System.Data.Common;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Apart;
using Rostrum.Sources.Memory;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Holds a record as it would be against its dataset's rules, in one statement: the record stands in the place of its table.
/// </summary>
/// <remarks>Rules are their builder's: they read whatever they name, whoever saves.</remarks>
/// <param name="engine">The database.</param>
/// <param name="catalogue">The datasets.</param>
/// <param name="context">The request's moment.</param>
/// <param name="user">Who saves.</param>
/// <param name="gate">Reads what rules name of other sources.</param>
internal sealed class SqlRules(SqlEngine engine, DatasetCatalogue catalogue, FormulaContext context, SignedIn? user, RecordGate gate)
{
    private static readonly Grants Builder = Grants.ViewEverything;

    /// <summary>
    /// From here to the end of the transaction nobody else saves records that must differ from one another, or that are guarded.
    /// </summary>
    public async Task WaitForOthersAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        bool isGuarded,
        CancellationToken cancellation
    )
    {
        var sql = new SqlText(engine);
        if ((isGuarded || dataset.Rules.Any(rule => rule is Rule.Unique)) && engine.WaitForOthers(sql, dataset.Table) is { } wait)
        {
            await using var command = sql.Add(wait).Command(connection, transaction);
            await command.ExecuteNonQueryAsync(cancellation);
        }
    }

    /// <summary>The rules that a record would break.</summary>
    /// <param name="connection">The connection; within a transaction, what was written in it counts.</param>
    /// <param name="transaction">The transaction; none where it is only tried.</param>
    /// <param name="dataset">The dataset.</param>
    /// <param name="key">The record that is changed; null for a new one.</param>
    /// <param name="values">The values that are written.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<ImmutableArray<FieldProblem>> BrokenAsync(
        DbConnection connection,
        DbTransaction? transaction,
        Dataset dataset,
        RecordKey? key,
        FieldValues values,
        CancellationToken cancellation
    )
    {
        if (dataset.Rules.IsEmpty)
        {
            return [];
        }

        var sound = dataset
            .Rules.Where(rule => rule.AppliesTo(key is null, values))
            .ToLookup(rule => RuleChecks.Problem(rule, dataset, Shapes, user) is null);
        var rules = sound[true].ToArray();
        var columns = Columns(rules);
        var formulas = Formulas(dataset, columns);
        OverLists.UnionWith(columns.Where(column => formulas.LooksAtLists(column.Column.Name)).Select(column => column.Rule));
        var sql = new SqlText(engine);
        var plan = new SelectPlan(
            new RequestScope(catalogue, Builder, context, formulas),
            dataset,
            sql,
            "t",
            record: Record(dataset, key, values, sql)
        );
        var selected = new SelectedColumns(engine);
        var memory = new MemoryPart(catalogue, Builder, formulas, new OtherSources(gate, catalogue, Builder, Shapes, context.Now));
        var places = Places(columns, formulas, plan, selected, memory);
        var unique = rules.OfType<Rule.Unique>().Select(rule => (Rule: rule, Place: selected.Add(Twin(rule, dataset, key, sql)))).ToArray();
        memory.Select(plan, selected);
        sql.Add($"SELECT {selected.Sql}{plan.From([])}");
        var statements = Statements.On(engine, connection, transaction);
        if (await statements.RowsAsync(sql, selected.Read, cancellation) is not [var row])
        {
            return [];
        }

        var computed = (await memory.EvaluateAsync(statements, [row], cancellation))[0];
        var broken = columns
            .Zip(places, (column, place) => (column.Rule, Value: place.Selected >= 0 ? row[place.Selected] : computed[place.Memory]))
            .Where(result => result.Value is not true)
            .Select(result => (Rule)result.Rule)
            .Concat(unique.Where(twin => row[twin.Place] is true).Select(twin => twin.Rule))
            .ToHashSet();
        return
        [
            .. dataset.Rules.Where(broken.Contains).Select(rule => new FieldProblem(rule.Field, rule.Message) { Warns = rule.Warns }),
            .. sound[false]
                .Select(rule => new FieldProblem(
                    rule.Field,
                    $"The rule “{rule.Message}” cannot be checked, so nothing can be saved. Tell a builder."
                )),
        ];
    }

    /// <summary>
    /// What records, as they stand in the transaction, break. A rule over a list of related records, in which the record itself may be,
    /// shows only then whether it is kept.
    /// </summary>
    /// <param name="connection">The connection.</param>
    /// <param name="transaction">The transaction in which they were written.</param>
    /// <param name="dataset">The dataset.</param>
    /// <param name="records">Each record's key with its rules.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<ImmutableArray<FieldProblem>> BrokenAfterAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        IReadOnlyList<(RecordKey Key, ImmutableArray<Rule> Rules)> records,
        CancellationToken cancellation
    )
    {
        var columns = Columns(
            records.SelectMany(record => record.Rules).Distinct().Where(rule => RuleChecks.Problem(rule, dataset, Shapes, user) is null)
        );
        if (columns.Length == 0)
        {
            return [];
        }

        var formulas = Formulas(dataset, columns);
        var sql = new SqlText(engine);
        var plan = new SelectPlan(new RequestScope(catalogue, Builder, context, formulas), dataset, sql, "t");
        var selected = new SelectedColumns(engine);
        var memory = new MemoryPart(catalogue, Builder, formulas, new OtherSources(gate, catalogue, Builder, Shapes, context.Now));
        var key = dataset.Key.Select(name => selected.Add(plan.Own(name))).ToArray();
        var places = Places(columns, formulas, plan, selected, memory);
        memory.Select(plan, selected);
        sql.Add(
            $"SELECT {selected.Sql} FROM {plan.Table()}{plan.Joins()} "
                + $"WHERE {SqlWrites.KeyCondition(engine, dataset, [.. records.Select(record => record.Key)], sql, "t.")}"
        );
        var statements = Statements.On(engine, connection, transaction);
        var rows = await statements.RowsAsync(sql, selected.Read, cancellation);
        var computed = await memory.EvaluateAsync(statements, rows, cancellation);
        var held = records.ToDictionary(record => record.Key.ToText(dataset), record => record.Rules, StringComparer.Ordinal);
        var broken =
            from at in Enumerable.Range(0, rows.Count)
            let row = rows[at]
            let own = held.GetValueOrDefault(new RecordKey([.. key.Select(index => row[index]!)]).ToText(dataset), [])
            from pair in columns.Zip(places)
            where own.Contains(pair.First.Rule)
            where (pair.Second.Selected >= 0 ? row[pair.Second.Selected] : computed[at][pair.Second.Memory]) is not true
            select (Rule)pair.First.Rule;
        return [.. broken.Distinct().Select(rule => new FieldProblem(rule.Field, rule.Message) { Warns = rule.Warns })];
    }

    /// <summary>Rules that can be held against many records at once: neither about records that differ, nor in themselves wrong.</summary>
    public Func<Rule, bool> CanHoldTogether(Dataset dataset) =>
        rule => rule is Rule.Holds && RuleChecks.Problem(rule, dataset, Shapes, user) is null;

    /// <summary>The rules over lists of related records among those that were held against a record as it would be.</summary>
    public HashSet<Rule> OverLists { get; } = [];

    private DatasetShapes Shapes => field ??= DatasetShapes.Of(catalogue, Builder);

    private static (Rule.Holds Rule, ComputedColumn Column)[] Columns(IEnumerable<Rule> rules) =>
        [.. rules.OfType<Rule.Holds>().Select((rule, index) => (rule, new ComputedColumn(new FieldName($"rule {index}"), rule.Formula)))];

    private RequestFormulas Formulas(Dataset dataset, IEnumerable<(Rule.Holds Rule, ComputedColumn Column)> columns)
    {
        var (formulas, problem) = RequestFormulas.Check(
            new RequestNames(Shapes, SignedIn.Names(user), SignedIn.Given(user)),
            context,
            dataset,
            [.. columns.Select(column => column.Column)],
            new Filter.Everything()
        );
        return problem is null ? formulas : throw new InvalidOperationException(problem);
    }

    // Where each rule's answer is found: among the selected columns, or among what memory computes.
    private static (int Selected, int Memory)[] Places(
        IEnumerable<(Rule.Holds Rule, ComputedColumn Column)> columns,
        RequestFormulas formulas,
        SelectPlan plan,
        SelectedColumns selected,
        MemoryPart memory
    ) =>
        [
            .. columns.Select(column =>
                plan.Computed(column.Column.Name).Leaf is { } leaf
                    ? (selected.Add(leaf), -1)
                    : (-1, memory.Add(formulas.Columns[column.Column.Name]))
            ),
        ];

    // The record as it would be: of a new one the given values, of a known one the others as they are.
    private string Record(Dataset dataset, RecordKey? key, FieldValues values, SqlText sql)
    {
        var stored = dataset.StoredFields.ToArray();
        string Value(Field field) =>
            values.Has(field.Name) ? engine.AsColumn(sql.Value(field, values[field.Name]), field)
            : key is not null ? $"o.{engine.Quote(field.Column)}"
            : field is { HasDefault: true, UsualValue: { } usual }
            && FieldText.FromInput(field.Type, usual, context.Zone) is Parsed.Value { Is: { } value }
                ? engine.AsColumn(sql.Value(field, value), field)
            : engine.AsColumn("NULL", field);
        var columns = string.Join(", ", stored.Select(field => $"{Value(field)} AS {engine.Quote(field.Column)}"));
        return key is null
            ? $"(SELECT {columns})"
            : $"(SELECT {columns} FROM {engine.Quote(dataset.Table)} o "
                + $"WHERE {SqlWrites.KeyCondition(engine, dataset, key, sql, "o.")})";
    }

    private Leaf Twin(Rule.Unique rule, Dataset dataset, RecordKey? key, SqlText sql)
    {
        var same = string.Join(
            " AND ",
            rule.Fields.Select(name => engine.Quote(dataset[name].Column)).Select(column => $"u.{column} = t.{column}")
        );
        var other = key is null ? "" : $" AND NOT ({SqlWrites.KeyCondition(engine, dataset, key, sql, "u.")})";
        return new Leaf(
            $"EXISTS (SELECT 1 FROM {engine.Quote(dataset.Table)} u WHERE {same}{other})",
            ComputedLeaf.FieldOf(new FieldName(rule.Name), new FormulaType.Boolean()),
            Nullable: false
        );
    }
}
