using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Memory;

/// <summary>Records that were fetched.</summary>
/// <param name="Rows">The values of the stored fields of each.</param>
/// <param name="Total">How many there are in all, where the source says it.</param>
/// <param name="HasMore">There are others after these.</param>
/// <param name="IsCut">There are more than are ever fetched.</param>
internal sealed record Fetched(List<object?[]> Rows, long? Total, bool HasMore, bool IsCut = false);

/// <summary>
/// What a request is answered from where its records were fetched. The places of such pages are numbers: no key tells the source where to
/// go on.
/// </summary>
/// <param name="Memory">Carries out statements over them.</param>
/// <param name="Asked">The request as it was.</param>
/// <param name="Page">The stretch that was fetched, where the source alone decided which; null where all was.</param>
/// <param name="From">The number of its first record.</param>
internal sealed record FetchedLook(MemoryStatements Memory, ReadRequest Asked, Fetched? Page, int From)
    : Look(Memory, Asked with { Window = new PageWindow.FromStart(Page is null ? Offset(Asked.Window) : 0, Asked.Window.Limit) })
{
    private const string Mark = "number";

    /// <summary>The number of the first record of a window.</summary>
    public static long Offset(PageWindow window) =>
        window switch
        {
            PageWindow.FromStart start => start.Offset,
            PageWindow.After after => Number(after.Place) ?? 0,
            PageWindow.Before before => Math.Max(0, (Number(before.Place) ?? 0) - before.Limit),
            _ => 0,
        };

    /// <inheritdoc/>
    public override ReadResult Placed(ReadResult result)
    {
        if (result is not ReadResult.Rows rows)
        {
            return result;
        }

        var first = Offset(Asked.Window);
        var has = !rows.Records.IsEmpty && rows.Records[0].Key is not null;
        return rows with
        {
            Count = Page is null || !Asked.Counted ? rows.Count : Counted(Page, rows.Records.Length),
            HasEarlier = first > 0,
            HasLater = rows.HasLater || (Page is { HasMore: true } page && page.Rows.Count <= Asked.Window.Limit),
            First = has ? Place(first) : null,
            Last = has ? Place(first + rows.Records.Length) : null,
        };
    }

    private RecordCount Counted(Fetched page, int shown) =>
        page.Total is { } total ? new RecordCount(total, CountKind.Exact)
        : page.HasMore || page.Rows.Count > Asked.Window.Limit ? new RecordCount(From + shown, CountKind.MoreThan)
        : new RecordCount(From + page.Rows.Count, CountKind.Exact);

    private static PageCursor Place(long number) => new([Mark, number.ToString(CultureInfo.InvariantCulture)]);

    private static long? Number(PageCursor place) =>
        place.Values is [Mark, { } text] && long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? number
            : null;

    /// <inheritdoc/>
    public override async ValueTask DisposeAsync()
    {
        await Memory.DisposeAsync();
        await base.DisposeAsync();
    }
}
