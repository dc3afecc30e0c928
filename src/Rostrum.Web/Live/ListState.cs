using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.Extensions.Primitives;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live;

/// <summary>What a person narrowed a field down to.</summary>
/// <param name="Values">One of these, in canonical text; <see cref="Blank"/> stands for a blank.</param>
/// <param name="From">At least this.</param>
/// <param name="To">At most this.</param>
/// <param name="Contains">With this text in it.</param>
internal sealed record FieldCondition(ImmutableArray<string> Values, string From, string To, string Contains)
{
    public const string Blank = "~blank";

    public static FieldCondition None { get; } = new([], "", "", "");

    public bool IsEmpty => Values.IsEmpty && From.Length == 0 && To.Length == 0 && Contains.Length == 0;
}

/// <summary>The state of a page with a list, as its address carries it: a link shows its reader what its sender saw.</summary>
internal sealed record ListState
{
    public string Search { get; init; } = "";

    public SortBy? Sort { get; init; }

    public int Page { get; init; } = 1;

    public string? After { get; init; }

    public string? Before { get; init; }

    public ImmutableSortedDictionary<string, FieldCondition> Conditions { get; init; } = ImmutableSortedDictionary<string, FieldCondition>.Empty;

    public string? Record { get; init; }

    public bool IsNew { get; init; }

    public static ListState Read(IQueryCollection query)
    {
        var conditions = ImmutableSortedDictionary.CreateBuilder<string, FieldCondition>(StringComparer.Ordinal);
        FieldCondition Known(string field) => conditions.GetValueOrDefault(field, FieldCondition.None);
        foreach (var (name, values) in query)
        {
            if (name.Split('.', 2) is [var part, { Length: > 0 } field])
            {
                var value = values.ToString();
                var known = Known(field);
                conditions[field] = part switch
                {
                    "is" => known with { Values = [.. values.OfType<string>()] },
                    "from" => known with { From = value },
                    "to" => known with { To = value },
                    "has" => known with { Contains = value },
                    _ => known,
                };
            }
        }

        var sort = query["sort"].ToString();
        return new ListState
        {
            Search = query["q"].ToString(),
            Sort = sort.Length == 0 ? null : sort.StartsWith('-') ? new SortBy(new FieldName(sort[1..]), Descending: true) : new SortBy(new FieldName(sort)),
            Page = int.TryParse(query["page"], NumberStyles.None, CultureInfo.InvariantCulture, out var page) ? Math.Clamp(page, 1, 10_000_000) : 1,
            After = Text(query["after"]),
            Before = Text(query["before"]),
            Conditions = conditions.Where(pair => !pair.Value.IsEmpty).ToImmutableSortedDictionary(StringComparer.Ordinal),
            Record = Text(query["record"]),
            IsNew = query["new"].ToString() == "1",
        };
    }

    /// <summary>The same list, from its start: what follows a change of what it shows.</summary>
    public ListState FromStart() => this with { Page = 1, After = null, Before = null };

    /// <summary>The list without an opened record.</summary>
    public ListState Closed() => this with { Record = null, IsNew = false };

    public ListState With(string field, FieldCondition condition) =>
        FromStart() with { Conditions = condition.IsEmpty ? Conditions.Remove(field) : Conditions.SetItem(field, condition) };

    /// <summary>The parts of the address, without a question mark where there are none.</summary>
    public string ToQuery() => QueryHelpers.AddQueryString("", Pairs());

    /// <summary>The address of a page in this state, with one part more that is not of the state.</summary>
    public string At(string path, string name, string value) => QueryHelpers.AddQueryString(path + ToQuery(), name, value);

    public IEnumerable<KeyValuePair<string, StringValues>> Pairs()
    {
        static KeyValuePair<string, StringValues> Pair(string name, StringValues value) => new(name, value);
        if (Search.Length > 0)
        {
            yield return Pair("q", Search);
        }

        foreach (var (field, condition) in Conditions)
        {
            if (!condition.Values.IsEmpty)
            {
                yield return Pair($"is.{field}", condition.Values.ToArray());
            }

            foreach (var (part, value) in new[] { ("from", condition.From), ("to", condition.To), ("has", condition.Contains) })
            {
                if (value.Length > 0)
                {
                    yield return Pair($"{part}.{field}", value);
                }
            }
        }

        if (Sort is not null)
        {
            yield return Pair("sort", (Sort.Descending ? "-" : "") + Sort.Field);
        }

        if (Page > 1)
        {
            yield return Pair("page", Page.ToString(CultureInfo.InvariantCulture));
        }

        foreach (var (name, value) in new[] { ("after", After), ("before", Before), ("record", Record), ("new", IsNew ? "1" : null) })
        {
            if (value is not null)
            {
                yield return Pair(name, value);
            }
        }
    }

    private static string? Text(StringValues value) => value.ToString() is { Length: > 0 } text ? text : null;
}
