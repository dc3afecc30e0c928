using System.Collections.Immutable;
using Rostrum.Core.Apis;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows;
using Rostrum.Sources;
using Rostrum.Web.Live;

namespace Rostrum.Web.Workflows.Running;

/// <summary>The names of one step of a run, with what they stand for at this moment.</summary>
/// <param name="scope">The workflow with its names.</param>
/// <param name="step">The step's identity; blank for the trigger's own settings.</param>
/// <param name="context">The moment, and what the names stand for.</param>
/// <param name="format">How values are written for people.</param>
internal sealed class RunScope(WorkflowScope scope, string step, FormulaContext context, RecordFormat format) : IStepScope
{
    private static readonly FormulaShape Nothing = new("workflow", []);

    public DatasetCatalogue Datasets => scope.Types.Catalogue;

    public RecordKey? Row => null;

    public DateTimeOffset Now => context.Now;

    public DateTimeOffset? Begun { get; init; }

    /// <summary>The names for the conditions of requests.</summary>
    public RequestNames Names => new(scope.Types.Shapes, scope.NamesAt(step).Names, context.Given);

    public DateTimeOffset StartOf(DateOnly day) => DayRange.Instant(day.ToDateTime(TimeOnly.MinValue), context.Zone);

    public object? Value(string formula) => Evaluate(Check(formula));

    public string Text(string text) => Computed.IsFormula(text) ? Shown(text[1..]) : text;

    public string Filled(string text) => ComputedText.Filled(text, Shown);

    public (string Text, string? Problem) Filled(string text, TemplatePlace place) =>
        new ApiTemplates(Nothing, [], scope.NamesAt(step).Names, context).Fill(text, place);

    public (DatasetId Dataset, RecordKey Key)? Record(string? formula) =>
        formula is not null && Value(formula) is FormulaRecord { Identity: RecordKey key } record && scope.Types.Shapes.Knows(record.Shape)
            ? (scope.Types.Shapes.Of(record.Shape).Dataset.Id, key)
            : null;

    public Parsed FieldValue(Dataset dataset, FieldName field, string text) =>
        ComputedText.FieldValue(
            dataset,
            field,
            text,
            context.Zone,
            formula => scope.Check(step, new FormulaPlace(formula) { Into = (dataset.Id, field) }),
            Evaluate
        );

    private CheckedFormula Check(string formula) => scope.Check(step, new FormulaPlace(formula));

    private string Shown(string formula) =>
        Check(formula) is { Tree: { } tree } known ? ComputedText.Shown(format, tree, Evaluate(known)) : "";

    private object? Evaluate(CheckedFormula formula) =>
        formula.Tree is { } tree ? Compiler.Compile(tree, once: true)(FormulaRecord.None, context) : null;
}
