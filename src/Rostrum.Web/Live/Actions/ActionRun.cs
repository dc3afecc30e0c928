using System.Collections.Immutable;
using Microsoft.AspNetCore.WebUtilities;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Actions;

/// <summary>What came of an action.</summary>
/// <param name="State">The page as it is then.</param>
internal sealed record ActionOutcome(PageState State)
{
    /// <summary>The datasets whose records were changed.</summary>
    public ImmutableArray<DatasetId> Changed { get; init; } = [];

    public (DatasetId Dataset, RecordKey Key)? Marked { get; init; }

    /// <summary>What is said in the bar at the foot.</summary>
    public string? Said { get; init; }

    /// <summary>Takes back what was changed.</summary>
    public Guid? Undo { get; init; }

    /// <summary>The page to which it leads, with its parameters.</summary>
    public string? GoTo { get; init; }

    /// <summary>Every panel is to be read again.</summary>
    public bool Everything { get; init; }

    /// <summary>What the browser does then.</summary>
    public ImmutableArray<BrowserEffect> InBrowser { get; init; } = [];

    /// <summary>A step failed.</summary>
    public bool HasFailed { get; init; }
}

/// <summary>Something that only a browser can do.</summary>
/// <param name="Does"><c>copy</c> a text, or <c>open</c> an address.</param>
/// <param name="What">The text or the address.</param>
/// <param name="Beside">In a tab of its own.</param>
internal sealed record BrowserEffect(string Does, string What, bool Beside = false);

/// <summary>Carries out an action's steps, one after the other, within the rights of whoever started it.</summary>
internal sealed class ActionRun(PageRun run, Undoing undoing, Guid person, RecordGate gate)
{
    private readonly Dictionary<string, object?> _results = new(StringComparer.OrdinalIgnoreCase);
    private readonly List<(Dataset Dataset, SavedChange Change)> _saved = [];

    /// <summary>What an action's formulas look at of the record beside which it stands.</summary>
    public static FormulaNeeds NeedsOfRow(PageRun run, Panel panel, NamedAction action) =>
        FormulaNeeds.Of(action.Formulas(overRecord: true).Select(place => run.Scope.Check(panel, place).Tree).OfType<Typed>());

    /// <summary>Carries out an action, beside a record where it stands beside one.</summary>
    public async Task<ActionOutcome> CarryOutAsync(Panel panel, PanelAction action, FormulaRecord? row, CancellationToken cancellation) =>
        await UndoableAsync(await StepsAsync(panel, action, row, new ActionOutcome(run.State), cancellation), cancellation);

    /// <summary>Carries out an action for each of some records. Where it fails for one it is still carried out for the others, and that is said.</summary>
    public async Task<ActionOutcome> CarryOutEachAsync(Panel panel, PanelAction action, IReadOnlyList<FormulaRecord> rows, string noun, CancellationToken cancellation)
    {
        var outcome = new ActionOutcome(run.State);
        var failures = new List<string>();
        foreach (var row in rows)
        {
            _results.Clear();
            outcome = await StepsAsync(panel, action, row, outcome with { HasFailed = false }, cancellation);
            if (outcome.HasFailed)
            {
                failures.Add(outcome.Said ?? "");
            }
        }

        var done = rows.Count - failures.Count;
        var said = failures.Count == 0 ? $"Done for {done} {noun}." : $"Done for {done} of {rows.Count} {noun}. {string.Join(" ", failures.Distinct().Take(3))}";
        return await UndoableAsync(outcome with { Said = said, Marked = null }, cancellation);
    }

    /// <summary>A setting that is yes, no or a formula over the page and a record.</summary>
    public bool Truth(Panel panel, string? setting, FormulaRecord? row) => setting is null or "yes" || (Computed.IsFormula(setting) && run.Scope.Check(panel, Beside(row) with { Formula = setting[1..] }) is { Tree: not null } formula && Evaluate(formula, row) is true);

    /// <summary>A setting that is a text or a formula for one.</summary>
    public string Words(Panel panel, string? setting, FormulaRecord? row) => Words(panel, setting ?? "", Beside(row), row);

    private static FormulaPlace Beside(FormulaRecord? row) => new("") { OverRecord = row is not null };

    // All that an action changed is taken back at once.
    private async Task<ActionOutcome> UndoableAsync(ActionOutcome outcome, CancellationToken cancellation) =>
        _saved.Select(saved => saved.Dataset.Id).Distinct().Count() == 1 && outcome.Said is { } said
            ? outcome with { Undo = await undoing.KeepAsync(person, _saved[0].Dataset, [.. _saved.Select(saved => saved.Change)], said, cancellation) }
            : outcome;

