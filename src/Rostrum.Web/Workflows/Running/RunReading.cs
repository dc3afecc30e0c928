using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Sources;

namespace Rostrum.Web.Workflows.Running;

/// <summary>
/// Gives the names of a step what they stand for: what the trigger and earlier steps gave, with the records among it as they are at this
/// moment, as far as the step's formulas look at them.
/// </summary>
internal sealed class RunReading(WorkflowScope scope, RecordGate gate, Grants grants, RecordFormat format)
{
    private readonly RunValues _values = new(scope.Types.Shapes);

    public RunValues Values => _values;

    public WorkflowScope Scope => scope;

    public Grants Grants => grants;

    public RecordGate Gate => gate;

    /// <summary>The names of a step whose turn it is.</summary>
    /// <param name="input">What the trigger gives.</param>
    /// <param name="state">The run.</param>
    /// <param name="due">The step.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<RunScope> ScopeAsync(JsonElement input, RunState state, DueStep due, CancellationToken cancellation)
    {
        var names = scope.NamesAt(due.Step.Id);
        var roots = Roots(
            WorkflowScope.Formulas(due.Step.Does).Select(known => scope.Check(due.Step.Id, known.Place).Tree).OfType<Typed>()
        );
        var now = Moment();
        var given = grants
            .Given.SetItem(Trigger.InFormulas, await TriggerAsync(input, roots, now, cancellation))
            .SetItem(StepName.Results, await ResultsAsync(names, state, due, roots, now, cancellation));
        foreach (var (path, number) in due.Turns)
        {
            var loop = (ForEach)scope.Workflow.Find(RunState.StepAt(path))!.Does;
            if (names.Names.Types.TryGetValue(loop.ItemName, out var type) && state[path]?.Items is { } items)
            {
                given = given.SetItem(
                    loop.ItemName,
                    await ReadAsync(type, items[number], roots.GetValueOrDefault(loop.ItemName), now, cancellation)
                );
            }
        }

        if (due.Failure is { } failure)
        {
            given = given.SetItem(PageScope.Failure, new FormulaRecord(PageScope.FailureShape, [failure]));
        }

        return new RunScope(scope, due.Step.Id, Context(now, given), format) { Begun = state[due.Path]?.Begun };
    }

    /// <summary>The names of the trigger's own settings.</summary>
    public async Task<RunScope> TriggerScopeAsync(JsonElement input, IEnumerable<string> formulas, CancellationToken cancellation)
    {
        var roots = Roots(formulas.Select(text => scope.Check(WorkflowScope.AtTrigger, new FormulaPlace(text)).Tree).OfType<Typed>());
        var now = Moment();
        var given = grants.Given.SetItem(Trigger.InFormulas, await TriggerAsync(input, roots, now, cancellation));
        return new RunScope(scope, WorkflowScope.AtTrigger, Context(now, given), format);
    }

    /// <summary>What keeps a formula of the trigger's own from being asked with these rights; null where nothing does.</summary>
    public string? ProblemAtTrigger(string formula) =>
        scope.Check(WorkflowScope.AtTrigger, new FormulaPlace(formula)) is { Tree: null, Problems: [var problem, ..] }
            ? problem.Message
            : null;

    /// <summary>What keeps a step's formulas from being computed with these rights; null where nothing does.</summary>
    /// <remarks>A blank in the place of what may not be read would decide something else.</remarks>
    public string? ProblemAt(FlowStep step) =>
        WorkflowScope
            .Formulas(step.Does)
            .Select(known => (known.Setting, Formula: scope.Check(step.Id, known.Place)))
            .Where(known => known.Formula.Tree is null)
            .Select(known => $"{known.Setting.Label}: {known.Formula.Problems[0].Message}")
            .FirstOrDefault();

    private DateTimeOffset Moment()
    {
        var now = format.Clock.GetUtcNow();
        return now.AddTicks(-(now.Ticks % TimeSpan.TicksPerMicrosecond));
    }

    private FormulaContext Context(DateTimeOffset now, ImmutableDictionary<string, object?> given) =>
        new(now, format.Zone) { Given = given };

    private static Dictionary<string, FormulaNeeds> Roots(IEnumerable<Typed> formulas)
    {
        var roots = new Dictionary<string, FormulaNeeds>(StringComparer.OrdinalIgnoreCase);
        foreach (var formula in formulas)
        {
            FormulaNeeds.Visit(formula, given =>
            {
                if (!roots.TryGetValue(given.Name, out var needs))
                {
                    roots.Add(given.Name, needs = new FormulaNeeds());
                }

                return needs;
            });
        }

        return roots;
    }

