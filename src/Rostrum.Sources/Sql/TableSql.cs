using System.Collections.Immutable;
using System.Text;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>What stands for a dataset's table where it is none of the database's: a query, or two datasets joined.</summary>
/// <remarks>A query's formulas become parameters; a value is never text of the statement.</remarks>
/// <param name="catalogue">The datasets.</param>
/// <param name="grants">Whose request it is: formulas may ask who is signed in.</param>
/// <param name="sql">Takes the values.</param>
/// <param name="context">The request's moment.</param>
/// <param name="given">The values of the parameters of the query that is read; null where defaults hold.</param>
internal sealed class TableSql(
    DatasetCatalogue catalogue,
    Grants grants,
    SqlText sql,
    FormulaContext context,
    ImmutableDictionary<string, object?>? given
)
{
    private readonly Dictionary<DatasetId, string?> _known = [];

    /// <summary>The query in brackets; null where the table is the database's own.</summary>
    /// <remarks>Its values go into the statement once, however often it is asked for.</remarks>
    public string? Of(Dataset dataset)
    {
        if (dataset is { Query: null, Join: null })
        {
            return null;
        }

        if (!_known.TryGetValue(dataset.Id, out var text))
        {
            text = dataset switch
            {
                { Query: { } query } => Of(query),
                { Join: { } join, IsFetched: false } => $"({Joined(join)})",
                _ => null,
            };
            _known.Add(dataset.Id, text);
        }

        return text;
    }

    /// <summary>A query in brackets, with its values as parameters.</summary>
    public string Of(DatasetQuery query) => $"({Filled(query)})";

    /// <summary>A query, with its values as parameters.</summary>
    public string Filled(DatasetQuery query)
    {
        var values = query.Values(given ?? ImmutableDictionary<string, object?>.Empty, grants.User, context);
        var record = new FormulaRecord(query.Shape, values);
        var text = new StringBuilder();
        foreach (var part in Template.Parse(QueryText.Trimmed(query.Text)).Parts)
        {
            text.Append(
                part switch
                {
                    TemplatePart.Literal literal => literal.Text,
                    TemplatePart.Formula formula => Value(query, formula.Parsed, record),
                    _ => "",
                }
            );
        }

        return text.ToString();
    }

    private string Value(DatasetQuery query, ParsedFormula formula, FormulaRecord record)
    {
        if (Checker.Check(formula, query.Shape, grants.Names.Types).Tree is not { } tree)
        {
            throw Broken($"its formula ${{{formula.Text}}} is wrong");
        }

        var dialect = sql.Engine.Dialect;
        var value = Compiler.Compile(tree, once: true)(record, context with { Given = grants.Given });
        return value is null
            ? dialect.Null(tree.Type)
            : dialect.Sent(tree.Type, value, sql) ?? throw Broken($"{dialect.Name} takes no {tree.Type.Word}");
    }

    private static SourceFailedException Broken(string why) =>
        new(new SourceFailure(FailureReason.StructureChanged, $"The query cannot be run: {why}. Open it in Build."));

    private string Joined(DatasetJoin join)
    {
        if (catalogue.Find(join.Left) is not { } left || catalogue.Find(join.Right) is not { } right)
        {
            throw Broken("one of the two that it joins was removed");
        }

        string Quote(string name) => sql.Engine.Quote(name);
        string Column(JoinField field) =>
            field.FromRight ? $"r.{Quote(right[field.Field].Column)}" : $"l.{Quote(left[field.Field].Column)}";
        var columns = string.Join(", ", join.Fields.Select(field => $"{Column(field)} AS {Quote(field.Column)}"));
        var pairs = string.Join(
            " AND ",
            join.Pairs.Select(pair => $"l.{Quote(left[pair.Left].Column)} = r.{Quote(right[pair.Right].Column)}")
        );
        return $"SELECT {columns} FROM {Of(left) ?? sql.Engine.Quote(left.Table)} l "
            + $"{(join.OnlyMatching ? "JOIN" : "LEFT JOIN")} {Of(right) ?? sql.Engine.Quote(right.Table)} r ON {pairs}";
    }
}
