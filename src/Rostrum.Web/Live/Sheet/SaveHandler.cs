using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Files;
using Rostrum.Web.Live.Public;

namespace Rostrum.Web.Live.Sheet;

/// <summary>Saves what was typed into a form.</summary>
[Handles("POST", "Save")]
internal sealed class SaveHandler(SavedForms saved, SentForms sent, FormFiles files, RobotTrap trap) : FormHandler
{
    protected override async Task<IActionResult> AnswerAsync(
        AppPageModel page,
        Panel asked,
        RecordFormView.Open open,
        CancellationToken cancellation
    )
    {
        var form = await files.WithContentsAsync(open.Form.Filled(page.Request.Form), cancellation);
        var typed = form.Read(page.Run.Format);
        typed = typed with { Problems = [.. typed.Problems, .. FormFiles.Problems(form)] };
        var (change, hidden) = WithHidden(page.Run, open, typed);
        if (!typed.Problems.IsEmpty || !hidden.IsEmpty)
        {
            var others = ChangeChecks
                .Problems(open.Dataset, change)
                .Where(problem => typed.Problems.All(known => known.Field != problem.Field));
            return await AgainAsync(
                page,
                asked,
                open with
                {
                    Form = form.WithProblems([.. typed.Problems, .. others]),
                    Problems = hidden,
                },
                cancellation
            );
        }

        if (change is Change.Update { Values.Count: 0 })
        {
            page.Said = new AppPageModel.Message("Nothing was changed.");
            return await page.AfterSaveAsync(asked, null, null, cancellation);
        }

        Task<IActionResult> Refused(string reason) => AgainAsync(page, asked, open with { Form = form, Problems = [reason] }, cancellation);
        if (page.Link is not null && trap.Problem(page.Request.Form) is { } robot)
        {
            return await Refused(robot);
        }

        var sending = open.IsNew && Guid.TryParse(page.Value("key"), out var key) ? key : (Guid?)null;
        if (sending is { } again && await sent.FindAsync(page.Run.Gate, open.Dataset, again, cancellation) is { } before)
        {
            return before.IsOver
                ? await saved.AnswerAsync(page, asked, open.Dataset, before.AsSaved(open.Dataset, change), "added", cancellation)
                : await Refused("This is being saved already. Wait a moment, then check whether it is there.");
        }

        var changes = new ChangeSet(open.Dataset.Id, [change])
        {
            SeenWarnings = SeenWarnings(page.Request.Form),
            BeforeEnd = sending is { } once ? end => sent.KeepAsync(once, open.Dataset, end) : null,
        };
        return await SaveAsync(page, changes, cancellation) switch
        {
            SaveResult.Saved { Changes: [var one] } => await saved.AnswerAsync(
                page,
                asked,
                open.Dataset,
                one,
                open.IsNew ? "added" : "saved",
                cancellation
            ),
            SaveResult.Invalid invalid => await AgainAsync(page, asked, open.Saying(form, invalid.Problems), cancellation),
            SaveResult.Warned warned => await AgainAsync(
                page,
                asked,
                open.Saying(form, warned.Problems) with
                {
                    HasWarnings = true,
                },
                cancellation
            ),
            SaveResult.Conflict { Current: { } current } => await ShowConflictAsync(page, asked, open, form, current, cancellation),
            SaveResult.Conflict => await Refused(
                $"Somebody deleted this {open.Dataset.RecordLabel} while you were editing it. What you typed is kept here; copy "
                    + "what you need."
            ),
            SaveResult.Denied denied => await Refused(denied.Reason),
            SaveResult.Failed failed => await Refused(
                page.Run.Words(failed.Failure) + " Nothing was saved; what you typed still stands here."
            ),
            SaveResult.Uncertain => await Refused(SaveResult.Uncertain.Words),
            null => await Refused("This is being saved already. Wait a moment, then check whether it is there."),
            _ => throw new InvalidOperationException("one change was asked for"),
        };
    }

    // Null where the same form is being saved by another request at this moment.
    private static async Task<SaveResult?> SaveAsync(AppPageModel page, ChangeSet changes, CancellationToken cancellation)
    {
        try
        {
            return await page.Run.Gate.SaveAsync(page.App.Datasets, changes, page.Run.Writing, cancellation);
        }
        catch (SentAlreadyException)
        {
            return null;
        }
    }

    private static ImmutableArray<string> SeenWarnings(IFormCollection form) =>
        [.. form.Where(part => part.Key.StartsWith("m.", StringComparison.Ordinal)).SelectMany(part => part.Value).OfType<string>()];

    private static async Task<IActionResult> ShowConflictAsync(
        AppPageModel page,
        Panel asked,
        RecordFormView.Open open,
        RecordForm typed,
        Record current,
        CancellationToken cancellation
    )
    {
        // What was read just before the save may be older than what the save met.
        var fresh = await new FormReader(page.Run) { ForSaving = true }.ReadAsync(asked, cancellation) is RecordFormView.Open now
            ? now.Form
            : open.Form;
        return await AgainAsync(
            page,
            asked,
            open with
            {
                Form = typed.Rebased(current, fresh, page.Run.Format),
                InConflict = true,
            },
            cancellation
        );
    }
}
