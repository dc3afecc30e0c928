using System.Collections.Concurrent;

namespace Rostrum.Core;

/// <summary>Values that were made once and are kept by a key: so many at the most, and then it begins anew.</summary>
/// <param name="most">How many are kept.</param>
internal sealed class KeptValues<TKey, TValue>(int most)
    where TKey : notnull
{
    private readonly ConcurrentDictionary<TKey, TValue> _known = new();

    /// <summary>The value of a key, made where it is not known.</summary>
    /// <param name="key">The key.</param>
    /// <param name="make">Makes it of the key and of what is given along; more than once where several ask at the same moment.</param>
    /// <param name="given">What is given along.</param>
    public TValue Get<TGiven>(TKey key, Func<TKey, TGiven, TValue> make, TGiven given)
    {
        if (_known.TryGetValue(key, out var found))
        {
            return found;
        }

        // To count them locks all of it, so it is done only where one is added.
        if (_known.Count >= most)
        {
            _known.Clear();
        }

        return _known.GetOrAdd(key, make, given);
    }
}
