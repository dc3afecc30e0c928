using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live.Panels;

namespace Rostrum.Web.Live.Actions;

/// <summary>An action as it is offered.</summary>
/// <param name="Action">The action.</param>
/// <param name="Panel">The panel in which it stands.</param>
/// <param name="Address">Where it is sent to.</param>
/// <param name="Because">Why it cannot be chosen; null where it can.</param>
internal sealed record ActionOffer(NamedAction Action, string Panel, string Address, string? Because)
{
    /// <summary>Where it leads, if that is all that it does.</summary>
    public (string Address, bool Beside)? LeadsTo { get; init; }

    /// <summary>The form by which a button is sent.</summary>
    public string Form => $"panel-{Panel}-actions";
}

/// <summary>A panel's actions of one place: which there are, and which can be chosen.</summary>
internal sealed class ActionOffers
{
    private const string Otherwise = "Not available now.";

    private readonly PageRun _run;
    private readonly Panel _panel;
    private readonly Lazy<string> _address;
    private readonly RecordFormulas _formulas;
    private readonly ImmutableArray<(NamedAction Action, RecordValue Visible, RecordValue Enabled, RecordValue Because)> _actions;
    private readonly Dataset? _dataset;
    private IReadOnlySet<RecordKey>? _usable;

    public ActionOffers(PageRun run, Panel panel, ActionPlace place)
    {
        (_run, _panel, _formulas) = (run, panel, new RecordFormulas(run, panel, "action"));
        _dataset = panel.Of is { } of ? run.App.Datasets.Find(of) : null;
        _address = new(() => run.State.At(run.Path, ("handler", "Run"), ("panel", panel.Name), ("at", place.ToString())));
        _actions =
        [
            .. from known in panel.Actions
            where
                !run.IsPublic
                && known.Place == place
                && known.Action.Does.Steps.All(step =>
                    step.LeadsToPage is not { } page || run.Sees(page) is not null || run.App.Definition.Find(page) is null
                )
            let action = known.Action
            select place switch
            {
                ActionPlace.Record => (
                    action,
                    _formulas.Toggle(action.Visible),
                    _formulas.Toggle(action.Enabled),
                    _formulas.Setting(action.DisabledReason)
                ),
                ActionPlace.Checked => (action, Now(true), Now(true), Now(null)),
                _ => (
                    action,
                    Now(run.Truth(panel, action.Visible)),
                    Now(run.Truth(panel, action.Enabled)),
                    Now(run.Text(panel, action.DisabledReason))
                ),
            },
        ];
    }

    public bool IsEmpty => _actions.IsEmpty;

    /// <summary>What is to be asked of each record, so that it can be said what can be done with it.</summary>
    public ImmutableArray<ComputedColumn> Columns => _formulas.Columns;

    /// <summary>The actions that stand by themselves, or beside many records: of those each is asked when it is its turn.</summary>
    public IEnumerable<ActionOffer> All => Of(null, null);

    /// <summary>The actions that stand beside a record.</summary>
    public IEnumerable<ActionOffer> Of(Record? record, string? key) =>
        from known in _actions
        where known.Visible.Holds(record)
        select new ActionOffer(
            known.Action,
            _panel.Name,
            $"{_address.Value}&action={Uri.EscapeDataString(known.Action.Label)}{(key is null ? "" : $"&row={Uri.EscapeDataString(key)}")}",
            Denial(known.Action, record) is { } denied ? denied
                : known.Enabled.Holds(record) ? null
                : known.Because.Shown(record) is { Length: > 0 } because ? because
                : Otherwise
        )
        {
            LeadsTo = key is null ? LeadsTo(known.Action) : null,
        };

    /// <summary>Finds out on which of the records that are shown the person may run actions.</summary>
    public async Task DecideAsync(IEnumerable<Record> records, CancellationToken cancellation)
    {
        if (_dataset is not null && _actions.Any(known => known.Action.TakesRight))
        {
            RecordKey[] keys = [.. records.Select(record => record.Key).OfType<RecordKey>()];
            _usable = await _run.Gate.AllowedAsync(_run.App.Datasets, _dataset, keys, Verbs.RunActions, _run.Grants, cancellation);
        }
    }

    /// <summary>Why the person may not run an action of a panel at all; null where they may, or where that takes no right.</summary>
    public static string? Denial(PageRun run, Dataset? dataset, NamedAction action) =>
        dataset is not null && action.TakesRight && !run.Grants.For(dataset.Id).Allows(Verbs.RunActions)
            ? $"You may not run actions on {dataset.LabelInSentence}."
            : null;

    private string? Denial(NamedAction action, Record? record) =>
        Denial(_run, _dataset, action)
        ?? (
            action.TakesRight && _usable is { } usable && record?.Key is { } key && !usable.Contains(key)
                ? $"You may not run actions on this {_dataset!.RecordLabel}."
                : null
        );

    // What does nothing but lead to a page or an address is a link.
    private (string Address, bool Beside)? LeadsTo(NamedAction action)
    {
        if (action is not { Confirmation: null, Does: { Steps: [{ IsLink: true } only], OnFailure.IsEmpty: true } })
        {
            return null;
        }

        var scope = new StepScope(_run, _panel, new FormulaPlace(""), row: null, ImmutableDictionary<string, object?>.Empty);
        return only.Run(scope).Effects switch
        {
            [StepEffect.GoToPage go] when _run.Sees(go.Page) is not null => ($"{_run.Root}/{GoingToPage.Address(go)}", false),
            [StepEffect.OpenAddress open] => (open.Address, open.Beside),
            _ => null,
        };
    }

    private RecordValue Now(object? value) => new(_run, value, null, null);
}
