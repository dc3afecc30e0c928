using System.Collections.Frozen;
using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps;

/// <summary>Which panels of a page depend on what.</summary>
/// <remarks>A panel reads members of others. Some of those are known from the page's address; others only once the panel that gives them
/// has been read, and so an effect passes on through it.</remarks>
public sealed class PageGraph
{
    private readonly FrozenDictionary<string, FrozenSet<PageValue>> _reads;
    private readonly FrozenDictionary<string, FrozenSet<DatasetId>> _datasets;
    private readonly FrozenSet<PageValue> _fromContent;
    private readonly FrozenDictionary<string, FrozenSet<string>> _waitsFor;
    private readonly FrozenSet<string> _inCycles;

    /// <param name="scope">The page and its names.</param>
    public PageGraph(PageScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        var panels = scope.Page.All.DistinctBy(panel => panel.Name).ToArray();
        var formulas = panels.ToDictionary(
            panel => panel.Name,
            panel =>
                scope
                    .Formulas(panel)
                    .Where(formula => formula.Place is { Earlier.IsEmpty: true } && !formula.Setting.Kind.HoldsActions)
                    .ToArray()
        );
        _reads = panels.ToFrozenDictionary(
            panel => panel.Name,
            panel => formulas[panel.Name].SelectMany(formula => scope.Reads(formula.Formula)).ToFrozenSet()
        );
        _datasets = panels.ToFrozenDictionary(
            panel => panel.Name,
            panel =>
                formulas[panel.Name]
                    .SelectMany(formula => scope.Datasets(formula.Formula))
                    .Concat(panel.Of is { } of ? [of] : [])
                    .ToFrozenSet()
        );
        _fromContent = panels
            .SelectMany(panel =>
                scope.MembersOf(panel.Name).Where(member => member.FromContent).Select(member => new PageValue(panel.Name, member.Name))
            )
            .ToFrozenSet();
        _waitsFor = panels.ToFrozenDictionary(
            panel => panel.Name,
            panel =>
                _reads[panel.Name]
                    .Where(_fromContent.Contains)
                    .Select(value => panels.First(other => other.Name.Equals(value.Panel, StringComparison.OrdinalIgnoreCase)).Name)
                    .ToFrozenSet()
        );
        Order = [.. panels.Select(panel => panel.Name)];
        Order = InOrder();
        _inCycles = Order.Where(panel => Way(panel, panel, []) is not null).ToFrozenSet();
    }

    /// <summary>The panels, each after those whose content it needs; those in a cycle come last.</summary>
    public ImmutableArray<string> Order { get; }

    /// <summary>The panels whose content a panel needs.</summary>
    public IReadOnlySet<string> WaitsFor(string panel) => _waitsFor.GetValueOrDefault(panel) ?? FrozenSet<string>.Empty;

    /// <summary>What a panel reads of others.</summary>
    public IReadOnlySet<PageValue> Reads(string panel) => _reads.GetValueOrDefault(panel) ?? FrozenSet<PageValue>.Empty;

    /// <summary>The panels to which a change of some members matters, in the order in which they are read.</summary>
    public ImmutableArray<string> Affected(IEnumerable<PageValue> changed) =>
        Closure([.. Order.Where(panel => changed.Any(value => _reads[panel].Contains(value)))]);

    /// <summary>The panels to which a change of a dataset's records matters.</summary>
    /// <param name="changed">The dataset.</param>
    /// <param name="catalogue">The datasets: those that refer to it show its titles.</param>
    public ImmutableArray<string> Affected(DatasetId changed, DatasetCatalogue catalogue)
    {
        ArgumentNullException.ThrowIfNull(catalogue);
        var touched = catalogue
            .All.Where(dataset =>
                dataset.Id == changed
                || dataset.Relations.Any(relation => relation.Target == changed)
                || dataset.Fields.Any(field => field.Formula is not null)
            )
            .Select(dataset => dataset.Id)
            .ToHashSet();
        return Closure([.. Order.Where(panel => _datasets[panel].Overlaps(touched))]);
    }

    /// <summary>Panels that need each other's content, one after the other; none where there is no such ring.</summary>
    public ImmutableArray<string> Cycle()
    {
        foreach (var start in _waitsFor.Keys.Order(StringComparer.Ordinal))
        {
            if (Way(start, start, []) is { } ring)
            {
                return [.. ring];
            }
        }

        return [];
    }

    /// <summary>Whether a panel waits, by way of others, for itself.</summary>
    public bool IsInCycle(string panel) => _inCycles.Contains(panel);

    private ImmutableList<string>? Way(string from, string to, HashSet<string> seen)
    {
        foreach (var next in _waitsFor[from].Order(StringComparer.Ordinal))
        {
            if (next == to)
            {
                return [from, to];
            }

            if (seen.Add(next) && Way(next, to, seen) is { } rest)
            {
                return rest.Insert(0, from);
            }
        }

        return null;
    }

    // What is read anew has new content, and that matters to whoever needs it.
    private ImmutableArray<string> Closure(HashSet<string> affected)
    {
        for (var count = -1; count != affected.Count; )
        {
            count = affected.Count;
            affected.UnionWith(Order.Where(panel => _waitsFor[panel].Overlaps(affected)));
        }

        return [.. Order.Where(affected.Contains)];
    }

    private ImmutableArray<string> InOrder()
    {
        var done = new HashSet<string>();
        var order = ImmutableArray.CreateBuilder<string>(Order.Length);
        while (Order.FirstOrDefault(panel => !done.Contains(panel) && done.IsSupersetOf(_waitsFor[panel])) is { } next)
        {
            done.Add(next);
            order.Add(next);
        }

        order.AddRange(Order.Where(panel => !done.Contains(panel)));
        return order.ToImmutable();
    }
}
