using System.Collections.Immutable;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.Extensions.Primitives;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live;

/// <summary>The state of a page, as its address carries it: a link shows its reader what its sender saw.</summary>
/// <remarks><c>defects.q</c> is what is searched for in the table <c>defects</c>, <c>period.from</c> what an input holds, <c>vessel</c> a parameter, <c>open</c> the sheets and dialogs that are open.</remarks>
internal sealed record PageState(Page Page)
{
    private const string OpenName = "open";
    private const string FromName = "from";
    private const int LongestWay = 3000;

    private ImmutableSortedDictionary<string, ListState> Lists { get; init; } = ImmutableSortedDictionary.Create<string, ListState>(StringComparer.Ordinal);

    /// <summary>What inputs hold, by the input's name and the member's.</summary>
    public ImmutableSortedDictionary<string, string> Inputs { get; init; } = ImmutableSortedDictionary.Create<string, string>(StringComparer.Ordinal);

    public ImmutableSortedDictionary<string, string> Parameters { get; init; } = ImmutableSortedDictionary.Create<string, string>(StringComparer.Ordinal);

    /// <summary>The tab that is open, by the name of the panel that holds it.</summary>
    public ImmutableSortedDictionary<string, string> Tabs { get; init; } = ImmutableSortedDictionary.Create<string, string>(StringComparer.Ordinal);

    /// <summary>The page from which one came, with its state: an address within the app.</summary>
    public string From { get; init; } = "";

    /// <summary>The sheets and dialogs that are open.</summary>
    public ImmutableArray<string> Open { get; init; } = [];

    public static PageState Read(Page page, IEnumerable<KeyValuePair<string, StringValues>> query)
    {
        var state = new PageState(page);
        var tables = new Dictionary<string, Dictionary<string, StringValues>>();
        foreach (var (name, values) in query)
        {
            var text = values.ToString();
            if (name == OpenName)
            {
                state = state with { Open = [.. values.OfType<string>().Where(panel => page.Find(panel) is { Opens: true }).Distinct()] };
            }
            else if (name == FromName && text.Length is > 0 and <= LongestWay)
            {
                state = state with { From = text };
            }
            else if (name.Split('.', 2) is [var panel, { Length: > 0 } rest])
            {
                switch (page.Find(panel))
                {
                    case ListPanel:
                        tables.TryAdd(panel, []);
                        tables[panel][rest] = values;
                        break;
                    case TabsPanel tabs when rest == "tab" && tabs.Panels.Any(tab => tab.Name == text):
                        state = state with { Tabs = state.Tabs.SetItem(panel, text) };
                        break;
                    case InputPanel when rest is "value" or "from" or "to":
                        state = state with { Inputs = state.Inputs.SetItem(name, text) };
                        break;
                }
            }
            else if (page.Parameters.Any(parameter => parameter.Name == name) && text.Length > 0)
            {
                state = state with { Parameters = state.Parameters.SetItem(name, text) };
            }
        }

        return state with { Lists = tables.ToImmutableSortedDictionary(table => table.Key, table => ListState.Read(table.Value), StringComparer.Ordinal) };
    }

    public ListState List(string table) => Lists.GetValueOrDefault(table) ?? new ListState();

    /// <summary>The page with a table in another state. One record is open at a time.</summary>
    public PageState With(string table, ListState list)
    {
        bool InSheet(string name) => Page.Find(name) is ListPanel { OnChoice: ListPanel.InSheet };
        var others = (list.Selected is not null || list.IsNew) && InSheet(table) ? Lists.Select(other => InSheet(other.Key) ? KeyValuePair.Create(other.Key, other.Value.Closed()) : other) : Lists;
        return this with { Lists = others.ToImmutableSortedDictionary(StringComparer.Ordinal).SetItem(table, list) };
    }

    /// <summary>The page with nothing open: no sheet, no dialog, no record.</summary>
    public PageState AllClosed() => this with
    {
        Open = [],
        Lists = Lists.ToImmutableSortedDictionary(list => list.Key, list => Page.Find(list.Key) is ListPanel { OnChoice: ListPanel.InSheet } ? list.Value.Closed() : list.Value with { IsNew = false }, StringComparer.Ordinal),
    };

    /// <summary>The table whose record is open, or is to be added.</summary>
    public ListPanel? OpenTable => Page.All.OfType<ListPanel>().FirstOrDefault(table => table.OnChoice == ListPanel.InSheet && (List(table.Name).Selected is not null || List(table.Name).IsNew))
        ?? Page.All.OfType<ListPanel>().FirstOrDefault(table => List(table.Name).IsNew);

    /// <summary>The parts of the address, without a question mark where there are none.</summary>
    public string ToQuery() => QueryHelpers.AddQueryString("", Pairs());

    /// <summary>The address of the page in this state, with parts more that are not of the state.</summary>
    public string At(string path, params (string Name, string Value)[] more) => QueryHelpers.AddQueryString(path + ToQuery(), more.Select(part => KeyValuePair.Create(part.Name, (StringValues)part.Value)));

    public IEnumerable<KeyValuePair<string, StringValues>> Pairs()
    {
        foreach (var (name, value) in Parameters.Concat(Inputs.Where(input => input.Value.Length > 0 || Page.Find(input.Key.Split('.')[0]) is InputPanel { Usual: not null })))
        {
            yield return new(name, value);
        }

        foreach (var (table, list) in Lists)
        {
            foreach (var (name, values) in list.Pairs())
            {
                yield return new($"{table}.{name}", values);
            }
        }

        foreach (var (panel, tab) in Tabs)
        {
            yield return new($"{panel}.tab", tab);
        }

        if (!Open.IsEmpty)
        {
            yield return new(OpenName, Open.ToArray());
        }

        if (From.Length > 0)
        {
            yield return new(FromName, From);
        }
    }

    /// <summary>What formulas see otherwise in another state of the same page.</summary>
    public IEnumerable<PageValue> Changed(PageState other) =>
    [
        .. Page.All.OfType<ListPanel>().Where(table => List(table.Name).Selected != other.List(table.Name).Selected).Select(table => new PageValue(table.Name, "selected")),
        .. Page.All.OfType<TablePanel>().Where(table => !List(table.Name).Checked.SequenceEqual(other.List(table.Name).Checked)).Select(table => new PageValue(table.Name, "checked")),
        .. Inputs.Keys.Union(other.Inputs.Keys).Where(name => Inputs.GetValueOrDefault(name) != other.Inputs.GetValueOrDefault(name)).Select(name => new PageValue(name.Split('.')[0], name.Split('.')[1])),
        .. Parameters.Keys.Union(other.Parameters.Keys).Where(name => Parameters.GetValueOrDefault(name) != other.Parameters.GetValueOrDefault(name)).Select(name => new PageValue(PageScope.Parameters, name)),
    ];

    /// <summary>The panels that themselves are otherwise in another state.</summary>
    public IEnumerable<string> ChangedPanels(PageState other) =>
    [
        .. Page.All.OfType<ListPanel>().Where(table => !List(table.Name).ShowsTheSameAs(other.List(table.Name))).Select(table => table.Name),
        .. Tabs.Keys.Union(other.Tabs.Keys).Where(panel => Tabs.GetValueOrDefault(panel) != other.Tabs.GetValueOrDefault(panel)),
        .. Open.Except(other.Open),
        .. other.Open.Except(Open),
    ];
}
