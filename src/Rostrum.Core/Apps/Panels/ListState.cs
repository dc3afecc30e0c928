using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Panels;

/// <summary>What a person narrowed a field down to.</summary>
/// <param name="Values">One of these, in canonical text; <see cref="Blank"/> stands for a blank.</param>
/// <param name="From">At least this.</param>
/// <param name="To">At most this.</param>
/// <param name="Contains">With this text in it.</param>
public sealed record FieldCondition(ImmutableArray<string> Values, string From, string To, string Contains)
{
    /// <summary>None of these, likewise.</summary>
    public ImmutableArray<string> Not { get; init; } = [];

    /// <summary>What stands for a blank among values.</summary>
    public const string Blank = "~blank";

    /// <summary>It is not narrowed.</summary>
    public static FieldCondition None { get; } = new([], "", "", "");

    /// <summary>It narrows nothing.</summary>
    public bool IsEmpty => Values.IsEmpty && Not.IsEmpty && From.Length == 0 && To.Length == 0 && Contains.Length == 0;
}

/// <summary>The state of a list of records, as the page's address carries it.</summary>
public sealed record ListState : PanelState
{
    /// <summary>What is checked stands in the address, which has an end.</summary>
    public const int MostChecked = 1_000;

    private const int MostSorted = 4;
    private const string DayForm = "yyyy-MM-dd";

    /// <summary>What is searched for.</summary>
    public string Search { get; init; } = "";

    /// <summary>The order that a person chose, the first field first; the panel's own where empty.</summary>
    public ImmutableArray<SortBy> Sort { get; init; } = [];

    /// <summary>The number of the page of rows, from 1.</summary>
    public int Page { get; init; } = 1;

    /// <summary>The place in the order after which the rows begin.</summary>
    public string? After { get; init; }

    /// <summary>The place in the order before which the rows end.</summary>
    public string? Before { get; init; }

    /// <summary>What each field is narrowed down to.</summary>
    public ImmutableSortedDictionary<string, FieldCondition> Conditions { get; init; } =
        ImmutableSortedDictionary<string, FieldCondition>.Empty;

    /// <summary>The record that is selected, and open where the list opens records.</summary>
    public string? Selected { get; init; }

    /// <summary>A record is to be added.</summary>
    public bool IsNew { get; init; }

    /// <summary>The records that are checked, by their keys.</summary>
    public ImmutableArray<string> Checked { get; init; } = [];

    /// <summary>The name of the view that is shown; none where null.</summary>
    public string? View { get; init; }

    /// <summary>What a record that is to be added has already, by field in canonical text: the column in which it is added.</summary>
    public ImmutableSortedDictionary<string, string> NewWith { get; init; } = ImmutableSortedDictionary<string, string>.Empty;

    /// <summary>The columns of a board that are folded, by their values in canonical text.</summary>
    public ImmutableSortedSet<string> Folded { get; init; } = [];

    /// <summary>The day at which a calendar or a timeline is looked at; today where null.</summary>
    public DateOnly? Day { get; init; }

    /// <summary>How much of the calendar is seen at once; as the panel says where null.</summary>
    public string? Span { get; init; }

    /// <inheritdoc/>
    public override bool IsOpen => Selected is not null || IsNew;

    /// <summary>A panel's state as that of a list; the state of a list untouched where it has none.</summary>
    public static ListState Of(PanelState? state) => state as ListState ?? new ListState();

