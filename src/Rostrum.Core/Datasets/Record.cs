using System.Collections.Immutable;
using System.Text;

namespace Rostrum.Core.Datasets;

/// <summary>One record as it was read: the values of the fields asked for, its own title, and the titles of related records.</summary>
public sealed class Record(RecordLayout layout, RecordKey? key, object?[] values, string title, string?[] titles)
{
    /// <summary>Fields that were asked for and may be read of other records, but not of this one.</summary>
    public ImmutableHashSet<FieldName> Hidden { get; init; } = [];

    /// <summary>Which fields there are.</summary>
    public RecordLayout Layout { get; } = layout;

    /// <summary>What names the record; null where its dataset has no key.</summary>
    public RecordKey? Key { get; } = key;

    /// <summary>What names it to people.</summary>
    public string Title { get; } = title;

    /// <summary>
    /// A field's value: blank, or what <see cref="FieldType"/> says, or <see cref="Unreadable"/>. Fields not asked for are blank.
    /// </summary>
    public object? this[FieldName field]
    {
        get
        {
            var index = Layout.IndexOf(field);
            return index < 0 ? null : values[index];
        }
    }

    /// <summary>Whether the field was asked for and may be read.</summary>
    public bool Has(FieldName field) => Layout.IndexOf(field) >= 0 && !Hidden.Contains(field);

    /// <summary>The title of the related record; null where there is none or it may not be read.</summary>
    public string? TitleOf(FieldName relation)
    {
        var index = Layout.IndexOfTitle(relation);
        return index < 0 ? null : titles[index];
    }

    /// <summary>The values of some fields.</summary>
    public FieldValues Values(IEnumerable<FieldName> fields) =>
        new(fields.Where(Has).Select(field => KeyValuePair.Create(field, this[field])));
}