    private async Task<ActionOutcome> StepsAsync(Panel panel, PanelAction action, FormulaRecord? row, ActionOutcome outcome, CancellationToken cancellation)
    {
        var overRecord = row is not null;
        for (var at = 0; at < action.Steps.Length; at++)
        {
            var (next, failure) = await StepAsync(panel, action.Steps[at], new FormulaPlace("") { OverRecord = overRecord, Earlier = action.Steps[..at] }, row, outcome, cancellation);
            outcome = next;
            if (failure is null)
            {
                continue;
            }

            _results[PageScope.Failure] = failure;
            foreach (var step in action.OnFailure)
            {
                (outcome, _) = await StepAsync(panel, step, new FormulaPlace("") { OverRecord = overRecord, Earlier = action.Steps[..at], AfterFailure = true }, row, outcome, cancellation);
            }

            return (action.OnFailure.OfType<ShowMessage>().Any() ? outcome : outcome with { Said = failure }) with { HasFailed = true };
        }

        return outcome;
    }

    private async Task<(ActionOutcome Outcome, string? Failure)> StepAsync(Panel panel, Step step, FormulaPlace place, FormulaRecord? row, ActionOutcome outcome, CancellationToken cancellation)
    {
        object? Value(string formula) => run.Scope.Check(panel, place with { Formula = formula }) is { } known ? Evaluate(known, row) : null;
        switch (step)
        {
            case OpenPage open:
                return (outcome with { GoTo = PageAddress(open, Value) }, null);
            case OpenPanel open:
                return (outcome with { State = outcome.State with { Open = outcome.State.Open.Contains(open.Panel) ? outcome.State.Open : outcome.State.Open.Add(open.Panel) } }, null);
            case ClosePanels:
                return (outcome with { State = outcome.State.AllClosed() }, null);
            case SetInput set:
                return (outcome with { State = Set(outcome.State, set, Computed.IsFormula(set.Value) ? InAddress(Value(set.Value[1..])) : set.Value) }, null);
            case ShowMessage message:
                return (outcome with { Said = Words(panel, message.Text, place, row) }, null);
            case RefreshPage:
                return (outcome with { Everything = true }, null);
            case CopyText copy:
                return (Also(outcome, new BrowserEffect("copy", Words(panel, copy.Text, place, row))), null);
            case WriteEmail mail:
                return (Also(outcome, new BrowserEffect("open", WebAddress.Mail(Words(panel, mail.To, place, row), Words(panel, mail.Copies, place, row), Words(panel, mail.BlindCopies, place, row), Words(panel, mail.Subject, place, row), Filled(panel, mail.Body, place, row)))), null);
            case OpenAddress open:
                var address = Words(panel, open.Address, place, row);
                return WebAddress.IsSafe(address) ? (Also(outcome, new BrowserEffect("open", address, open.Beside)), null) : (outcome, address.Length == 0 ? "There is no address to open." : $"“{address}” is no address that can be opened.");
            case DownloadTable download:
                return (Also(outcome, new BrowserEffect("open", outcome.State.At(run.Path, ("handler", "Download"), ("panel", download.Table)))), null);
            case CreateRecord create:
                return await SaveAsync(create, create.Dataset, create.Values, null, panel, place, row, outcome, cancellation);
            case UpdateRecord update:
                return await SaveAsync(update, update.Dataset, update.Values, (update.Record is null ? row : Value(update.Record)) as FormulaRecord, panel, place, row, outcome, cancellation);
            case DeleteRecord delete:
                return await SaveAsync(delete, delete.Dataset, ImmutableDictionary<string, string>.Empty, (delete.Record is null ? row : Value(delete.Record)) as FormulaRecord, panel, place, row, outcome, cancellation);
            default:
                throw new ArgumentOutOfRangeException(nameof(step), step, "unknown step");
        }
    }

    private async Task<(ActionOutcome Outcome, string? Failure)> SaveAsync(Step step, DatasetId? of, ImmutableDictionary<string, string> texts, FormulaRecord? which, Panel panel, FormulaPlace place, FormulaRecord? row, ActionOutcome outcome, CancellationToken cancellation)
    {
        if (of is not { } id || run.App.Datasets.Find(id) is not { } dataset)
        {
            return (outcome, "A step names no dataset.");
        }

        var values = FieldValues.None;
        foreach (var (field, text) in texts)
        {
            switch (run.FieldValue(dataset, new FieldName(field), text, panel, place, formula => Evaluate(formula, row)))
            {
                case Parsed.Value value:
                    values = values.With(new FieldName(field), value.Is);
                    break;
                case Parsed.Problem problem:
                    return (outcome, $"{(dataset.Find(new FieldName(field)) is null ? field : dataset.LabelOf(new FieldName(field)))}: {problem.Message}");
            }
        }

        Change change;
        if (step is CreateRecord)
        {
            change = new Change.Insert(values);
        }
        else if (which?.Identity is RecordKey key)
        {
            change = step is DeleteRecord ? new Change.Delete(key, FieldValues.None) : new Change.Update(key, FieldValues.None, values);
        }
        else
        {
            return (outcome, $"No {dataset.RecordLabel} is chosen.");
        }

        return await gate.SaveAsync(run.App.Datasets, new ChangeSet(dataset.Id, [change]), run.Grants, cancellation) switch
        {
            SaveResult.Saved { Changes: [var saved] } => (await DoneAsync(step, dataset, saved, outcome, cancellation), null),
            SaveResult.Invalid invalid => (outcome, FieldProblem.Said(dataset, invalid.Problems)),
            SaveResult.Warned warned => (outcome, FieldProblem.Said(dataset, warned.Problems)),
            SaveResult.Conflict => (outcome, $"This {dataset.RecordLabel} is no longer there, or was changed meanwhile."),
            SaveResult.Denied denied => (outcome, denied.Reason),
            SaveResult.Failed failed => (outcome, failed.Failure.Message),
            _ => throw new InvalidOperationException("one change was asked for"),
        };
    }

