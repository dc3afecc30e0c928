using System.Collections.Immutable;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.Extensions.Primitives;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.State;

namespace Rostrum.Web.Live;

/// <summary>A page's state as the query of an address, and back.</summary>
internal static class PageAddress
{
    extension(PageState state)
    {
        /// <summary>The query, without a question mark where there is none.</summary>
        public string ToQuery() => QueryHelpers.AddQueryString("", Pairs(state.Parts()));

        /// <summary>The address of the page in this state, with parts more that are not of the state.</summary>
        public string At(string path, params (string Name, string Value)[] more) =>
            QueryHelpers.AddQueryString(
                path + state.ToQuery(),
                more.Select(part => KeyValuePair.Create(part.Name, (StringValues)part.Value))
            );

        /// <summary>The state of a list.</summary>
        public ListState List(string panel) => ListState.Of(state.Of(panel));
    }

    /// <summary>Reads a page's state from a query.</summary>
    public static PageState Read(Page page, IEnumerable<KeyValuePair<string, StringValues>> query) => PageState.Read(page, Parts(query));

    /// <summary>Reads a page's state from a query as text, with or without its question mark.</summary>
    public static PageState Read(Page page, string query) => Read(page, QueryHelpers.ParseQuery(query));

    /// <summary>A list's state as a query of its own.</summary>
    public static string Write(ListState list) => QueryHelpers.AddQueryString("", Pairs(list.Parts()));

    /// <summary>Reads what <see cref="Write"/> wrote.</summary>
    public static ListState ReadList(string query) => ListState.Read(new AddressParts(Parts(QueryHelpers.ParseQuery(query))));

    private static IEnumerable<KeyValuePair<string, ImmutableArray<string>>> Parts(IEnumerable<KeyValuePair<string, StringValues>> query) =>
        query.Select(part => KeyValuePair.Create(part.Key, part.Value.OfType<string>().ToImmutableArray()));

    private static IEnumerable<KeyValuePair<string, StringValues>> Pairs(IEnumerable<(string Name, ImmutableArray<string> Values)> parts) =>
        parts.Select(part => KeyValuePair.Create(part.Name, new StringValues([.. part.Values])));
}
