using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>What a panel computes from the measures of each group.</summary>
internal static class MeasureFormulas
{
    /// <summary>The panel's formula, ready to be computed; or what is wrong with it. Both null where it has none.</summary>
    public static (MeasureFormula? Formula, string? Problem) Of(PageRun run, GroupedPanel panel)
    {
        if (panel.FormulaOver is not { } place)
        {
            return (null, null);
        }

        var formula = run.Scope.Check(panel, place);
        if (run.Scope.Problem(panel, place, formula) is { } problem)
        {
            return (null, run.ForPeople(problem));
        }

        var compute = Compiler.Compile(formula.Tree!);
        return (
            new MeasureFormula(run.Text(panel, panel.FormulaLabel) ?? panel.Formula![1..], numbers =>
                compute(new FormulaRecord(PageScope.OfMeasures, [numbers[0], numbers.ElementAtOrDefault(1)]), run.Context) as decimal?
            ),
            null
        );
    }
}
