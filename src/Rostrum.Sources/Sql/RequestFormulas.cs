using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>The formulas of one request, checked with the names that the person may use.</summary>
internal sealed class RequestFormulas
{
    private readonly Dictionary<FieldName, Typed> _columns = [];
    private readonly Dictionary<string, Typed> _conditions = new(StringComparer.Ordinal);

    private RequestFormulas(DatasetShapes shapes, FormulaContext context) => (Shapes, Context) = (shapes, context);

    public DatasetShapes Shapes { get; }

    public FormulaContext Context { get; }

    /// <summary>The computed columns.</summary>
    public IReadOnlyDictionary<FieldName, Typed> Columns => _columns;

    /// <summary>The values of the parameters of the query that is read.</summary>
    public ImmutableDictionary<string, object?> Parameters { get; private init; } = ImmutableDictionary<string, object?>.Empty;

    /// <summary>For each relation to another source and each word of a search: the keys of the records there that have it.</summary>
    public Dictionary<(FieldName Relation, string Word), ImmutableArray<object>> Found { get; } = [];

    /// <summary>A condition that is a tree already.</summary>
    public static RequestFormulas Of(DatasetShapes shapes, FormulaContext context, Filter.Holds condition, Typed tree)
    {
        var formulas = new RequestFormulas(shapes, context);
        formulas._conditions.Add(condition.Formula, tree);
        return formulas;
    }

    public bool AreNone => _columns.Count == 0 && _conditions.Count == 0;

    /// <summary>Whether a computed column looks at lists of related records.</summary>
    public bool LookAtLists => _columns.Keys.Any(LooksAtLists);

    /// <summary>Whether one computed column does.</summary>
    public bool LooksAtLists(FieldName column) => FormulaNeeds.LooksAtLists(_columns[column]);

    /// <summary>A condition's tree.</summary>
    public Typed this[Filter.Holds condition] => _conditions[condition.Formula];

    /// <summary>
    /// A filter with each formula that asks for several things at once taken apart, so that the server can decide some of them.
    /// </summary>
    public static Filter TakenApart(Filter filter) =>
        filter switch
        {
            Filter.And and => new Filter.And([.. and.Parts.Select(TakenApart)]),
            Filter.Holds holds
                when holds.Read() is Syntax.Call { Arguments.Length: > 0 } call
                    && call.Function.Equals("AND", StringComparison.OrdinalIgnoreCase) => new Filter.And([
                .. call.Arguments.Select(argument => TakenApart(new Filter.Holds(argument))),
            ]),
            _ => filter,
        };

    /// <summary>What must all hold.</summary>
    public static IEnumerable<Filter> Conjuncts(Filter filter) =>
        filter switch
        {
            Filter.Everything or Filter.Given => [],
            Filter.And and => and.Parts.SelectMany(Conjuncts),
            _ => [filter],
        };

    /// <summary>Checks a request's formulas; the problem for people where one has some.</summary>
    public static (RequestFormulas Formulas, string? Problem) Check(
        RequestNames names,
        FormulaContext context,
        Dataset dataset,
        ImmutableArray<ComputedColumn> columns,
        Filter filter
    )
    {
        var formulas = new RequestFormulas(names.Shapes, context with { Given = names.Given }) { Parameters = filter.Parameters };
        var shape = names.Shapes.Of(dataset).Shape;
        foreach (var column in columns)
        {
            if (dataset.Find(column.Name) is { Formula: null } || formulas._columns.ContainsKey(column.Name))
            {
                return (formulas, $"There are two columns with the name “{column.Name}”.");
            }

            var formula = names.Names.Check(shape, column.Formula);
            if (formula.Tree is not { Type: not (FormulaType.Record or FormulaType.List or FormulaType.Json) } tree)
            {
                var lack = formula.Tree is { } whole
                    ? $"the formula gives a {whole.Type.Word}; a column shows single values."
                    : formula.Problems[0].Message;
                return (formulas, $"“{column.Name}”: {lack}");
            }

            formulas._columns.Add(column.Name, tree);
        }

        foreach (var condition in filter.Conditions)
        {
            var formula = names.Names.Check(shape, condition.Formula, condition.Tree);
            if (formula.Tree is not { Type: FormulaType.Boolean or FormulaType.Blank } tree)
            {
                var lack = formula.Tree is { } whole
                    ? $"it gives a {whole.Type.Word}, and should be true or false."
                    : formula.Problems[0].Message;
                return (formulas, $"The condition “{condition.Formula}”: {lack}");
            }

            formulas._conditions[condition.Formula] = tree;
        }

        return (formulas, null);
    }
}
