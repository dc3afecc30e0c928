using System.Runtime.CompilerServices;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <content>Reads all records of a request, however many they are.</content>
public sealed partial class RecordGate
{
    /// <summary>The records, some at a time, in the request's order. It ends with what is no records, where they cannot be read.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="request">What is wanted; its window and its count are set here.</param>
    /// <param name="atOnce">How many are read at a time: where no index has the order, each read sorts the whole table.</param>
    /// <param name="grants">The rights of whoever reads.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async IAsyncEnumerable<ReadResult> PagesAsync(
        DatasetCatalogue catalogue,
        ReadRequest request,
        int atOnce,
        Grants grants,
        [EnumeratorCancellation] CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(request);
        PageWindow window = new PageWindow.FromStart(0, atOnce);
        for (var read = 0; ; )
        {
            var result = await ReadAsync(catalogue, request with { Window = window, Counted = false }, grants, cancellation);
            yield return result;
            if (result is not ReadResult.Rows { HasLater: true, Records.IsEmpty: false } rows)
            {
                yield break;
            }

            read += rows.Records.Length;
            window = rows.Last is { } last ? new PageWindow.After(last, atOnce) : new PageWindow.FromStart(read, atOnce);
        }
    }
}
