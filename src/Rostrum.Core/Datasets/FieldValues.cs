using System.Collections;
using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>Values of some of a record's fields. Two are equal when the same fields have equal values.</summary>
public sealed class FieldValues(IEnumerable<KeyValuePair<FieldName, object?>> values)
    : IEquatable<FieldValues>,
        IEnumerable<KeyValuePair<FieldName, object?>>
{
    private readonly ImmutableDictionary<FieldName, object?> _values = ImmutableDictionary.CreateRange(values);

    /// <summary>No field.</summary>
    public static FieldValues None { get; } = new([]);

    /// <summary>How many fields have a value here, blank or not.</summary>
    public int Count => _values.Count;

    /// <summary>The fields.</summary>
    public IEnumerable<FieldName> Fields => _values.Keys;

    /// <summary>A field's value; blank where it is not among them.</summary>
    public object? this[FieldName field] => _values.GetValueOrDefault(field);

    /// <summary>Whether the field is among them.</summary>
    public bool Has(FieldName field) => _values.ContainsKey(field);

    /// <summary>The same values with one more or one replaced.</summary>
    public FieldValues With(FieldName field, object? value) => new(_values.SetItem(field, value));

    /// <inheritdoc/>
    public bool Equals(FieldValues? other) =>
        other is not null
        && Count == other.Count
        && _values.All(pair => other.Has(pair.Key) && FieldText.SameValue(pair.Value, other[pair.Key]));

    /// <inheritdoc/>
    public override bool Equals(object? obj) => Equals(obj as FieldValues);

    /// <inheritdoc/>
    public override int GetHashCode() => Fields.Aggregate(Count, (hash, field) => hash ^ field.GetHashCode());

    /// <inheritdoc/>
    public IEnumerator<KeyValuePair<FieldName, object?>> GetEnumerator() => _values.GetEnumerator();

    IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();
}
