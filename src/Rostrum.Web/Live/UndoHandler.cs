using Microsoft.AspNetCore.Mvc;
using Rostrum.Sources;
using Rostrum.Web.People;

namespace Rostrum.Web.Live;

/// <summary>Takes back what was saved.</summary>
[Handles("POST", "Undo")]
internal sealed class UndoHandler(Undoing undoing, CurrentPerson person) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        var undone = Guid.TryParse(page.Value("undo"), out var id)
            ? await undoing.UndoAsync(id, person.Id!.Value, page.App.Datasets, page.Run.Writing, cancellation)
            : null;
        page.Said = new AppPageModel.Message(
            undone?.Result switch
            {
                null => "There is nothing to undo any more.",
                SaveResult.Saved => $"Undone: {undone.Value.Said}",
                SaveResult.Conflict => "It was not undone: the record has been changed since.",
                SaveResult.Denied denied => $"It was not undone. {denied.Reason}",
                SaveResult.Invalid invalid => $"It was not undone. {string.Join(" ", invalid.Problems.Select(problem => problem.Message))}",
                SaveResult.Uncertain => "It is not certain whether this was undone. Check the record before you try again.",
                SaveResult.Failed failed => $"It was not undone. {page.Run.Words(failed.Failure)}",
                _ => throw new InvalidOperationException("one change was asked for"),
            }
        );
        var done = undone?.Result is SaveResult.Saved { Changes: [var one] } ? one.Key : null;
        return await page.AfterSaveAsync(page.Run.State.OpenTable, undone?.Datasets ?? [], done, cancellation);
    }
}