    /// <summary>Reads what <see cref="Parts"/> wrote.</summary>
    public static ListState Read(AddressParts address)
    {
        ArgumentNullException.ThrowIfNull(address);
        var conditions = ImmutableSortedDictionary.CreateBuilder<string, FieldCondition>(StringComparer.Ordinal);
        foreach (var name in address.Names)
        {
            if (name.Split('.', 2) is [var part, { Length: > 0 } field])
            {
                var known = conditions.GetValueOrDefault(field, FieldCondition.None);
                conditions[field] = part switch
                {
                    "is" => known with { Values = address.All(name) },
                    "not" => known with { Not = address.All(name) },
                    "from" => known with { From = address[name] },
                    "to" => known with { To = address[name] },
                    "has" => known with { Contains = address[name] },
                    _ => known,
                };
            }
        }

        var newWith = address
            .Names.Where(name => name.StartsWith("with.", StringComparison.Ordinal) && name.Length > "with.".Length)
            .ToImmutableSortedDictionary(name => name["with.".Length..], name => address[name], StringComparer.Ordinal);

        return new ListState
        {
            Search = address["q"],
            Sort =
            [
                .. address["sort"]
                    .Split(',', StringSplitOptions.RemoveEmptyEntries)
                    .Select(text =>
                        text.StartsWith('-') ? new SortBy(new FieldName(text[1..]), Descending: true) : new SortBy(new FieldName(text))
                    )
                    .DistinctBy(sort => sort.Field)
                    .Take(MostSorted),
            ],
            Page = address.Page("page", 10_000_000),
            After = Text(address["after"]),
            Before = Text(address["before"]),
            Conditions = conditions.Where(pair => !pair.Value.IsEmpty).ToImmutableSortedDictionary(StringComparer.Ordinal),
            View = Text(address["view"]),
            Selected = Text(address["selected"]),
            IsNew = address["new"] == "1",
            NewWith = newWith,
            Folded = [.. address.All("folded").Take(MostChecked)],
            Day =
                DateOnly.TryParseExact(address["day"], DayForm, CultureInfo.InvariantCulture, DateTimeStyles.None, out var day)
                && day.Year is >= 100 and <= 9900
                    ? day
                    : null,
            Span = Text(address["span"]),
            Checked = [.. address.All("checked").Where(key => key.Length > 0).Distinct().Take(MostChecked)],
        };
    }

    /// <summary>The same list, from its start: what follows a change of what it shows.</summary>
    public ListState FromStart() => this with { Page = 1, After = null, Before = null };

    /// <summary>The list without a selected record.</summary>
    public ListState Closed() => this with { Selected = null, IsNew = false, NewWith = NewWith.Clear() };

    /// <inheritdoc/>
    public override PanelState Closed(bool keepsSelection) => keepsSelection ? Closed() with { Selected = Selected } : Closed();

    /// <summary>The list narrowed by a field, from its start.</summary>
    public ListState With(string field, FieldCondition condition) =>
        FromStart() with
        {
            Conditions = condition.IsEmpty ? Conditions.Remove(field) : Conditions.SetItem(field, condition),
        };

    /// <summary>What of it is kept under a name: what is searched, narrowed and ordered.</summary>
    public ListState ToKeep() => Closed().FromStart() with { Checked = [], View = null };

    /// <summary>Whether two states show the same rows, whichever is selected.</summary>
    public bool ShowsTheSameAs(ListState other)
    {
        ArgumentNullException.ThrowIfNull(other);
        return Shown(this).SequenceEqual(Shown(other));
    }

    private static IEnumerable<(string, string)> Shown(ListState list) =>
        (list.Closed() with { Checked = [] }).Parts().Select(part => (part.Name, string.Join('\n', part.Values)));

    /// <inheritdoc/>
    public override IEnumerable<(string Name, ImmutableArray<string> Values)> Parts()
    {
        if (Search.Length > 0)
        {
            yield return ("q", [Search]);
        }

        foreach (var (field, condition) in Conditions)
        {
            if (!condition.Values.IsEmpty)
            {
                yield return ($"is.{field}", condition.Values);
            }

            if (!condition.Not.IsEmpty)
            {
                yield return ($"not.{field}", condition.Not);
            }

            foreach (var (part, value) in new[] { ("from", condition.From), ("to", condition.To), ("has", condition.Contains) })
            {
                if (value.Length > 0)
                {
                    yield return ($"{part}.{field}", [value]);
                }
            }
        }

        if (!Sort.IsEmpty)
        {
            yield return ("sort", [string.Join(',', Sort.Select(sort => (sort.Descending ? "-" : "") + sort.Field))]);
        }

        if (Page > 1)
        {
            yield return ("page", [Page.ToString(CultureInfo.InvariantCulture)]);
        }

        foreach (var (field, value) in NewWith)
        {
            yield return ($"with.{field}", [value]);
        }

        if (!Folded.IsEmpty)
        {
            yield return ("folded", [.. Folded]);
        }

        if (Day is { } day)
        {
            yield return ("day", [day.ToString(DayForm, CultureInfo.InvariantCulture)]);
        }

        var singles = new[]
        {
            ("span", Span),
            ("after", After),
            ("before", Before),
            ("view", View),
            ("selected", Selected),
            ("new", IsNew ? "1" : null),
        };
        foreach (var (name, value) in singles)
        {
            if (value is not null)
            {
                yield return (name, [value]);
            }
        }

        if (!Checked.IsEmpty)
        {
            yield return ("checked", Checked);
        }
    }

    private static string? Text(string value) => value.Length > 0 ? value : null;
}
