using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels;

/// <summary>A panel's content that is a page of a list.</summary>
internal interface IShowsRecords
{
    ListState State { get; }

    ReadResult.Rows? Rows { get; }
}

/// <summary>From a page of a list to the next and back.</summary>
internal static class Paging
{
    /// <summary>The list a page further; null where it ends here.</summary>
    public static ListState? Later(this ReadResult.Rows rows, ListState state) => !rows.HasLater ? null
        : state.Closed() with { Page = state.Page + 1, Before = null, After = rows.Last?.ToText() };

    /// <summary>The list a page back; null where it begins here.</summary>
    public static ListState? Earlier(this ReadResult.Rows rows, ListState state) => !rows.HasEarlier || state.Page == 1 ? null
        : state.Closed() with { Page = state.Page - 1, After = null, Before = state.Page == 2 ? null : rows.First?.ToText() };
}
