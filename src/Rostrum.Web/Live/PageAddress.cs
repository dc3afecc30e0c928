using System.Collections.Immutable;
using System.Text;
using System.Text.Encodings.Web;
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
        public string ToQuery() => With("", state.Parts());

        /// <summary>The address of the page in this state, with parts more that are not of the state.</summary>
        public string At(string path, params (string Name, string Value)[] more) =>
            With(path, [.. state.Parts(), .. more.Select(part => (part.Name, ImmutableArray.Create(part.Value)))]);

        /// <summary>The state of a list.</summary>
        public ListState List(string panel) => ListState.Of(state.Of(panel));
    }

    /// <summary>Reads a page's state from a query.</summary>
    public static PageState Read(Page page, IEnumerable<KeyValuePair<string, StringValues>> query) => PageState.Read(page, Parts(query));

    /// <summary>Reads a page's state from a query as text, with or without its question mark.</summary>
    public static PageState Read(Page page, string query) => Read(page, QueryHelpers.ParseQuery(query));

    /// <summary>A list's state as a query of its own.</summary>
    public static string Write(ListState list) => With("", list.Parts());

    /// <summary>Reads what <see cref="Write"/> wrote.</summary>
    public static ListState ReadList(string query) => ListState.Read(new AddressParts(Parts(QueryHelpers.ParseQuery(query))));

    private static IEnumerable<KeyValuePair<string, ImmutableArray<string>>> Parts(IEnumerable<KeyValuePair<string, StringValues>> query) =>
        query.Select(part => KeyValuePair.Create(part.Key, part.Value.OfType<string>().ToImmutableArray()));

    private static string With(string path, IEnumerable<(string Name, ImmutableArray<string> Values)> parts)
    {
        var address = new StringBuilder(path);
        var mark = path.Contains('?', StringComparison.Ordinal) ? '&' : '?';
        foreach (var (name, values) in parts)
        {
            foreach (var value in values)
            {
                address.Append(mark).Append(UrlEncoder.Default.Encode(name)).Append('=').Append(UrlEncoder.Default.Encode(value));
                mark = '&';
            }
        }

        return address.ToString();
    }
}
