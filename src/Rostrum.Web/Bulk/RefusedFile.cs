using System.Collections.Immutable;
using Rostrum.Core.Imports;
using Rostrum.Web.Live.Panels.Table.Export;

namespace Rostrum.Web.Bulk;

/// <summary>What could not be changed, and why, for a spreadsheet.</summary>
internal sealed class RefusedFile(ImmutableArray<(string Title, string Because)> refused, string name) : CsvFile(name)
{
    protected override async IAsyncEnumerable<IEnumerable<string>> LinesAsync(
        HttpContext http,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation
    )
    {
        yield return ["Record", "Reason"];
        foreach (var (title, because) in refused)
        {
            yield return [SpreadsheetText.Harmless(title), SpreadsheetText.Harmless(because)];
        }

        await Task.CompletedTask;
    }
}
