using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Actions;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Sheet;

/// <summary>What follows a form's save: it is said, can be taken back, and the form's own steps are carried out.</summary>
internal sealed class SavedForms(Undoing undoing, CurrentPerson person)
{
    public async Task<IActionResult> AnswerAsync(
        AppPageModel page,
        Panel asked,
        Dataset dataset,
        SavedChange saved,
        string verb,
        CancellationToken cancellation
    )
    {
        var noun = char.ToUpperInvariant(dataset.RecordLabel[0]) + dataset.RecordLabel[1..];
        var said = $"{noun} “{saved.Title}” {verb}.";
        var undo = await undoing.KeepAsync(person.KeepsAs, dataset, [saved], said, cancellation);
        var message = new AppPageModel.Message(undo is null && verb == "deleted" ? said + " This cannot be undone." : said, undo);
        if (asked is not FormPanel { AfterSave: { IsEmpty: false } steps } form)
        {
            page.Said = message;
            return await page.AfterSaveAsync(asked, dataset.Id, saved.Key, cancellation);
        }

        var outcome = await new ActionRun(page.Run, undoing, person.KeepsAs, page.HttpContext.RequestServices).CarryOutAsync(
            form,
            steps,
            null,
            null,
            cancellation
        );
        return await ActionAnswer.EndAsync(
            page,
            form,
            outcome with
            {
                Changed = outcome.Changed.Add(form.Dataset),
                Said = outcome.Said ?? message.Text,
                Undo = outcome.Undo ?? message.Undo,
                Marked = saved.Key is { } key ? (form.Dataset, key) : outcome.Marked,
            },
            cancellation
        );
    }
}
