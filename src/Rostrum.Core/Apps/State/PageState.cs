using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Core.Apps.State;

/// <summary>The state of a page, as its address carries it: a link shows its reader what its sender saw.</summary>
/// <remarks><c>defects.q</c> is what is searched for in the table <c>defects</c>, <c>period.from</c> what an input holds, <c>vessel</c> a
/// parameter, <c>open</c> the sheets and dialogs that are open.</remarks>
public sealed record PageState(Page Page)
{
    private const string OpenName = "open";
    private const string FromName = "from";
    private const int LongestWay = 3000;

    private static readonly ImmutableSortedDictionary<string, PanelState> NoPanels = ImmutableSortedDictionary.Create<string, PanelState>(
        StringComparer.Ordinal
    );

    private ImmutableSortedDictionary<string, PanelState> Panels { get; init; } = NoPanels;

    /// <summary>What the address says to the page.</summary>
    public ImmutableSortedDictionary<string, string> Parameters { get; init; } =
        ImmutableSortedDictionary.Create<string, string>(StringComparer.Ordinal);

    /// <summary>The page from which one came, with its state: an address within the app.</summary>
    public string From { get; init; } = "";

    /// <summary>The sheets and dialogs that are open.</summary>
    public ImmutableArray<string> Open { get; init; } = [];

    /// <summary>Reads what <see cref="Parts"/> wrote. What says nothing to the page is left out.</summary>
    public static PageState Read(Page page, IEnumerable<KeyValuePair<string, ImmutableArray<string>>> address)
    {
        ArgumentNullException.ThrowIfNull(page);
        ArgumentNullException.ThrowIfNull(address);
        var state = new PageState(page);
        var panels = new Dictionary<string, Dictionary<string, ImmutableArray<string>>>(StringComparer.Ordinal);
        foreach (var (name, values) in address)
        {
            var text = string.Join(',', values);
            if (name == OpenName)
            {
                state = state with { Open = [.. values.Where(panel => page.Find(panel) is { Opens: true }).Distinct()] };
            }
            else if (name == FromName && text.Length is > 0 and <= LongestWay)
            {
                state = state with { From = text };
            }
            else if (name.Split('.', 2) is [var panel, { Length: > 0 } rest])
            {
                panels.TryAdd(panel, []);
                panels[panel][rest] = values;
            }
            else if (page.Parameters.Any(parameter => parameter.Name == name) && text.Length > 0)
            {
                state = state with { Parameters = state.Parameters.SetItem(name, text) };
            }
        }

        var known =
            from parts in panels
            let of = page.Find(parts.Key)?.ReadState(new AddressParts(parts.Value))
            where of is not null
            select KeyValuePair.Create(parts.Key, of);
        return state with { Panels = NoPanels.AddRange(known) };
    }

    /// <summary>A panel's state; null where it has none.</summary>
    public PanelState? Of(string panel) => Panels.GetValueOrDefault(panel);

    /// <summary>The page with a panel in another state. One record is open in a sheet at a time.</summary>
    public PageState With(string panel, PanelState? state)
    {
        if (state is null)
        {
            return this with { Panels = Panels.Remove(panel) };
        }

        var others =
            state.IsOpen && OpensRecords(panel)
                ? Panels.Select(other =>
                    OpensRecords(other.Key) ? KeyValuePair.Create(other.Key, other.Value.Closed(keepsSelection: false)) : other
                )
                : Panels;
        return this with { Panels = others.ToImmutableSortedDictionary(StringComparer.Ordinal).SetItem(panel, state) };
    }

    /// <summary>The page with nothing open: no sheet, no dialog, no record.</summary>
    public PageState AllClosed() =>
        this with
        {
            Open = [],
            Panels = Panels.ToImmutableSortedDictionary(
                panel => panel.Key,
                panel => panel.Value.Closed(keepsSelection: !OpensRecords(panel.Key)),
                StringComparer.Ordinal
            ),
        };

    /// <summary>The list whose record is open, or is to be added.</summary>
    public ListPanel? OpenTable =>
        Page.All.OfType<ListPanel>().FirstOrDefault(list => list.OpensRecords && Of(list.Name) is { IsOpen: true })
        ?? Page.All.OfType<ListPanel>().FirstOrDefault(list => Of(list.Name) is ListState { IsNew: true });

    /// <summary>All that the address carries, in its order.</summary>
    public IEnumerable<(string Name, ImmutableArray<string> Values)> Parts()
    {
        foreach (var (name, value) in Parameters)
        {
            yield return (name, [value]);
        }

        foreach (var (panel, state) in Panels)
        {
            foreach (var (name, values) in state.Parts())
            {
                yield return ($"{panel}.{name}", values);
            }
        }

        if (!Open.IsEmpty)
        {
            yield return (OpenName, Open);
        }

        if (From.Length > 0)
        {
            yield return (FromName, [From]);
        }
    }

    /// <summary>What formulas see otherwise in another state of the same page.</summary>
    public IEnumerable<PageValue> Changed(PageState other)
    {
        ArgumentNullException.ThrowIfNull(other);
        var parameters = Parameters
            .Keys.Union(other.Parameters.Keys)
            .Where(name => Parameters.GetValueOrDefault(name) != other.Parameters.GetValueOrDefault(name));
        return
        [
            .. from panel in Page.All
            from member in panel.ChangedMembers(Of(panel.Name), other.Of(panel.Name))
            select new PageValue(panel.Name, member),
            .. from name in parameters select new PageValue(PageScope.Parameters, name),
        ];
    }

    /// <summary>The panels that themselves look otherwise in another state.</summary>
    public IEnumerable<string> ChangedPanels(PageState other)
    {
        ArgumentNullException.ThrowIfNull(other);
        return
        [
            .. from panel in Page.All where !panel.LooksTheSame(Of(panel.Name), other.Of(panel.Name)) select panel.Name,
            .. Open.Except(other.Open),
            .. other.Open.Except(Open),
        ];
    }

    private bool OpensRecords(string panel) => Page.Find(panel) is { OpensRecords: true };
}
