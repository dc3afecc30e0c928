using System.Globalization;
using System.Runtime.CompilerServices;
using Rostrum.Core.Imports;
using Rostrum.Web.Live.Panels.Table.Export;

namespace Rostrum.Web.People.Auditing;

/// <summary>Entries as a file for a spreadsheet.</summary>
/// <param name="name">The file's name.</param>
/// <param name="headings">The columns.</param>
/// <param name="entries">The entries.</param>
internal sealed class AuditFile(string name, string[] headings, IAsyncEnumerable<string[]> entries) : CsvFile(name)
{
    /// <summary>A moment as programs read it.</summary>
    public static string At(DateTimeOffset at) => at.UtcDateTime.ToString("yyyy-MM-dd HH:mm:ss'Z'", CultureInfo.InvariantCulture);

    protected override async IAsyncEnumerable<IEnumerable<string>> LinesAsync(
        HttpContext http,
        [EnumeratorCancellation] CancellationToken cancellation
    )
    {
        yield return headings;
        await foreach (var entry in entries.WithCancellation(cancellation))
        {
            yield return entry.Select(SpreadsheetText.Harmless);
        }
    }
}
