using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>The choices of one part of a table's filter sentence.</summary>
[Handles("GET", "Filter")]
internal sealed class FilterHandler : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (page.Asked is not TablePanel table)
        {
            return page.NotFound();
        }

        await page.PrepareAsync(cancellation);
        return
            await FilterEditorView.ReadAsync(page.Run, table, new FieldName(page.Value("field")), page.Value("q").Trim(), cancellation)
                is { } view
            ? page.Partial("/Live/Panels/Table/_FilterEditor.cshtml", view)
            : page.NotFound();
    }
}
