using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels.Charts;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>The figures of a panel over groups as a file.</summary>
/// <typeparam name="T">The kind of panel.</typeparam>
internal abstract class FiguresFileHandler<T> : LiveHandler
    where T : GroupedPanel
{
    public sealed override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (page.Named is not T panel || !Allows(panel))
        {
            return page.NotFound();
        }

        if (page.Run.ForDownload(page.Run.DatasetOf(panel)) is not { } run)
        {
            return page.StatusCode(StatusCodes.Status403Forbidden);
        }

        await run.PrepareAsync(cancellation);
        return Lines((await new PageReading(run).ReadAsync(panel, cancellation)).Content) is { } lines
            ? FiguresFile.Of(run, panel.Name, lines)
            : page.NotFound();
    }

    /// <summary>Whether the builder lets its figures be downloaded.</summary>
    protected virtual bool Allows(T panel) => true;

    /// <summary>The lines of the file, that of headings first; null where there is nothing to write.</summary>
    protected abstract IEnumerable<ImmutableArray<string>>? Lines(object? content);
}

/// <summary>A chart's figures as a file.</summary>
[Handles("GET", "Figures")]
internal sealed class FiguresHandler : FiguresFileHandler<ChartPanel>
{
    protected override IEnumerable<ImmutableArray<string>>? Lines(object? content) =>
        content is ChartView { Because: null, IsEmpty: false } view ? ChartTable.Of(view, exact: true).Lines : null;
}
