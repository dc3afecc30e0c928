using System.Collections.Immutable;
using System.Text;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Datasets;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Panels.Calendar.Import;

/// <summary>Shows what a calendar file would add, and adds it.</summary>
[Handles("POST", "Import")]
internal sealed class ImportHandler(Undoing undoing, CurrentPerson person) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (
            page.Named is not CalendarPanel { AllowAdding: true } panel
            || page.App.Datasets.Find(panel.Dataset) is not { } known
            || panel.Shown(known) is not { ReadOnlyBecause: null } dataset
            || panel.Places(dataset) is not var (start, end)
            || !page.Run.Grants.For(dataset.Id).Allows(Verbs.Create)
            || !CalendarImport.TitleFields(panel, dataset, page.Run.Grants.For(dataset.Id)).Any()
        )
        {
            return page.NotFound();
        }

        await page.PrepareAsync(cancellation);
        var import = new CalendarImport(page.Run, panel, dataset, start, end) { Into = page.Value("into") };
        PartialViewResult Ask(ImportView view) => page.Partial("/Live/Panels/Calendar/Import/_Import.cshtml", view);
        if (page.Request.Form.Files.GetFile("file") is { } file)
        {
            var (events, leftOut, problem) = await ReadAsync(import, file, cancellation);
            return Ask(import.Begin(events) with { LeftOut = leftOut, Problem = problem });
        }

        var view = import.Begin(CalendarImport.Carried(page.Value("events")));
        view = view with { Form = view.Form with { Form = view.Form.Form.Filled(page.Request.Form) } };
        if (page.Value("step") != "add")
        {
            return Ask(page.Value("step") == "try" ? await import.TryAsync(view, cancellation) : view);
        }

        var (saved, after) = await import.AddAsync(view, cancellation);
        if (saved is not { } changes)
        {
            return Ask(after);
        }

        var left = view.Events.Length - changes.Length;
        var said = $"{changes.Length} {view.Noun(changes.Length)} added.{(left == 0 ? "" : $" {left} could not be.")}";
        var undo = await undoing.KeepAsync(person.KeepsAs, dataset, changes, said, cancellation);
        page.Said = new AppPageModel.Message(said, undo);
        return await page.NowAsync(page.Run.State.AllClosed(), [dataset.Id], null, [panel.Name], cancellation);
    }

    private static async Task<(ImmutableArray<ImportedEvent> Events, int LeftOut, string? Problem)> ReadAsync(
        CalendarImport import,
        IFormFile file,
        CancellationToken cancellation
    )
    {
        if (file.Length > CalendarImport.LargestFile)
        {
            return ([], 0, "The file is larger than 1 MB: export a shorter time.");
        }

        using var reader = new StreamReader(file.OpenReadStream(), Encoding.UTF8);
        return import.Read(await reader.ReadToEndAsync(cancellation));
    }
}