    private async Task<ActionOutcome> DoneAsync(Step step, Dataset dataset, SavedChange saved, ActionOutcome outcome, CancellationToken cancellation)
    {
        if (step.Name is { Length: > 0 } name && saved.Key is { } key)
        {
            var needs = new FormulaNeeds();
            needs.Values.UnionWith(Enumerable.Range(0, run.Scope.Shapes.Of(dataset).Shape.Members.Length).Where(index => run.Scope.Shapes.Of(dataset)[index] is ShapeMember.Value));
            _results[name] = await new FormulaRecords(gate, run.App.Datasets, run.Scope.Shapes, run.Grants, run.Context.Now).ReadAsync(dataset, key, needs, cancellation);
        }

        _saved.Add((dataset, saved));
        var said = $"{char.ToUpperInvariant(dataset.RecordLabel[0])}{dataset.RecordLabel[1..]} “{saved.Title}” {step switch { CreateRecord => "added", DeleteRecord => "deleted", _ => "changed" }}.";
        return outcome with
        {
            Changed = outcome.Changed.Add(dataset.Id),
            Marked = saved.Key is null ? outcome.Marked : (dataset.Id, saved.Key),
            Said = said,
        };
    }

    // A step's formula knows the record beside which it stands, and what came of the steps before it.
    private object? Evaluate(CheckedFormula formula, FormulaRecord? row) =>
        formula.Tree is { } tree ? Compiler.Compile(tree, once: true)(row ?? PageRun.NoRecord, run.Context with { Given = run.Values.After(_results) }) : null;

    private string Words(Panel panel, string text, FormulaPlace place, FormulaRecord? row) =>
        !Computed.IsFormula(text) ? text : Value(panel, text[1..], place, row);

    private string Value(Panel panel, string formula, FormulaPlace place, FormulaRecord? row) =>
        run.Scope.Check(panel, place with { Formula = formula }) is { Tree: { } tree } known ? run.Shown(tree, Evaluate(known, row)) : "";

    // A text with values in it.
    private string Filled(Panel panel, string text, FormulaPlace place, FormulaRecord? row) =>
        string.Concat(Template.Parse(text).Parts.Select(part => part switch { TemplatePart.Formula formula => Value(panel, formula.Parsed.Text, place, row), TemplatePart.Literal words => words.Text, _ => "" }));

    private static ActionOutcome Also(ActionOutcome outcome, BrowserEffect effect) => outcome with { InBrowser = outcome.InBrowser.Add(effect) };

    /// <summary>A page with its parameters, as part of an address.</summary>
    public static string PageAddress(OpenPage open, Func<string, object?> value) => QueryHelpers.AddQueryString(open.Page, open.Parameters
        .Select(parameter => KeyValuePair.Create(parameter.Key, Computed.IsFormula(parameter.Value) ? InAddress(value(parameter.Value[1..])) : parameter.Value))
        .Where(parameter => parameter.Value is { Length: > 0 })!);

    // A value as an address carries it: a record by its key.
    private static string InAddress(object? value) => value switch
    {
        null => "",
        FormulaRecord { Identity: RecordKey key } => string.Join("~", key.Values.Select(Canonical)),
        _ => Canonical(value),
    };

    private static string Canonical(object value) => value switch
    {
        bool yes => yes ? "true" : "false",
        DateOnly date => date.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture),
        DateTimeOffset at => at.ToString("O", System.Globalization.CultureInfo.InvariantCulture),
        IFormattable other => other.ToString(null, System.Globalization.CultureInfo.InvariantCulture),
        _ => value.ToString() ?? "",
    };

    private static PageState Set(PageState state, SetInput set, string value) => state.Page.Find(set.Input) is InputPanel { Takes: not "dates" }
        ? state with { Inputs = value.Length == 0 ? state.Inputs.Remove($"{set.Input}.value") : state.Inputs.SetItem($"{set.Input}.value", value) }
        : value.Length == 0 ? state with { Inputs = state.Inputs.RemoveRange([$"{set.Input}.from", $"{set.Input}.to"]) } : state;
}
