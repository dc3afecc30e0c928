using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Web.Live.Panels.Chart;

namespace Rostrum.Web.Live.Panels.Summary;

/// <summary>A summary table as a file for a spreadsheet.</summary>
[Handles("GET", "Summary")]
internal sealed class SummaryFileHandler : FiguresFileHandler<SummaryPanel>
{
    protected override bool Allows(SummaryPanel panel) => panel.AllowDownload;

    protected override IEnumerable<ImmutableArray<string>>? Lines(object? content) =>
        content is SummaryView { Table: not null } view ? view.Lines() : null;
}
