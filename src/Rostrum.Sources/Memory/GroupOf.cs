using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Memory;

/// <summary>What tells a group of records from others: its values, and the titles of the records to which they refer.</summary>
internal sealed record GroupOf(ImmutableArray<object?> Values, ImmutableArray<string?> Titles)
{
    public bool Equals(GroupOf? other) => other is not null && Values.SequenceEqual(other.Values) && Titles.SequenceEqual(other.Titles);

    public override int GetHashCode() => Values.Aggregate(0, HashCode.Combine);
}

/// <summary>Computes measures over the records of one group as they come.</summary>
internal sealed class GroupMeasures(ImmutableArray<FieldTotal?> measures)
{
    private readonly Dictionary<object, long>[] _values = [.. measures.Select(_ => new Dictionary<object, long>())];

    /// <summary>How many records there are.</summary>
    public long Count { get; private set; }

    public ImmutableArray<decimal?> Numbers =>
        [
            .. measures.Select(
                (measure, at) =>
                    measure is { } total
                        ? FieldTotal.Over(total.Total, [.. _values[at].Select(pair => (pair.Key, pair.Value))])
                        : (decimal?)Count
            ),
        ];

    public void Add(Record record)
    {
        Count++;
        for (var at = 0; at < measures.Length; at++)
        {
            if (measures[at] is { } total && record[total.Field] is { } value and not Unreadable)
            {
                _values[at][value] = _values[at].GetValueOrDefault(value) + 1;
            }
        }
    }
}
