using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Actions;

namespace Rostrum.Web.Live;

/// <summary>What buttons, rows and lists do.</summary>
internal sealed partial class AppPageModel
{
    /// <summary>Carries out an action: a button's, or one of a table, by its place there.</summary>
    /// <param name="app">The app.</param>
    /// <param name="address">The page.</param>
    /// <param name="panel">The panel whose action it is.</param>
    /// <param name="action">Its label; none for a button.</param>
    /// <param name="row">The record beside which it stands; none for a button or a list.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<IActionResult> OnPostRunAsync(string app, string? address, string panel, string? action, string? row, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        if (Current.Find(panel) is not { } asked || ActionOf(asked, action, row) is not { } steps)
        {
            return NotFound();
        }

        await Run.PrepareAsync(cancellation);
        if (!await new Panels.PageReading(Run).IsThereAsync(asked, cancellation) || (asked is ButtonPanel button && !Run.Truth(button, button.Enabled)))
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        var running = new ActionRun(Run, undoing, person.Id!.Value, gate);
        return await EndAsync(asked, await running.CarryOutAsync(asked, steps, row is null ? null : await RowAsync(asked, row, steps, cancellation), cancellation), null, null, cancellation);
    }

    private static PanelAction? ActionOf(Panel panel, string? action, string? row) => panel switch
    {
        ButtonPanel button => button.OnClick,
        TablePanel table => (row is null ? table.ListActions : table.RowActions).FirstOrDefault(known => known.Label == action)?.Does,
        _ => null,
    };

    private async Task<Core.Formulas.FormulaRecord?> RowAsync(Panel panel, string row, PanelAction steps, CancellationToken cancellation) =>
        App.Datasets.Find(panel.Of!.Value) is { } dataset && RecordKey.Parse(dataset, row) is { } key
            ? await new FormulaRecords(gate, App.Datasets, Run.Scope.Shapes, Run.Context.Now).ReadAsync(dataset, key, ActionRun.NeedsOfRow(Run, panel, steps), cancellation)
            : null;

    // What follows a form's save.
    private async Task<IActionResult> FinishAsync(FormPanel form, PanelAction steps, SavedChange saved, Message message, CancellationToken cancellation)
    {
        var outcome = await new ActionRun(Run, undoing, person.Id!.Value, gate).CarryOutAsync(form, steps, null, cancellation);
        return await EndAsync(form, outcome with { Changed = outcome.Changed.Add(form.Dataset), Said = outcome.Said ?? message.Text, Undo = outcome.Undo ?? message.Undo }, form.Dataset, saved.Key, cancellation);
    }

    private async Task<IActionResult> EndAsync(Panel asked, ActionOutcome outcome, DatasetId? marked, RecordKey? key, CancellationToken cancellation)
    {
        Said = outcome.Said is { } said ? new Message(said, outcome.Undo) : null;
        if (outcome.GoTo is { } elsewhere)
        {
            if (Security.Htmx.IsPartial(Request))
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
