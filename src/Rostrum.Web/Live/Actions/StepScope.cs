using System.Collections.Immutable;
using Rostrum.Core.Apis;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Live.Actions;

/// <summary>
/// The names of a step on a page: those of the page, of the record beside which the action stands, and of the results of the steps before.
/// </summary>
internal sealed class StepScope(
    PageRun run,
    Panel panel,
    FormulaPlace place,
    FormulaRecord? row,
    IReadOnlyDictionary<string, object?> results
) : IStepScope
{
    public DatasetCatalogue Datasets => run.App.Datasets;

    public RecordKey? Row => row?.Identity as RecordKey;

    public DateTimeOffset Now => run.Context.Now;

    public DateTimeOffset StartOf(DateOnly day) => DayRange.Instant(day.ToDateTime(TimeOnly.MinValue), run.Context.Zone);

    /// <summary>The same names, and those of the results of some steps.</summary>
    public StepScope After(ImmutableArray<Step> earlier, bool failed = false) =>
        new(run, panel, place with { Earlier = earlier, AfterFailure = failed }, row, results);

    /// <summary>The same names over what is there at another moment.</summary>
    public StepScope At(PageRun now, FormulaRecord? record) => new(now, panel, place, record, results);

    /// <summary>A setting that is yes, no or a formula.</summary>
    public bool Truth(string? setting) => setting is null or "yes" || (Computed.IsFormula(setting) && Value(setting![1..]) is true);

    public object? Value(string formula) => Evaluate(Check(formula));

    public string Text(string text) => Computed.IsFormula(text) ? Shown(text[1..]) : text;

    public string Filled(string text) => ComputedText.Filled(text, Shown);

    public (string Text, string? Problem) Filled(string text, TemplatePlace place) =>
        new ApiTemplates(new FormulaShape("page", []), [], run.Scope.Names, run.Context with { Given = run.Values.After(results) }).Fill(
            text,
            place
        );

    public (DatasetId Dataset, RecordKey Key)? Record(string? formula) =>
        formula is not null && Value(formula) is FormulaRecord { Identity: RecordKey key } record && run.Scope.Shapes.Knows(record.Shape)
            ? (run.Scope.Shapes.Of(record.Shape).Dataset.Id, key)
            : null;

    public Parsed FieldValue(Dataset dataset, FieldName field, string text) => run.FieldValue(dataset, field, text, panel, place, Evaluate);

    private CheckedFormula Check(string formula) => run.Scope.Check(panel, place with { Formula = formula });

    private string Shown(string formula) => Check(formula) is { Tree: { } tree } known ? run.Shown(tree, Evaluate(known)) : "";

    private object? Evaluate(CheckedFormula formula) =>
        formula.Tree is { } tree
            ? Compiler.Compile(tree, once: true)(row ?? FormulaRecord.None, run.Context with { Given = run.Values.After(results) })
            : null;
}
