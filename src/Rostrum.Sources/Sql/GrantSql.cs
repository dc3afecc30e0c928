using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Apart;

namespace Rostrum.Sources.Sql;

/// <summary>Which rows a person's grants let a verb be used on, as conditions of a statement.</summary>
/// <remarks>
/// A policy's formula is its owner's: it reads whatever it names, and sees every related record, whether or not the person may.
/// One that has a problem, or that the server cannot decide, lets nothing through.
/// </remarks>
internal sealed class GrantSql(DatasetCatalogue catalogue, Grants grants, SqlText sql, FormulaContext context)
{
    private readonly SqlDialect _dialect = sql.Engine.Dialect;
    private int _related;
    private readonly DatasetShapes _shapes = DatasetShapes.Of(catalogue, Grants.ViewEverything);

    // A condition asks after the person whose grants they are, whatever names the request itself has.
    private readonly FormulaContext _context = context with { Given = grants.Given };

    /// <summary>The condition on a dataset's rows under an alias; null where all may be used.</summary>
    public string? For(Dataset dataset, string alias, Verbs verb) =>
        grants.For(dataset.Id).For(verb) is var condition and not Filter.Everything ? Apart(condition, dataset, alias) : null;

    /// <summary>The condition on a row under which a field may be read; null where it may be of all.</summary>
    public string? Shown(SqlRow row, FieldName field) =>
        grants.For(row.Dataset.Id).WhereReadable(field) is { } condition ? Apart(condition, row.Dataset, row.Alias) : null;

    /// <summary>A condition on a dataset's rows under an alias, which joins nothing to the statement.</summary>
    public string Apart(Filter condition, Dataset dataset, string alias) =>
        FilterSql.Of(condition, new SqlRow(Tables(alias), dataset, alias), sql, holds => Holds(holds, dataset, alias));

    /// <summary>The same of the rows that a statement begins with: what a condition reads of related records is joined to it.</summary>
    /// <remarks>These joins are the condition's own: those of the statement reach only the related records that the person may
    /// see.</remarks>
    public string? For(SqlRow row, Verbs verb)
    {
        ArgumentNullException.ThrowIfNull(row);
        if (grants.For(row.Dataset.Id).For(verb) is not (var condition and not Filter.Everything))
        {
            return null;
        }

        SqlRow? own = null;
        var bare = new SqlRow(Tables(row.Alias), row.Dataset, row.Alias);
        var decided = FilterSql.Of(RequestFormulas.TakenApart(condition), bare, sql, holds =>
            Tree(holds, row.Dataset) is not { } tree
                ? "FALSE"
                : OfOneRelation(tree, row)
                    ?? (
                        Translator(_shapes, sql, _context, own ??= new SqlRow(Tables(row.Alias), row.Dataset, row.Alias)).Condition(tree)
                            is { } said
                            ? $"({said})"
                            : "FALSE"
                    )
        );
        if (own is not null)
        {
            row.Join(() => own.Joins);
        }

        return decided;
    }

    /// <summary>What keeps a condition from being decided; null where nothing does.</summary>
    public static string? Problem(SqlEngine engine, DatasetCatalogue catalogue, Dataset dataset, string formula, SignedIn? user)
    {
        var shapes = DatasetShapes.Of(catalogue, Grants.ViewEverything);
        var checkedFormula = SignedIn.Names(user).Check(shapes.Of(dataset).Shape, formula);
        if (checkedFormula.ConditionProblem is { } problem)
        {
            return problem;
        }

        var context = new FormulaContext(DateTimeOffset.UnixEpoch, TimeZoneInfo.Utc) { Given = SignedIn.Given(user) };
        foreach (var part in RequestFormulas.TakenApart(new Filter.Holds(formula)).Conditions)
        {
            var tree = SignedIn.Names(user).Check(shapes.Of(dataset).Shape, part.Formula, part.Tree).Tree!;
            var row = new SqlRow(Tables(engine.Dialect, "t"), dataset, "t");
            var translator = Translator(shapes, new SqlText(engine), context, row);
            if (!ApartConditions.Decides(catalogue, dataset, shapes, tree) && translator.Condition(tree) is null)
            {
                return $"The server cannot decide it: {translator.Refusal}.";
            }
        }

        return null;
    }

    private string Holds(Filter.Holds condition, Dataset dataset, string alias)
    {
        if (Tree(condition, dataset) is not { } tree)
        {
            return "FALSE";
        }

        var row = new SqlRow(Tables(alias), dataset, alias);
        var decided = Translator(_shapes, sql, _context, row).Condition(tree);
        if (decided is null || row.Joins.Length == 0)
        {
            return decided is null ? "FALSE" : $"({decided})";
        }

        // It reads related records: in a sub-query of its own, so that the statement's joins stay what they are.
        var inner = new SqlRow(Tables(alias), dataset, $"{alias}g");
        decided = Translator(_shapes, sql, _context, inner).Condition(tree);
        return dataset.Key.IsEmpty
            ? "FALSE"
            : $"EXISTS (SELECT 1 FROM {inner.From} WHERE "
                + $"{string.Join(" AND ", dataset.Key.Select(key => $"{inner.Column(key)} = {row.Column(key)}"))} AND ({decided}))";
    }

    // What asks after one related record alone is answered once for each of those, and not for each row that refers to one.
    private string? OfOneRelation(Typed tree, SqlRow row)
    {
        var shape = _shapes.Of(row.Dataset);
        if (
            FormulaNeeds.Of([tree]) is not { Values.Count: 0, Lists.Count: 0, Records: { Count: 1 } records }
            || shape[records.First().Key] is not ShapeMember.ToOne one
            || Inlining.Through(tree, records.First().Key) is not { } through
            || Compiler.Compile(tree, once: true)(new FormulaRecord(shape.Shape, new object?[shape.Shape.Members.Length]), _context) is true
        )
        {
            return null;
        }

        var alias = $"{row.Alias}r{++_related}";
        var related = new SqlRow(
            new SqlTables(_dialect, alias, (_, _) => null) { Made = new TableSql(catalogue, grants, sql, context, null) },
            one.Target.Dataset,
            $"{alias}0"
        );
        return Translator(_shapes, sql, _context, related).Condition(through) is { } decided
            ? $"{row.Column(one.Relation.Field)} IN (SELECT {related.Column(one.Relation.TargetField)} FROM {related.From} WHERE {decided})"
            : null;
    }

    // Null where the condition has a problem.
    private Typed? Tree(Filter.Holds condition, Dataset dataset) =>
        grants.Names.Check(_shapes.Of(dataset).Shape, condition.Formula, condition.Tree).Tree is { Type: FormulaType.Boolean } tree
            ? tree
            : null;

    private SqlTables Tables(string alias) => Tables(_dialect, alias) with { Made = new TableSql(catalogue, grants, sql, context, null) };

    private static SqlTables Tables(SqlDialect dialect, string alias) => new(dialect, $"{alias}g", (_, _) => null);

    private static FormulaSql Translator(DatasetShapes shapes, SqlText sql, FormulaContext context, SqlRow row) =>
        new(sql.Engine.Dialect, shapes, sql, context, row);
}
