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

/// <summary>The state of one table of a page, as the page's address carries it.</summary>
internal sealed record ListState
{
    /// <summary>What is checked stands in the address, which has an end.</summary>
    public const int MostChecked = 200;

    public string Search { get; init; } = "";

    public SortBy? Sort { get; init; }

    public int Page { get; init; } = 1;

    public string? After { get; init; }

    public string? Before { get; init; }

    public ImmutableSortedDictionary<string, FieldCondition> Conditions { get; init; } = ImmutableSortedDictionary<string, FieldCondition>.Empty;

    /// <summary>The record that is selected, and open where the table opens records.</summary>
    public string? Selected { get; init; }

    public bool IsNew { get; init; }

    /// <summary>The records that are checked, by their keys.</summary>
    public ImmutableArray<string> Checked { get; init; } = [];

    /// <summary>Reads what <see cref="Pairs"/> wrote.</summary>
    public static ListState Read(IReadOnlyDictionary<string, StringValues> query)
    {
        string Value(string name) => query.GetValueOrDefault(name).ToString();
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

        var sort = Value("sort");
        return new ListState
        {
            Search = Value("q"),
            Sort = sort.Length == 0 ? null : sort.StartsWith('-') ? new SortBy(new FieldName(sort[1..]), Descending: true) : new SortBy(new FieldName(sort)),
            Page = int.TryParse(Value("page"), NumberStyles.None, CultureInfo.InvariantCulture, out var page) ? Math.Clamp(page, 1, 10_000_000) : 1,
            After = Text(Value("after")),
            Before = Text(Value("before")),
            Conditions = conditions.Where(pair => !pair.Value.IsEmpty).ToImmutableSortedDictionary(StringComparer.Ordinal),
            Selected = Text(Value("selected")),
            IsNew = Value("new") == "1",
            Checked = [.. query.GetValueOrDefault("checked").OfType<string>().Where(key => key.Length > 0).Distinct().Take(MostChecked)],
        };
    }

    /// <summary>The same list, from its start: what follows a change of what it shows.</summary>
    public ListState FromStart() => this with { Page = 1, After = null, Before = null };

    /// <summary>The list without a selected record.</summary>
    public ListState Closed() => this with { Selected = null, IsNew = false };

    public ListState With(string field, FieldCondition condition) =>
        FromStart() with { Conditions = condition.IsEmpty ? Conditions.Remove(field) : Conditions.SetItem(field, condition) };

    /// <summary>What of it is kept under a name: what is searched, narrowed and ordered, as part of an address.</summary>
    public string ToKeep() => QueryHelpers.AddQueryString("", (Closed().FromStart() with { Checked = [] }).Pairs());

    /// <summary>Whether two states show the same rows, whichever is selected.</summary>
    public bool ShowsTheSameAs(ListState other) => Shown(this).SequenceEqual(Shown(other));

    private static IEnumerable<(string, string)> Shown(ListState list) => (list.Closed() with { Checked = [] }).Pairs().Select(pair => (pair.Key, pair.Value.ToString()));

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

        foreach (var (name, value) in new[] { ("after", After), ("before", Before), ("selected", Selected), ("new", IsNew ? "1" : null) })
        {
            if (value is not null)
            {
                yield return Pair(name, value);
            }
        }

        if (!Checked.IsEmpty)
        {
            yield return Pair("checked", Checked.ToArray());
        }
    }

    private static string? Text(string value) => value.Length > 0 ? value : null;
}
