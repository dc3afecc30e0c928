using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Sheet;

/// <summary>Saves what was typed into a form.</summary>
[Handles("POST", "Save")]
internal sealed class SaveHandler(SavedForms saved) : FormHandler
{
    protected override async Task<IActionResult> AnswerAsync(AppPageModel page, Panel asked, SheetView.Open open, CancellationToken cancellation)
    {
        var form = open.Form.Filled(page.Request.Form);
        var typed = form.Read(page.Run.Format.Zone);
        var (change, hidden) = WithHidden(page.Run, open, typed);
        if (!typed.Problems.IsEmpty || !hidden.IsEmpty)
        {
            var others = ChangeChecks.Problems(open.Dataset, change).Where(problem => typed.Problems.All(known => known.Field != problem.Field));
            return await AgainAsync(page, asked, open with { Form = form.WithProblems([.. typed.Problems, .. others]), Problems = hidden }, cancellation);
        }

        if (change is Change.Update { Values.Count: 0 })
        {
            page.Said = new AppPageModel.Message("Nothing was changed.");
            return await page.AfterSaveAsync(asked, null, null, cancellation);
        }

        Task<IActionResult> Refused(string reason) => AgainAsync(page, asked, open with { Form = form, Problems = [reason] }, cancellation);
        var changes = new ChangeSet(open.Dataset.Id, [change]) { SeenWarnings = SeenWarnings(page.Request.Form) };
        return await page.Run.Gate.SaveAsync(page.App.Datasets, changes, page.Run.Grants, cancellation) switch
        {
            SaveResult.Saved { Changes: [var one] } => await saved.AnswerAsync(page, asked, open.Dataset, one, open.IsNew ? "added" : "saved", cancellation),
            SaveResult.Invalid invalid => await AgainAsync(page, asked, open.Saying(form, invalid.Problems), cancellation),
            SaveResult.Warned warned => await AgainAsync(page, asked, open.Saying(form, warned.Problems) with { HasWarnings = true }, cancellation),
            SaveResult.Conflict { Current: { } current } => await ShowConflictAsync(page, asked, open, form, current, cancellation),
            SaveResult.Conflict => await Refused($"Somebody deleted this {open.Dataset.RecordLabel} while you were editing it. What you typed still stands here; copy what you need."),
            SaveResult.Denied denied => await Refused(denied.Reason),
            SaveResult.Failed failed => await Refused(failed.Failure.Message + " Nothing was saved; what you typed still stands here."),
            _ => throw new InvalidOperationException("one change was asked for"),
        };
    }

    private static ImmutableArray<string> SeenWarnings(IFormCollection form) =>
        [.. form.Where(part => part.Key.StartsWith("m.", StringComparison.Ordinal)).SelectMany(part => part.Value).OfType<string>()];

    private static async Task<IActionResult> ShowConflictAsync(
        AppPageModel page, Panel asked, SheetView.Open open, RecordForm typed, Record current, CancellationToken cancellation)
    {
        // What was read just before the save may be older than what the save met.
        var fresh = await new FormReader(page.Run).ReadAsync(asked, cancellation) is SheetView.Open now ? now.Form : open.Form;
        return await AgainAsync(page, asked, open with { Form = typed.Rebased(current, fresh, page.Run.Format), InConflict = true }, cancellation);
    }
}
