using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>A stretch of an ordered list of records.</summary>
public abstract record PageWindow(int Limit)
{
    /// <summary>All records.</summary>
    public static PageWindow Everything { get; } = new FromStart(0, int.MaxValue - 1);

    /// <summary>
    /// From a record's number in the order, counted from nought. With a limit of nought it asks for no record, but for how many there are
    /// where they are counted.
    /// </summary>
    public sealed record FromStart(long Offset, int Limit) : PageWindow(Limit);

    /// <summary>The records that follow a place.</summary>
    public sealed record After(PageCursor Place, int Limit) : PageWindow(Limit);

    /// <summary>The records just before a place, in the list's order.</summary>
    public sealed record Before(PageCursor Place, int Limit) : PageWindow(Limit);
}
