using System.Collections.Immutable;
using System.Text;

namespace Rostrum.Core.Datasets;

/// <summary>One record as it was read: the values of the fields asked for, its own title, and the titles of related records.</summary>
public sealed class Record
{
    private readonly object?[] _values;
    private readonly string?[] _titles;
    private readonly Func<object?[], string>? _titled;
    private readonly object?[] _row = [];
    private string? _title;

    /// <param name="layout">Which value stands where.</param>
    /// <param name="key">What names it; null where its dataset has no key.</param>
    /// <param name="values">The values.</param>
    /// <param name="title">What names it to people.</param>
    /// <param name="titles">The titles of related records.</param>
    public Record(RecordLayout layout, RecordKey? key, object?[] values, string title, string?[] titles) =>
        (Layout, Key, _values, _title, _titles) = (layout, key, values, title, titles);

    /// <summary>A record whose title is made when somebody asks for it: most of those that are sent out in a file never are.</summary>
    /// <param name="layout">Which value stands where.</param>
    /// <param name="key">What names it; null where its dataset has no key.</param>
    /// <param name="values">The values.</param>
    /// <param name="titled">Makes the title of a row.</param>
    /// <param name="row">The row.</param>
    /// <param name="titles">The titles of related records.</param>
    public Record(RecordLayout layout, RecordKey? key, object?[] values, Func<object?[], string> titled, object?[] row, string?[] titles) =>
        (Layout, Key, _values, _titled, _row, _titles) = (layout, key, values, titled, row, titles);

    /// <summary>Fields that were asked for and may be read of other records, but not of this one.</summary>
    public ImmutableHashSet<FieldName> Hidden { get; init; } = [];

    /// <summary>Which fields there are.</summary>
    public RecordLayout Layout { get; }

    /// <summary>What names the record; null where its dataset has no key.</summary>
    public RecordKey? Key { get; }

    /// <summary>What names it to people.</summary>
    public string Title => _title ??= _titled!(_row);

    /// <summary>
    /// A field's value: blank, or what <see cref="FieldType"/> says, or <see cref="Unreadable"/>. Fields not asked for are blank.
    /// </summary>
    public object? this[FieldName field]
    {
        get
        {
            var index = Layout.IndexOf(field);
            return index < 0 ? null : _values[index];
        }
    }

    /// <summary>Whether the field was asked for and may be read.</summary>
    public bool Has(FieldName field) => Layout.IndexOf(field) >= 0 && !Hidden.Contains(field);

    /// <summary>The title of the related record; null where there is none or it may not be read.</summary>
    public string? TitleOf(FieldName relation)
    {
        var index = Layout.IndexOfTitle(relation);
        return index < 0 ? null : _titles[index];
    }

    /// <summary>The values of some fields.</summary>
    public FieldValues Values(IEnumerable<FieldName> fields) =>
        new(fields.Where(Has).Select(field => KeyValuePair.Create(field, this[field])));
}
