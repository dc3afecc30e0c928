using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Sheet;

/// <summary>Deletes the record that is open in a sheet, or in a form that allows it.</summary>
[Handles("POST", "Delete")]
internal sealed class DeleteHandler(SavedForms saved) : FormHandler
{
    protected override async Task<IActionResult> AnswerAsync(
        AppPageModel page,
        Panel asked,
        RecordFormView.Open open,
        CancellationToken cancellation
    )
    {
        if (open is not { IsNew: false, OnPage: null or { AllowDeleting: true } })
        {
            return await NotOpenAsync(page, asked, open, cancellation);
        }

        var original = open.Form.Filled(page.Request.Form).Read(page.Run.Format).Original;
        var changes = new ChangeSet(open.Dataset.Id, [new Change.Delete(RecordKey.Parse(open.Dataset, open.KeyText!)!, original)]);
        Task<IActionResult> Refused(params IEnumerable<string> reasons) =>
            AgainAsync(page, asked, open with { Problems = [.. reasons] }, cancellation);
        switch (await page.Run.Gate.SaveAsync(page.App.Datasets, changes, page.Run.Writing, cancellation))
        {
            case SaveResult.Saved { Changes: [var one] }:
                return await saved.AnswerAsync(page, asked, open.Dataset, one, "deleted", cancellation);
            case SaveResult.Invalid invalid:
                return await Refused(invalid.Problems.Select(problem => problem.Message));
            case SaveResult.Conflict { Current: not null }:
                return await Refused(
                    $"Somebody changed this {open.Dataset.RecordLabel} after you opened it. The current values are shown. Check "
                        + "them, then delete."
                );
            case SaveResult.Conflict:
                page.Said = new AppPageModel.Message("It was deleted already.");
                return await page.AfterSaveAsync(asked, open.Dataset.Id, null, cancellation);
            case SaveResult.Denied denied:
                return await Refused(denied.Reason);
            case SaveResult.Uncertain:
                return await Refused(SaveResult.Uncertain.Words);
            case SaveResult.Failed failed:
                return await Refused(page.Run.Words(failed.Failure));
            default:
                throw new InvalidOperationException("one change was asked for");
        }
    }
}
