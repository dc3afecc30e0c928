using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>Which parts of a request the server decides, and which memory must.</summary>
/// <param name="InSql">The conditions that the server decides.</param>
/// <param name="InMemory">The conditions that it cannot.</param>
/// <param name="SortsInMemory">It cannot put the records in their order.</param>
/// <param name="SearchesInMemory">It cannot look into all texts that are searched.</param>
/// <param name="Explanation">Each formula with who computes it.</param>
internal sealed record RequestSplit(
    ImmutableArray<Filter> InSql,
    ImmutableArray<Filter> InMemory,
    bool SortsInMemory,
    bool SearchesInMemory,
    ImmutableArray<ComputedPart> Explanation
)
{
    /// <summary>Rows must be read and looked at one after the other to find those that are wanted.</summary>
    public bool NeedsScan => SortsInMemory || SearchesInMemory || !InMemory.IsEmpty;

    /// <param name="engine">The database.</param>
    /// <param name="scope">Whose request it is, with its formulas.</param>
    /// <param name="dataset">The dataset.</param>
    /// <param name="request">The request.</param>
    public static RequestSplit Of(SqlEngine engine, RequestScope scope, Dataset dataset, ReadRequest request)
    {
        if (scope.Formulas is not { AreNone: false } formulas)
        {
            return new RequestSplit([.. RequestFormulas.Conjuncts(request.Filter)], [], SortsInMemory: false, SearchesInMemory: false, []);
        }

        // A plan for trying things out: what it joins on the way would burden the statement that is carried out.
        var plan = new SelectPlan(scope, dataset, new SqlText(engine), "t");
        var parts = RequestFormulas.Conjuncts(request.Filter).ToLookup(part => plan.WhyNot(part) is null);
        var searched = request.Search.Length > 0 ? plan.Search(request.Search).InMemory : [];
        var sortsInMemory = request.Sort.Any(sort =>
            formulas.Columns.ContainsKey(sort.Field) && plan.Computed(sort.Field).Refusal is not null
        );
        return new RequestSplit([.. parts[true]], [.. parts[false]], sortsInMemory, !searched.IsEmpty, Explained(request, formulas, plan));
    }

    /// <summary>Each formula of a request with who computes it.</summary>
    /// <param name="request">The request.</param>
    /// <param name="formulas">Its formulas.</param>
    /// <param name="plan">The statement's plan.</param>
    /// <param name="decidesAll">The server is known to decide all conditions.</param>
    public static ImmutableArray<ComputedPart> Explained(
        ReadRequest request,
        RequestFormulas formulas,
        SelectPlan plan,
        bool decidesAll = false
    )
    {
        if (formulas.AreNone)
        {
            return [];
        }

        var explanation = ImmutableArray.CreateBuilder<ComputedPart>();
        foreach (var part in RequestFormulas.Conjuncts(request.Filter))
        {
            var refusal = decidesAll ? null : plan.WhyNot(part);
            explanation.AddRange(part.Formulas.Select(formula => new ComputedPart(formula, FormulaUse.Narrow, refusal)));
        }

        foreach (var column in request.Computed)
        {
            var refusal = plan.Computed(column.Name).Refusal;
            explanation.Add(new ComputedPart(column.Formula, FormulaUse.Show, refusal));
            if (request.Sort.Any(sort => sort.Field == column.Name))
            {
                explanation.Add(new ComputedPart(column.Formula, FormulaUse.Sort, refusal));
            }

            if (request.Search.Length > 0 && formulas.Columns[column.Name].Type is FormulaType.Text or FormulaType.Choice)
            {
                explanation.Add(new ComputedPart(column.Formula, FormulaUse.Search, refusal));
            }
        }

        return explanation.ToImmutable();
    }
}
