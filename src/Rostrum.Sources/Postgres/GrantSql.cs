using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>Which rows a person's grants let a verb be used on, as conditions of a statement.</summary>
/// <remarks>
/// A policy's formula is its owner's: it reads whatever it names, and sees every related record, whether or not the person may.
/// One that has a problem, or that the server cannot decide, lets nothing through.
/// </remarks>
internal sealed class GrantSql(DatasetCatalogue catalogue, Grants grants, SqlText sql, FormulaContext context)
{
    private static readonly PostgresDialect Dialect = new();
    private readonly DatasetShapes _shapes = new(catalogue, Grants.Everywhere(Grant.ViewOnly));

    /// <summary>The condition on a dataset's rows under an alias; null where all may be used.</summary>
    public string? For(Dataset dataset, string alias, Verbs verb) =>
        grants.For(dataset.Id).For(verb) is var condition and not Filter.Everything ? FilterSql.Of(condition, dataset, alias, sql, holds => Holds(holds, dataset, alias)) : null;

    /// <summary>What keeps a condition from being decided; null where nothing does.</summary>
    public static string? Problem(DatasetCatalogue catalogue, Dataset dataset, string formula)
    {
        var shapes = new DatasetShapes(catalogue, Grants.Everywhere(Grant.ViewOnly));
        var checkedFormula = Checker.Check(Parser.Parse(formula), shapes.Of(dataset).Shape, SignedIn.Names(null));
        if (checkedFormula.Tree is not { } tree)
        {
            return checkedFormula.Problems[0].Message;
        }

        var translator = Translator(shapes, new SqlText(), new FormulaContext(DateTimeOffset.UnixEpoch, TimeZoneInfo.Utc), new SqlRow(Tables("t"), dataset, "t"));
        return tree.Type is not FormulaType.Boolean ? $"It gives a {tree.Type.Word}, and should be true or false." : translator.Condition(tree) is null ? $"The server cannot decide it: {translator.Refusal}." : null;
    }

    private string Holds(Filter.Holds condition, Dataset dataset, string alias)
    {
        var formula = Checker.Check(Parser.Parse(condition.Formula), _shapes.Of(dataset).Shape, SignedIn.Names(grants.User));
        if (formula.Tree is not { Type: FormulaType.Boolean } tree)
        {
            return "FALSE";
        }

        var row = new SqlRow(Tables(alias), dataset, alias);
        var decided = Translator(_shapes, sql, context, row).Condition(tree);
        if (decided is null || row.Joins.Length == 0)
        {
            return decided is null ? "FALSE" : $"({decided})";
        }

        // It reads related records: in a sub-query of its own, so that the statement's joins stay what they are.
        var inner = new SqlRow(Tables(alias), dataset, $"{alias}g");
        decided = Translator(_shapes, sql, context, inner).Condition(tree);
        return dataset.Key.IsEmpty ? "FALSE" : $"EXISTS (SELECT 1 FROM {inner.From} WHERE {string.Join(" AND ", dataset.Key.Select(key => $"{inner.Column(key)} = {row.Column(key)}"))} AND ({decided}))";
    }

    private static SqlTables Tables(string alias) => new(Dialect, $"{alias}g", (_, _) => null);

    private static FormulaSql Translator(DatasetShapes shapes, SqlText sql, FormulaContext context, SqlRow row) => new(Dialect, shapes, sql, context, row);
}
