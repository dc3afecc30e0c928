using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Web.Live.Panels;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Actions;

/// <summary>Carries out an action: a button's, or one that stands beside a record, the checked ones, or by itself.</summary>
[Handles("POST", "Run")]
internal sealed class RunHandler(Undoing undoing, CurrentPerson person) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        var at = Enum.TryParse<ActionPlace>(page.Value("at"), out var place) ? place : ActionPlace.List;
        var row = page.Value("row") is { Length: > 0 } text ? text : null;
        if (
            page.Named is not { } asked
            || ActionOf(asked, page.Value("action"), at) is not { } action
            || (at is ActionPlace.Record) != (row is not null)
        )
        {
            return page.NotFound();
        }

        await page.PrepareAsync(cancellation);
        if (!await new PageReading(page.Run).IsThereAsync(asked, cancellation))
        {
            return page.StatusCode(StatusCodes.Status403Forbidden);
        }

        if (ActionOffers.Denial(page.Run, asked.Of is { } of ? page.App.Datasets.Find(of) : null, action) is not null)
        {
            return page.StatusCode(StatusCodes.Status403Forbidden);
        }

        var running = new ActionRun(page.Run, undoing, person.Id!.Value, page.HttpContext.RequestServices);
        return at is ActionPlace.Checked
            ? await RunEachAsync(page, asked, action, running, cancellation)
            : await RunOneAsync(page, asked, action, row, running, cancellation);
    }

    private static NamedAction? ActionOf(Panel panel, string label, ActionPlace at) =>
        panel.Actions.FirstOrDefault(known => known.Place == at && known.Action.Label == label).Action;

    private static bool IsSure(AppPageModel page) => page.Value("sure") == "yes";

    private static async Task<IActionResult> RunOneAsync(
        AppPageModel page,
        Panel asked,
        NamedAction action,
        string? row,
        ActionRun running,
        CancellationToken cancellation
    )
    {
        var record =
            row is null ? null
            : await RowsAsync(page, asked, [row], action, cancellation) is [var one] ? one
            : null;
        if (row is not null && record is null)
        {
            var gone = $"This {page.App.Datasets.Find(asked.Of!.Value)!.RecordLabel} is no longer there, or not open to this action.";
            return await ActionAnswer.EndAsync(page, asked, new ActionOutcome(page.Run.State) { Said = gone }, cancellation);
        }

        if (!running.Truth(asked, action.Visible, record) || !running.Truth(asked, action.Enabled, record))
        {
            return page.StatusCode(StatusCodes.Status403Forbidden);
        }

        return action.Confirmation is not null && !IsSure(page)
            ? await ActionAnswer.AskAsync(
                page,
                running.Text(asked, action.Confirmation, record),
                page.Run.Text(asked, action.Label) ?? action.Label,
                cancellation
            )
            : await ActionAnswer.EndAsync(
                page,
                asked,
                await running.CarryOutAsync(asked, action.Does, record, action, cancellation),
                cancellation
            );
    }

    // Those for which it is not there, or cannot be chosen, are left out.
    private static async Task<IActionResult> RunEachAsync(
        AppPageModel page,
        Panel asked,
        NamedAction action,
        ActionRun running,
        CancellationToken cancellation
    )
    {
        var dataset = page.App.Datasets.Find(asked.Of!.Value)!;
        var list = page.Run.State.List(asked.Name);
        var rows = (await RowsAsync(page, asked, list.Checked, action, cancellation))
            .Where(row => running.Truth(asked, action.Visible, row) && running.Truth(asked, action.Enabled, row))
            .ToArray();
        if (rows.Length == 0)
        {
            var none = $"None of the checked {dataset.LabelInSentence} can be used with this action.";
            return await ActionAnswer.EndAsync(page, asked, new ActionOutcome(page.Run.State) { Said = none }, cancellation);
        }

        if (action.Confirmation is not null && !IsSure(page))
        {
            var label = $"{action.Label}: {rows.Length} {(rows.Length == 1 ? dataset.RecordLabel : dataset.LabelInSentence)}";
            return await ActionAnswer.AskAsync(page, running.Text(asked, action.Confirmation, rows[0]), label, cancellation);
        }

        var outcome = await running.CarryOutEachAsync(asked, action, rows, dataset.LabelInSentence, cancellation);
        var state = outcome.State.With(asked.Name, outcome.State.List(asked.Name) with { Checked = [] });
        return await ActionAnswer.EndAsync(page, asked, outcome with { State = state }, cancellation);
    }

    private static async Task<ImmutableArray<FormulaRecord>> RowsAsync(
        AppPageModel page,
        Panel panel,
        IEnumerable<string> rows,
        NamedAction action,
        CancellationToken cancellation
    )
    {
        if (page.App.Datasets.Find(panel.Of!.Value) is not { } dataset)
        {
            return [];
        }

        IReadOnlyCollection<RecordKey> keys = [.. rows.Select(row => RecordKey.Parse(dataset, row)).OfType<RecordKey>()];
        if (action.TakesRight)
        {
            var allowed = await page.Run.Gate.AllowedAsync(
                page.App.Datasets,
                dataset,
                keys,
                Verbs.RunActions,
                page.Run.Grants,
                cancellation
            );
            keys = [.. keys.Where(allowed.Contains)];
        }

        return await page.Run.RecordsForFormulas.ReadAsync(dataset, [.. keys], ActionRun.NeedsOfRow(page.Run, panel, action), cancellation);
    }
}
