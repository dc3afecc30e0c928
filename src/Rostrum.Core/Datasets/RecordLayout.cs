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
