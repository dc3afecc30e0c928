using System.Runtime.CompilerServices;
using System.Threading.Channels;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <content>Reads all records of a request, however many they are.</content>
public sealed partial class RecordGate
{
    /// <summary>The records, some at a time, in the request's order. It ends with what is no records, where they cannot be read.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="request">What is wanted; its window and its count are set here.</param>
    /// <param name="atOnce">How many are given at a time.</param>
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
        var parts = Channel.CreateBounded<ReadResult>(4);
        using var ended = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        var reading = GiveAllAsync(catalogue, request, atOnce, grants, parts.Writer, ended.Token);
        try
        {
            await foreach (var part in parts.Reader.ReadAllAsync(cancellation))
            {
                yield return part;
            }
        }
        finally
        {
            await ended.CancelAsync();
            await ((Task)reading).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }

        if (await reading)
        {
            yield break;
        }

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

    // The next part is read while the last one is used. False where it takes several reads: the source would keep others from writing, or
    // memory has a part in narrowing or sorting.
    private async Task<bool> GiveAllAsync(
        DatasetCatalogue catalogue,
        ReadRequest request,
        int atOnce,
        Grants grants,
        ChannelWriter<ReadResult> parts,
        CancellationToken cancellation
    )
    {
        try
        {
            var (allowed, formulas, _) = Allow(catalogue, OrderedByTitles(catalogue, request, grants), grants);
            if (allowed is null || catalogue.Find(allowed.Dataset) is not { IsFetched: false } dataset)
            {
                return false;
            }

            var given = false;
            async ValueTask GiveAsync(ReadResult part)
            {
                given = true;
                await parts.WriteAsync(part, cancellation);
            }

            var failed = await FromSourceAsync<ReadResult?>(
                new Reading(catalogue, dataset, allowed, grants, formulas!, IsPage: false),
                async (reads, look, token) =>
                {
                    given = await reads.GiveAllAsync(look.Statements, dataset, look.Request, atOnce, GiveAsync, token);
                    return null;
                },
                failure => new ReadResult.Failed(failure),
                cancellation
            );
            if (failed is not null)
            {
                await GiveAsync(failed);
            }

            return given;
        }
        finally
        {
            parts.Complete();
        }
    }
}
