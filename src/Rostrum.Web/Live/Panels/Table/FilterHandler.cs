using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>The choices of one part of a table's filter sentence; where no part is named, the fields to filter by.</summary>
[Handles("GET", "Filter")]
internal sealed class FilterHandler : TableHandler
{
    protected override async Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
    {
        if (page.Value("field").Length == 0)
        {
            var arranged = TableReader.Arranged(page.Run, (TablePanel)page.Run.Computed(table));
            return arranged.AllowsFiltering ? page.Partial("/Live/Panels/Table/_FilterMenu.cshtml", arranged) : page.NotFound();
        }

        return
            await FilterEditorView.ReadAsync(page.Run, table, new FieldName(page.Value("field")), page.Value("q").Trim(), cancellation)
                is { } view
            ? page.Partial("/Live/Panels/Table/_FilterEditor.cshtml", view)
            : page.NotFound();
    }
}
