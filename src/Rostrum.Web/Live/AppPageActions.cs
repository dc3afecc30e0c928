using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Web.Live.Actions;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live;

/// <summary>What buttons, rows and lists do.</summary>
internal sealed partial class AppPageModel
{
    /// <summary>What is asked before something is done.</summary>
    /// <param name="Words">What is asked.</param>
    /// <param name="Label">What the button says that does it.</param>
    /// <param name="Address">Where the answer is sent to.</param>
    public sealed record Question(string Words, string Label, string Address);

    /// <summary>What is asked at this moment.</summary>
    public Question? Asked { get; private set; }

    /// <summary>Carries out an action: a button's, or one that stands beside a record, the checked ones, or by itself.</summary>
    /// <param name="app">The app.</param>
    /// <param name="address">The page.</param>
    /// <param name="panel">The panel whose action it is.</param>
    /// <param name="action">Its label; none for a button.</param>
    /// <param name="at">Where it stands.</param>
    /// <param name="row">The record beside which it stands.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<IActionResult> OnPostRunAsync(string app, string? address, string panel, string? action, ActionPlace at, string? row, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        if (Current.Find(panel) is not { } asked || ActionOf(asked, action, at) is not { } named || (at is ActionPlace.Record) != (row is not null))
        {
            return NotFound();
        }

        await PrepareAsync(cancellation);
        if (!await new Panels.PageReading(Run).IsThereAsync(asked, cancellation))
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        var running = new ActionRun(Run, undoing, person.Id!.Value, gate);
        return at is ActionPlace.Checked ? await RunEachAsync((TablePanel)asked, named, running, cancellation) : await RunOneAsync(asked, named, row, running, cancellation);
    }

    private static NamedAction? ActionOf(Panel panel, string? action, ActionPlace at) =>
        panel.Actions.FirstOrDefault(known => known.Place == at && (known.Action.Label == action || panel is ButtonPanel)).Action;

    private async Task<IActionResult> RunOneAsync(Panel asked, NamedAction action, string? row, ActionRun running, CancellationToken cancellation)
    {
        var record = row is null ? null : await RowsAsync(asked, [row], action, cancellation) is [var one] ? one : null;
        if (row is not null && record is null)
        {
            return await EndAsync(asked, new ActionOutcome(Run.State) { Said = $"This {App.Datasets.Find(asked.Of!.Value)!.RecordLabel} is no longer there." }, null, null, cancellation);
        }

        if (!running.Truth(asked, action.Visible, record) || !running.Truth(asked, action.Enabled, record))
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        return action.Asks is not null && !IsSure ? await AskAsync(asked, running.Words(asked, action.Asks, record), Run.Text(asked, action.Label) ?? action.Label, cancellation)
            : await EndAsync(asked, await running.CarryOutAsync(asked, action.Does, record, cancellation), null, null, cancellation);
    }

    // Those for which it is not there, or cannot be chosen, are left out.
    private async Task<IActionResult> RunEachAsync(TablePanel table, NamedAction action, ActionRun running, CancellationToken cancellation)
    {
        var dataset = App.Datasets.Find(table.Dataset)!;
        var rows = (await RowsAsync(table, Run.State.List(table.Name).Checked, action, cancellation)).Where(row => running.Truth(table, action.Visible, row) && running.Truth(table, action.Enabled, row)).ToArray();
        if (rows.Length == 0)
        {
            return await EndAsync(table, new ActionOutcome(Run.State) { Said = $"None of the checked {dataset.LabelInSentence} is one with which this can be done." }, null, null, cancellation);
        }

        if (!IsSure && action.Asks is not null)
        {
            return await AskAsync(table, running.Words(table, action.Asks, rows[0]), $"{action.Label}: {rows.Length} {(rows.Length == 1 ? dataset.RecordLabel : dataset.LabelInSentence)}", cancellation);
        }

        var outcome = await running.CarryOutEachAsync(table, action.Does, rows, dataset.LabelInSentence, cancellation);
        return await EndAsync(table, outcome with { State = outcome.State.With(table.Name, outcome.State.List(table.Name) with { Checked = [] }) }, null, null, cancellation);
    }

    private bool IsSure => Request.Form["sure"] == "yes";

    private async Task<IActionResult> AskAsync(Panel asked, string question, string label, CancellationToken cancellation)
    {
        Asked = new Question(question.Length > 0 ? question : "Shall it be done?", label, Request.Path + Request.QueryString);
        return Request.IsPartial() ? Partial("/Live/Actions/_Asked.cshtml", this) : await WholeAsync(cancellation);
    }

    private async Task<ImmutableArray<FormulaRecord>> RowsAsync(Panel panel, IEnumerable<string> rows, NamedAction action, CancellationToken cancellation) =>
        App.Datasets.Find(panel.Of!.Value) is { } dataset
            ? await new FormulaRecords(gate, App.Datasets, Run.Scope.Shapes, Run.Grants, Run.Context.Now).ReadAsync(dataset, [.. rows.Select(row => RecordKey.Parse(dataset, row)).OfType<RecordKey>()], ActionRun.NeedsOfRow(Run, panel, action), cancellation)
            : [];

    // What follows a form's save.
    private async Task<IActionResult> FinishAsync(FormPanel form, PanelAction steps, SavedChange saved, Message message, CancellationToken cancellation)
    {
        var outcome = await new ActionRun(Run, undoing, person.Id!.Value, gate).CarryOutAsync(form, steps, null, cancellation);
        return await EndAsync(form, outcome with { Changed = outcome.Changed.Add(form.Dataset), Said = outcome.Said ?? message.Text, Undo = outcome.Undo ?? message.Undo }, form.Dataset, saved.Key, cancellation);
    }

    private async Task<IActionResult> EndAsync(Panel asked, ActionOutcome outcome, DatasetId? marked, RecordKey? key, CancellationToken cancellation)
    {
        Said = outcome.Said is { } said ? new Message(said, outcome.Undo) : null;
        var effects = outcome.InBrowser;
        if (!effects.IsEmpty && Request.IsPartial())
        {
            Response.Headers["HX-Trigger-After-Settle"] = JsonSerializer.Serialize(new { inBrowser = new { effects } }, JsonSerializerOptions.Web);
        }
        else if (effects.FirstOrDefault(effect => effect.Does == "open") is { } open)
        {
            return Redirect(open.What);
        }
        else if (effects is [{ } copy, ..])
        {
            Said = new Message($"To be copied: {copy.What}", outcome.Undo);
        }
        if (outcome.GoTo is { } elsewhere)
        {
            if (Request.IsPartial())
            {
                Response.Headers["HX-Redirect"] = Root + "/" + elsewhere;
                return new NoContentResult();
            }

            return Redirect(Root + "/" + elsewhere);
        }

        (DatasetId, RecordKey)? mark = marked is { } dataset && key is not null ? (dataset, key) : outcome.Marked;
        IEnumerable<string> also = outcome.Everything ? Current.Panels.Select(panel => panel.Name) : [asked.Name];
        return await NowAsync(outcome.State, [.. outcome.Changed.Distinct()], mark, also, cancellation);
    }
}
