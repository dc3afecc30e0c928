using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Data;

/// <summary>What the table's records say of a rule that is being made.</summary>
/// <param name="Broken">How many records break it, where that could be counted.</param>
/// <param name="Examples">Some of them, by their titles.</param>
/// <param name="Problem">What is wrong with it.</param>
/// <param name="Warning">What should be looked at.</param>
/// <param name="Formula">The rule as one formula.</param>
internal sealed record RuleAnswer(RecordCount? Broken, ImmutableArray<string> Examples, string? Problem, string? Warning, string? Formula);

/// <summary>A rule being made or changed.</summary>
internal sealed class RuleEditorModel(RostrumStore store, WorkspaceCache workspaces, RecordGate gate, RecordFormat format)
    : DatasetPage(store, workspaces, format)
{
    private const int MostExamples = 5;

    /// <summary>The rule that is changed; null for a new one.</summary>
    public Rule? Rule { get; private set; }

    [BindProperty]
    public string? At { get; set; } = "";

    [BindProperty]
    public string? Message { get; set; } = "";

    [BindProperty]
    public bool Warns { get; set; }

    [BindProperty]
    public bool OnlyOnChange { get; set; }

    [BindProperty]
    public string Kind { get; set; } = "holds";

    [BindProperty]
    public IReadOnlyList<string> Fields { get; set; } = [];

    public ConditionForm When { get; private set; } = ConditionForm.Of("when", null);

    public ConditionForm Must { get; private set; } = ConditionForm.Of("must", null);

    public RuleAnswer? Answer { get; private set; }

    /// <summary>The message that the rule has where the builder writes none.</summary>
    public string? UsualMessage =>
        Kind == "unique" ? $"There is another {Dataset.RecordLabel} with {(Fields.Count > 1 ? "these values" : "this value")}."
        : Must.Formula(PickShape).Formula is { } must && ConditionFormula.Read(must) is { } condition
            ? ConditionWords.Demand(condition, LabelOf, Format)
        : null;

    public string RulePath => $"{Here}/rules/{Rule?.Name ?? "new"}";

    public async Task<IActionResult> OnGetAsync(Guid id, Guid table, string name, CancellationToken cancellation)
    {
        if (!await LoadRuleAsync(id, table, name, cancellation))
        {
            return NotFound();
        }

        (At, Message) = (Rule?.Field?.Value ?? Request.Query["field"].ToString(), Rule?.Message ?? "");
        (Warns, OnlyOnChange) = (Rule?.Warns ?? false, Rule?.OnlyOnChange ?? false);
        if (Rule is Rule.Unique unique)
        {
            (Kind, Fields) = ("unique", [.. unique.Fields.Select(field => field.Value)]);
        }
        else if (Rule is Rule.Holds holds)
        {
            (When, Must) = (ConditionForm.Of("when", holds.When), ConditionForm.Of("must", holds.Must));
        }

        Answer = Rule is null ? null : await AskAsync(Rule, cancellation);
        return await ShowAsync(cancellation);
    }

    /// <summary>Another row, another view, or what the records say of the rule as it stands.</summary>
    public async Task<IActionResult> OnPostEditAsync(Guid id, Guid table, string name, CancellationToken cancellation)
    {
        if (!await LoadRuleAsync(id, table, name, cancellation))
        {
            return NotFound();
        }

        ReadForms();
        var (rule, problem) = Made();
        Answer = rule is null
            ? problem is null
                ? null
                : new RuleAnswer(null, [], problem, null, null)
            : await AskAsync(rule, cancellation);
        return await ShowAsync(cancellation);
    }

    public async Task<IActionResult> OnPostAsync(Guid id, Guid table, string name, CancellationToken cancellation)
    {
        if (!await LoadRuleAsync(id, table, name, cancellation))
        {
            return NotFound();
        }

        ReadForms();
        var (rule, problem) = Made();
        if (rule is null || (problem = RuleChecks.Problem(rule, Dataset, DatasetShapes.Of(Catalogue, Builder), Anybody)) is not null)
        {
            Refusal = problem ?? "Enter a condition.";
            Answer = rule is null ? null : await AskAsync(rule, cancellation);
            return await ShowAsync(cancellation);
        }

        var rules = Rule is null ? Dataset.Rules.Add(rule) : Dataset.Rules.Replace(Rule, rule);
        return await SaveAsync(Dataset with { Rules = rules }, "The rule is saved.", $"{Here}/rules", cancellation, () =>
            ShowAsync(cancellation)
        );
    }

    public async Task<IActionResult> OnPostRemoveAsync(Guid id, Guid table, string name, CancellationToken cancellation) =>
        await LoadRuleAsync(id, table, name, cancellation) && Rule is not null
            ? await SaveAsync(Dataset with { Rules = Dataset.Rules.Remove(Rule) }, "The rule is removed.", $"{Here}/rules", cancellation)
            : NotFound();

    // What the editor offers is read only for a page that is shown.
    private async Task<IActionResult> ShowAsync(CancellationToken cancellation)
    {
        Offers = await FormulaCompletion.JsonAsync(this, gate, null, cancellation);
        return Request.IsPartial() ? Partial("/Build/Data/_RuleForm.cshtml", this) : Page();
    }

    private void ReadForms() =>
        (When, Must) = (ConditionForm.Posted("when", Request.Form, PickShape), ConditionForm.Posted("must", Request.Form, PickShape));

    // Null without a problem where nothing has been said yet.
    private (Rule? Rule, string? Problem) Made()
    {
        FieldName? at = string.IsNullOrEmpty(At) ? null : new FieldName(At);
        var message = string.IsNullOrWhiteSpace(Message) ? UsualMessage : Message.Trim();
        if (Kind == "unique")
        {
            ImmutableArray<FieldName> fields = [.. Fields.Select(field => new FieldName(field))];
            return fields.IsEmpty
                ? (null, null)
                : (
                    Common(
                        new Rule.Unique(fields)
                        {
                            Name = NewName(),
                            Field = at,
                            Message = message!,
                        }
                    ),
                    null
                );
        }

        var (must, mustProblem) = Must.Formula(PickShape);
        var (when, whenProblem) = When.Formula(PickShape);
        return (mustProblem ?? whenProblem) is { } problem ? (null, problem)
            : must is null ? (null, null)
            : message is null ? (null, "Enter a message.")
            : (
                Common(
                    new Rule.Holds(must)
                    {
                        Name = NewName(),
                        Field = at,
                        Message = message,
                        When = when,
                    }
                ),
                null
            );
    }

    private Rule Common(Rule rule) => rule with { Warns = Warns, OnlyOnChange = OnlyOnChange && rule.Field is not null };

    private string NewName() => Rule?.Name ?? FieldDemands.NewName(Dataset.Rules, string.IsNullOrEmpty(At) ? "record" : At);

    private async Task<RuleAnswer> AskAsync(Rule rule, CancellationToken cancellation)
    {
        if (RuleChecks.Problem(rule, Dataset, DatasetShapes.Of(Catalogue, Builder), Anybody) is { } problem)
        {
            return new RuleAnswer(null, [], problem, null, (rule as Rule.Holds)?.Formula);
        }

        var warning = RuleChecks.Warning(rule);
        var formula = (rule as Rule.Holds)?.Formula;
        var request = new ReadRequest(Dataset.Id)
        {
            Filter = RecordFaults.Breaking(rule),
            Window = new PageWindow.FromStart(0, MostExamples),
            Counted = true,
        };
        return await gate.ReadAsync(Catalogue, request, Builder, cancellation) is ReadResult.Rows rows
            ? new RuleAnswer(rows.Count, [.. rows.Records.Select(record => record.Title)], null, warning, formula)
            : new RuleAnswer(null, [], null, warning, formula);
    }

    private async Task<bool> LoadRuleAsync(Guid id, Guid table, string name, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            return false;
        }

        Rule = Dataset.Rules.FirstOrDefault(rule => rule.Name == name);
        return Rule is not null || name == "new";
    }
}
