using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;
using Rostrum.Web.Bulk;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Panels.Table.Bulk;

/// <summary>Answers what is asked of a table's checked records.</summary>
internal abstract class BulkHandler : TableHandler
{
    protected sealed override async Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation) =>
        table.Checkboxes && page.App.Datasets.Find(table.Dataset) is not null
            ? await AnswerAsync(page, table, new BulkEditing(page.Run, table, Deletes(page), page.Value("all") == "yes"), cancellation)
            : page.NotFound();

    protected static bool Deletes(AppPageModel page) => page.Value("does") == "delete";

    protected static PartialViewResult Ask(AppPageModel page, BulkView view) => page.Partial("/Live/Panels/Table/Bulk/_Bulk.cshtml", view);

    protected abstract Task<IActionResult> AnswerAsync(
        AppPageModel page,
        TablePanel table,
        BulkEditing bulk,
        CancellationToken cancellation
    );
}

/// <summary>The form for changes of the checked records, or what would come of their deletion.</summary>
[Handles("GET", "Bulk")]
internal sealed class BulkFormHandler : BulkHandler
{
    protected override async Task<IActionResult> AnswerAsync(
        AppPageModel page,
        TablePanel table,
        BulkEditing bulk,
        CancellationToken cancellation
    ) => Ask(page, Deletes(page) ? await bulk.PreviewAsync(bulk.Begin(), cancellation) : bulk.Begin());
}

/// <summary>Shows what would come of changes of the checked records, or makes them.</summary>
[Handles("POST", "Bulk")]
internal sealed class BulkSaveHandler(Undoing undoing, BulkChanges bulkChanges, CurrentPerson person) : BulkHandler
{
    protected override async Task<IActionResult> AnswerAsync(
        AppPageModel page,
        TablePanel table,
        BulkEditing bulk,
        CancellationToken cancellation
    )
    {
        var view = bulk.Filled(page.Request.Form);
        var step = page.Value("step");
        var state = page.Run.State.With(table.Name, page.Run.State.List(table.Name) with { Checked = [] });
        if (step is "begin" or "check" && view.All && person.Id is { } id)
        {
            var (begun, refused) = await bulk.BeginAsync(bulkChanges, view, id, step == "check", cancellation);
            if (begun is null)
            {
                return Ask(page, refused);
            }

            page.Said = BegunBulkHandler.Said(begun, view.Dataset, page.Run.Format);
            return await page.NowAsync(state, [], null, [table.Name], cancellation);
        }

        if (step is not ("all" or "possible") || view.All)
        {
            return Ask(page, step == "preview" ? await bulk.PreviewAsync(view, cancellation) : view);
        }

        var (saved, left, after) = await bulk.DoAsync(view, step == "possible", cancellation);
        if (saved is not { } changes)
        {
            return Ask(page, after);
        }

        var stayed = left == 0 ? "" : $" {left} stayed as {(left == 1 ? "it was" : "they were")}.";
        var said = $"{changes.Length} {view.Noun(changes.Length)} {(view.Deletes ? "deleted" : "changed")}.{stayed}";
        var undo = await undoing.KeepAsync(person.Id!.Value, view.Dataset, changes, said, cancellation);
        page.Said = new AppPageModel.Message(undo is null && changes.Length > 0 ? said + " This cannot be undone." : said, undo);
        return await page.NowAsync(state, [view.Dataset.Id], null, [table.Name], cancellation);
    }
}