    private async Task<FormulaRecord> TriggerAsync(
        JsonElement input,
        Dictionary<string, FormulaNeeds> roots,
        DateTimeOffset now,
        CancellationToken cancellation
    ) =>
        (FormulaRecord)
            (
                await ReadAsync(
                    new FormulaType.Record(scope.TriggerShape),
                    input,
                    roots.GetValueOrDefault(Trigger.InFormulas) ?? new FormulaNeeds(),
                    now,
                    cancellation
                )
            )!;

    private async Task<FormulaRecord> ResultsAsync(
        StepNames names,
        RunState state,
        DueStep due,
        Dictionary<string, FormulaNeeds> roots,
        DateTimeOffset now,
        CancellationToken cancellation
    )
    {
        var shape = ((FormulaType.Record)names.Names.Types[StepName.Results]).Shape;
        var needs = roots.GetValueOrDefault(StepName.Results);
        var values = new object?[shape.Members.Length];
        for (var at = 0; at < values.Length; at++)
        {
            // What no formula looks at is not read either.
            if (needs is not null && Part(needs, at) is var part && (part is not null || needs.Values.Contains(at)))
            {
                values[at] = await ReadAsync(shape.Members[at].Value, Result(state, names.Results[at].Id, due), part, now, cancellation);
            }
        }

        return new FormulaRecord(shape, values);
    }

    // A step's result stands beside the step that asks, or around it.
    private static JsonElement? Result(RunState state, string id, DueStep due)
    {
        for (var prefix = due.Prefix; ; prefix = Outer(prefix))
        {
            if (state[prefix + id] is { } known)
            {
                return known.Result;
            }

            if (prefix.Length == 0)
            {
                return null;
            }
        }
    }

    private static string Outer(string prefix)
    {
        var above = prefix[..^1].LastIndexOf('/');
        return above < 0 ? "" : prefix[..(above + 1)];
    }

    private static FormulaNeeds? Part(FormulaNeeds needs, int at) =>
        needs.Records.GetValueOrDefault(at) ?? needs.Lists.GetValueOrDefault(at);

    private async Task<object?> ReadAsync(
        FormulaType type,
        JsonElement? kept,
        FormulaNeeds? needs,
        DateTimeOffset now,
        CancellationToken cancellation
    )
    {
        switch (type)
        {
            case FormulaType.Record { Shape: var shape } when kept is { ValueKind: JsonValueKind.Object } json:
                if (!scope.Types.Shapes.Knows(shape))
                {
                    var values = new object?[shape.Members.Length];
                    for (var at = 0; at < values.Length; at++)
                    {
                        values[at] = json.TryGetProperty(shape.Members[at].Key, out var value)
                            ? await ReadAsync(shape.Members[at].Value, value, needs is null ? null : Part(needs, at), now, cancellation)
                            : null;
                    }

                    return new FormulaRecord(shape, values);
                }

                var known = scope.Types.Shapes.Of(shape);
                return RunValues.KeyOf(known, json) is not { } key ? null
                    : IsNothing(needs) ? Bare(known, key)
                    : await Records(now).ReadAsync(known.Dataset, key, needs!, cancellation);
            case FormulaType.List { Element: FormulaType.Record { Shape: var shape } }
                when kept is { ValueKind: JsonValueKind.Array } list && scope.Types.Shapes.Knows(shape):
                var of = scope.Types.Shapes.Of(shape);
                RecordKey[] keys = [.. list.EnumerateArray().Select(item => RunValues.KeyOf(of, item)).OfType<RecordKey>()];
                if (IsNothing(needs))
                {
                    return keys.Select(one => (object?)Bare(of, one)).ToArray();
                }

                var read = (await Records(now).ReadAsync(of.Dataset, keys, needs!, cancellation)).ToDictionary(record => record.Identity!);
                return keys.Select(one => read.GetValueOrDefault(one)).Where(record => record is not null).Cast<object?>().ToArray();
            default:
                return _values.Read(type, kept, Bare);
        }
    }

    private static bool IsNothing(FormulaNeeds? needs) =>
        needs is null || needs.Values.Count + needs.Records.Count + needs.Lists.Count == 0;

    private FormulaRecords Records(DateTimeOffset now) => new(gate, scope.Types.Catalogue, scope.Types.Shapes, grants, now);

    private static FormulaRecord Bare(DatasetShape shape, RecordKey key) => new(shape.Shape, new object?[shape.Shape.Members.Length], key);
}
