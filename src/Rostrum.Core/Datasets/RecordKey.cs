using System.Collections.Immutable;
using System.Text;

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
        var text = new StringBuilder();
        for (var i = 0; i < Values.Length; i++)
        {
            var part = FieldText.ToCanonical(dataset[dataset.Key[i]].Type, Values[i]);
            text.Append(i > 0 ? "~" : "")
                .Append(part.Replace("%", "%25", StringComparison.Ordinal).Replace("~", "%7E", StringComparison.Ordinal));
        }

        return text.ToString();
    }

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
