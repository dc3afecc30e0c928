using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Panels.Input;

/// <summary>Records among which an input chooses.</summary>
[Handles("GET", "Choices")]
internal sealed class ChoicesHandler : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (page.Named is not InputPanel { Dataset: { } of } input || page.App.Datasets.Find(of) is not { Key: [var key] } target)
        {
            return page.NotFound();
        }

        await page.PrepareAsync(cancellation);
        return await RecordChoices.ReadAsync(
            page,
            target,
            key,
            input.Filter is null ? new Filter.Everything() : new Filter.Holds(input.Filter),
            cancellation
        );
    }
}
