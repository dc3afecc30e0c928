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

        var shapes = DatasetShapes.Of(catalogue, Builder);
        var sound = dataset
            .Rules.Where(rule => rule.AppliesTo(key is null, values))
            .ToLookup(rule => RuleChecks.Problem(rule, dataset, shapes, user) is null);
        var rules = sound[true].ToArray();
        var columns = rules
            .OfType<Rule.Holds>()
            .Select((rule, index) => (Rule: rule, Column: new ComputedColumn(new FieldName($"rule {index}"), rule.Formula)))
            .ToArray();
        var (formulas, problem) = RequestFormulas.Check(
            new RequestNames(shapes, SignedIn.Names(user), SignedIn.Given(user)),
            context,
            dataset,
            [.. columns.Select(column => column.Column)],
            new Filter.Everything()
        );
        if (problem is not null)
        {
            throw new InvalidOperationException(problem);
        }

        var sql = new SqlText(engine);
        var plan = new SelectPlan(catalogue, Builder, dataset, sql, "t", context, formulas, record: Record(dataset, key, values, sql));
        var selected = new SelectedColumns(engine);
        var memory = new MemoryPart(catalogue, Builder, formulas, new OtherSources(gate, catalogue, Builder, shapes, context.Now));
        var places = columns
            .Select(column =>
                plan.Computed(column.Column.Name).Leaf is { } leaf
                    ? (Selected: selected.Add(leaf), Memory: -1)
                    : (Selected: -1, Memory: memory.Add(formulas.Columns[column.Column.Name]))
            )
            .ToArray();
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
