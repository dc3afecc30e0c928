using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>Answers what is asked of a table that is there for whoever asks.</summary>
internal abstract class TableHandler : LiveHandler
{
    public sealed override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (page.Named is not TablePanel table)
        {
            return page.NotFound();
        }

        await page.PrepareAsync(cancellation);
        return await new PageReading(page.Run).IsThereAsync(table, cancellation)
            ? await AnswerAsync(page, table, cancellation)
            : page.NotFound();
    }

    protected abstract Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation);
}
