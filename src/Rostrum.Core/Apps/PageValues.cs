using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps;

/// <summary>What the names of a page stand for in one look at it. Most of it is put in while the page is read.</summary>
public sealed class PageValues
{
    private readonly Dictionary<string, (FormulaShape Shape, object?[] Values)> _panels = new(StringComparer.OrdinalIgnoreCase);

    /// <param name="scope">The names.</param>
    /// <param name="user">Who is signed in.</param>
    public PageValues(PageScope scope, SignedIn? user)
    {
        ArgumentNullException.ThrowIfNull(scope);
        var given = SignedIn.Given(user).ToBuilder();
        foreach (var (name, shape) in scope.PanelShapes)
        {
            var values = new object?[shape.Members.Length];
            _panels.Add(name, (shape, values));
            given.TryAdd(name, new FormulaRecord(shape, values));
        }

        Given = given.ToImmutable();
    }

    /// <summary>The names with their values, for evaluating: what is put in later is seen too.</summary>
    public ImmutableDictionary<string, object?> Given { get; }

    /// <summary>What a member stands for.</summary>
    public object? this[PageValue of]
    {
        get =>
            _panels.TryGetValue(of.Panel, out var known) && known.Shape.IndexOf(of.Member) is >= 0 and var index
                ? known.Values[index]
                : null;
        set
        {
            if (_panels.TryGetValue(of.Panel, out var known) && known.Shape.IndexOf(of.Member) is >= 0 and var index)
            {
                known.Values[index] = value;
            }
        }
    }

    /// <summary>The values at a place where steps have come to something before it.</summary>
    /// <param name="results">What came of each, by the step's name; under <see cref="PageScope.Failure"/> what went wrong.</param>
    public ImmutableDictionary<string, object?> After(IReadOnlyDictionary<string, object?> results)
    {
        ArgumentNullException.ThrowIfNull(results);
        return Given.SetItems(
            results.Select(result =>
                result.Key == PageScope.Failure
                    ? KeyValuePair.Create(result.Key, (object?)new FormulaRecord(PageScope.FailureShape, [result.Value]))
                    : result
            )
        );
    }
}
