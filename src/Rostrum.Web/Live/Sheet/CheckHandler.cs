using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Web.Live.Panels;

namespace Rostrum.Web.Live.Sheet;

/// <summary>
/// What is wrong with a form as it is being typed: the messages that are no longer what the page shows, and the panels that look at what is
/// typed.
/// </summary>
[Handles("POST", "Check")]
internal sealed class CheckHandler : FormHandler
{
    protected override async Task<IActionResult> AnswerAsync(
        AppPageModel page,
        Panel asked,
        RecordFormView.Open open,
        CancellationToken cancellation
    )
    {
        var run = page.Run;
        var form = open.Form.Filled(page.Request.Form);
        var typed = form.Read(run.Format);
        var (change, _) = WithHidden(run, open, typed);
        if (await run.Gate.CheckAsync(page.App.Datasets, open.Dataset.Id, change, run.Grants, cancellation) is not { } found)
        {
            return new NoContentResult();
        }

        var shown = open.Saying(
            form,
            [.. typed.Problems, .. found.Where(problem => typed.Problems.All(known => known.Field != problem.Field))]
        );
        run.Forms[asked.Name] = shown;
        new FormReader(run).Publish(asked, shown);
        var watching = page
            .Current.All.Where(other => other.Name != asked.Name && run.Graph.Reads(other.Name).Any(value => value.Panel == asked.Name))
            .ToArray();
        var reading = new PageReading(run);
        page.Panels = [.. await Task.WhenAll(watching.Select(other => reading.ReadAsync(other, cancellation)))];
        return page.Partial(
            "/Live/Sheet/_Checked.cshtml",
            new CheckedForm(shown, [.. LiveCheck.Changed(shown, page.Request.Form)], page.Panels)
        );
    }

    protected override Task<IActionResult> NotOpenAsync(
        AppPageModel page,
        Panel asked,
        RecordFormView view,
        CancellationToken cancellation
    ) => Task.FromResult<IActionResult>(new NoContentResult());
}
