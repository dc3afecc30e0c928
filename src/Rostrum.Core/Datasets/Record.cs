using System.Collections.Immutable;
using System.Text;

namespace Rostrum.Core.Datasets;

/// <summary>Which value stands where in the records of one answer. All records of an answer share one.</summary>
public sealed class RecordLayout
{
    private readonly Dictionary<FieldName, int> _fields = [];
    private readonly Dictionary<FieldName, int> _titles = [];

    /// <param name="fields">The fields, in the order of a record's values.</param>
    /// <param name="titles">The relations whose titles are given, in the order of a record's titles.</param>
    public RecordLayout(IEnumerable<FieldName> fields, IEnumerable<FieldName> titles)
    {
        ArgumentNullException.ThrowIfNull(fields);
        ArgumentNullException.ThrowIfNull(titles);
        foreach (var field in fields)
        {
            _fields.Add(field, _fields.Count);
        }

        foreach (var title in titles)
        {
            _titles.Add(title, _titles.Count);
        }
    }

    /// <summary>The fields that records of this layout carry.</summary>
    public IEnumerable<FieldName> Fields => _fields.Keys;

    internal int IndexOf(FieldName field) => _fields.TryGetValue(field, out var index) ? index : -1;

    internal int IndexOfTitle(FieldName relation) => _titles.TryGetValue(relation, out var index) ? index : -1;
}

/// <summary>One record as it was read: the values of the fields asked for, its own title, and the titles of related records.</summary>
public sealed class Record(RecordLayout layout, RecordKey? key, object?[] values, string title, string?[] titles)
{
    /// <summary>Which fields there are.</summary>
    public RecordLayout Layout { get; } = layout;

    /// <summary>What names the record; null where its dataset has no key.</summary>
    public RecordKey? Key { get; } = key;

    /// <summary>What names it to people.</summary>
    public string Title { get; } = title;

    /// <summary>A field's value: blank, or what <see cref="FieldType"/> says, or <see cref="Unreadable"/>. Fields not asked for are blank.</summary>
    public object? this[FieldName field]
    {
        get
        {
            var index = Layout.IndexOf(field);
            return index < 0 ? null : values[index];
        }
    }

    /// <summary>Whether the field was asked for and may be read.</summary>
    public bool Has(FieldName field) => Layout.IndexOf(field) >= 0;

    /// <summary>The title of the related record; null where there is none or it may not be read.</summary>
    public string? TitleOf(FieldName relation)
    {
        var index = Layout.IndexOfTitle(relation);
        return index < 0 ? null : titles[index];
    }

    /// <summary>The values of some fields.</summary>
    public FieldValues Values(IEnumerable<FieldName> fields) => new(fields.Where(Has).Select(field => KeyValuePair.Create(field, this[field])));
}

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
            text.Append(i > 0 ? "~" : "").Append(part.Replace("%", "%25", StringComparison.Ordinal).Replace("~", "%7E", StringComparison.Ordinal));
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
