using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>What names a record: the values of its dataset's key fields, in order, none of them blank.</summary>
public sealed class RecordKey(ImmutableArray<object> values) : IEquatable<RecordKey>
{
    /// <summary>The values, in the order of the dataset's key.</summary>
    public ImmutableArray<object> Values { get; } = values;

    /// <summary>The key as it stands in an address.</summary>
    public string ToText(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return Values.Length == 1
            ? PartOf(dataset, 0)
            : string.Join('~', Enumerable.Range(0, Values.Length).Select(at => PartOf(dataset, at)));
    }

    private string PartOf(Dataset dataset, int at) =>
        FieldText
            .ToCanonical(dataset[dataset.Key[at]].Type, Values[at])
            .Replace("%", "%25", StringComparison.Ordinal)
            .Replace("~", "%7E", StringComparison.Ordinal);

    /// <summary>Reads what <see cref="ToText"/> wrote; null where it names no record of this dataset.</summary>
    public static RecordKey? Parse(Dataset dataset, string text)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(text);
        var parts = text.Split('~');
        if (parts.Length != dataset.Key.Length || dataset.Key.Length == 0)
        {
            return null;
        }

        var values = ImmutableArray.CreateBuilder<object>(parts.Length);
        foreach (var (part, name) in parts.Zip(dataset.Key))
        {
            var canonical = part.Replace("%7E", "~", StringComparison.Ordinal).Replace("%25", "%", StringComparison.Ordinal);
            if (FieldText.FromCanonical(dataset[name].Type, canonical) is not Parsed.Value { Is: { } value })
            {
                return null;
            }

            values.Add(value);
        }

        return new RecordKey(values.MoveToImmutable());
    }

    /// <inheritdoc/>
    public bool Equals(RecordKey? other) => other is not null && Values.SequenceEqual(other.Values);

    /// <inheritdoc/>
    public override bool Equals(object? obj) => Equals(obj as RecordKey);

    /// <inheritdoc/>
    public override int GetHashCode() => Values.Aggregate(17, HashCode.Combine);
}
