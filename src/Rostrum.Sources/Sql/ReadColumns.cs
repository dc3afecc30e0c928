using System.Collections.Immutable;
using System.Data.Common;
using System.Runtime.InteropServices;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Apart;
using Rostrum.Sources.Memory;

namespace Rostrum.Sources.Sql;

/// <summary>The columns of a SELECT, each expression once.</summary>
internal sealed class SelectedColumns(SqlEngine engine)
{
    private readonly Dictionary<string, int> _indexes = [];
    private SqlCodec[]? _codecs;

    public List<Leaf> Leaves { get; } = [];

    public string Sql =>
        Leaves.Count == 0 ? "1" : string.Join(", ", Leaves.Select(leaf => engine.CodecOf(leaf.Field.Type).Selected(leaf.Sql)));

    public int Add(Leaf leaf)
    {
        if (!_indexes.TryGetValue(leaf.Sql, out var index))
        {
            index = Leaves.Count;
            _indexes.Add(leaf.Sql, index);
            Leaves.Add(leaf);
        }

        return index;
    }

    public object?[] Read(DbDataReader reader)
    {
        var codecs = _codecs ??= [.. Leaves.Select(leaf => engine.CodecOf(leaf.Field.Type))];
        var row = new object?[codecs.Length];
        for (var i = 0; i < row.Length; i++)
        {
            row[i] = SqlEngine.Read(reader, i, codecs[i]);
        }

        return row;
    }
}

/// <summary>What a request wants of each record, as columns of its statement and as formulas for memory; makes records of rows.</summary>
internal sealed class ReadColumns
{
    private readonly RecordFormat _format;
    private readonly Dataset _dataset;
    private readonly RecordLayout _layout;
    private readonly ImmutableArray<int> _fields;
    private readonly ImmutableArray<(FieldName Field, int Shows)> _sometimes;
    private readonly ImmutableArray<(int Column, int Memory)> _computed;
    private readonly ImmutableArray<int> _key;
    private readonly ImmutableArray<TitleColumn> _title;
    private readonly ImmutableArray<ImmutableArray<TitleColumn>> _related;
    private readonly List<(int Column, ApartField Field)> _apartFields = [];
    private readonly ImmutableArray<(int Title, int Column, Relation Relation, Dataset Target)> _apart;
    private readonly OtherSources _others;
    private readonly string _untitled;

    // A part of a title: its column, and where it is of another source, which of the fields there.
    private sealed record TitleColumn(int Column, int Apart);

    public ReadColumns(
        SelectPlan plan,
        ReadRequest request,
        RequestFormulas formulas,
        MemoryPart memory,
        RecordFormat format,
        OtherSources others
    )
    {
        (_dataset, _format, _others, Selected) = (plan.Dataset, format, others, new SelectedColumns(plan.Engine));
        _untitled = $"{_dataset.RecordLabel} without a name";
        var titles = request
            .Titles.Select(name => _dataset.Relations.FirstOrDefault(relation => relation.Name == name))
            .OfType<Relation>()
            .ToArray();
        _fields = [.. request.Fields.Select(name => Selected.Add(plan.Own(name)))];
        _sometimes =
        [
            .. request
                .Fields.Select(name => (name, Leaf: plan.Shows(name)))
                .Where(field => field.Leaf is not null)
                .Select(field => (field.name, Selected.Add(field.Leaf!))),
        ];
        _computed =
        [
            .. request.Computed.Select(column =>
                plan.Computed(column.Name).Leaf is { } leaf ? (Selected.Add(leaf), -1) : (-1, memory.Add(formulas.Columns[column.Name]))
            ),
        ];
        _key = [.. _dataset.Key.Select(name => Selected.Add(plan.Stored(name)))];
        _title = TitleColumns(plan.TitleParts(null));
        _related = [.. titles.Select(relation => plan.ApartTarget(relation) is null ? TitleColumns(plan.TitleParts(relation)) : [])];
        _apart =
        [
            .. titles
                .Select((relation, at) => (at, relation, Target: plan.ApartTarget(relation)))
                .Where(title => title.Target is not null)
                .Select(title => (title.at, Selected.Add(plan.Own(title.relation.Field)), title.relation, title.Target!)),
        ];
        _layout = new RecordLayout(
            request.Fields.Concat(request.Computed.Select(column => column.Name)),
            titles.Select(relation => relation.Name)
        );
    }

    private ImmutableArray<TitleColumn> TitleColumns(ImmutableArray<TitlePart> parts) =>
        [
            .. parts.Select(part =>
            {
                var column = Selected.Add(part.Leaf);
                if (part.Apart is not { } apart)
                {
                    return new TitleColumn(column, -1);
                }

                _apartFields.Add((column, apart));
                return new TitleColumn(column, _apartFields.Count - 1);
            }),
        ];

    public SelectedColumns Selected { get; }

    public bool HasKey => !_key.IsEmpty;

    /// <summary>The rows as records, with the titles of other sources' records.</summary>
    public async Task<ImmutableArray<Record>> RecordsAsync(
        IReadOnlyList<object?[]> rows,
        IReadOnlyList<object?[]> computed,
        CancellationToken cancellation
    )
    {
        var elsewhere = await Task.WhenAll(
            _apart.Select(apart => _others.TitlesAsync(apart.Relation, apart.Target, Values(rows, apart.Column), cancellation))
        );
        var fields = await Task.WhenAll(
            _apartFields.Select(apart => _others.ValuesAsync(apart.Field, Values(rows, apart.Column), cancellation))
        );
        string Titled(object?[] row) => TitleText(_title, row, fields, _untitled)!;
        var records = ImmutableArray.CreateBuilder<Record>(rows.Count);
        for (var number = 0; number < rows.Count; number++)
        {
            var (row, titles) = (rows[number], TitlesHere(rows[number], fields));
            for (var at = 0; at < _apart.Length; at++)
            {
                titles[_apart[at].Title] = row[_apart[at].Column] is { } value ? elsewhere[at].GetValueOrDefault(value) : null;
            }

            records.Add(AsRecord(row, computed[number], titles, Titled));
        }

        return records.MoveToImmutable();
    }

    private static object[] Values(IReadOnlyList<object?[]> rows, int column) =>
        [.. rows.Select(row => row[column]).Where(value => value is not (null or Unreadable)).OfType<object>().Distinct()];

    /// <summary>One row as a record, without the titles of other sources' records.</summary>
    public Record AsRecord(object?[] row, object?[] computed) =>
        AsRecord(row, computed, TitlesHere(row, []), known => TitleText(_title, known, [], _untitled)!);

    private string?[] TitlesHere(object?[] row, IReadOnlyDictionary<object, object?>[] apart)
    {
        if (_related.IsEmpty)
        {
            return [];
        }

        var titles = new string?[_related.Length];
        for (var at = 0; at < titles.Length; at++)
        {
            titles[at] = TitleText(_related[at], row, apart, null);
        }

        return titles;
    }

    private Record AsRecord(object?[] row, object?[] computed, string?[] titles, Func<object?[], string> titled) =>
        new(_layout, HasKey ? KeyOf(row) : null, ValuesOf(row, computed), titled, row, titles)
        {
            Hidden = _sometimes.IsEmpty ? [] : [.. _sometimes.Where(field => row[field.Shows] is not 1L).Select(field => field.Field)],
        };

    private RecordKey KeyOf(object?[] row)
    {
        var values = new object[_key.Length];
        for (var at = 0; at < values.Length; at++)
        {
            values[at] = row[_key[at]] ?? throw new InvalidOperationException("a key is blank");
        }

        return new RecordKey(ImmutableCollectionsMarshal.AsImmutableArray(values));
    }

    private object?[] ValuesOf(object?[] row, object?[] computed)
    {
        var values = new object?[_fields.Length + _computed.Length];
        for (var at = 0; at < _fields.Length; at++)
        {
            values[at] = row[_fields[at]];
        }

        for (var at = 0; at < _computed.Length; at++)
        {
            var (column, memory) = _computed[at];
            values[_fields.Length + at] =
                column >= 0 ? ComputedLeaf.Carried(Selected.Leaves[column].Field, row[column], _format.Zone) : computed[memory];
        }

        return values;
    }

    // What another source does not say, and what was not asked, is no part of the title.
    private string? TitleText(ImmutableArray<TitleColumn> parts, object?[] row, IReadOnlyDictionary<object, object?>[] apart, string? blank)
    {
        object? ValueOf(TitleColumn part) =>
            part.Apart < 0 ? row[part.Column]
            : part.Apart < apart.Length && row[part.Column] is { } key ? apart[part.Apart].GetValueOrDefault(key)
            : null;
        Field FieldOf(TitleColumn part) => part.Apart < 0 ? Selected.Leaves[part.Column].Field : _apartFields[part.Apart].Field.Field;
        if (parts is [var only])
        {
            return ValueOf(only) is not { } value ? blank
                : _format.Display(FieldOf(only), value) is { Length: > 0 } text ? text
                : blank ?? "";
        }

        var (texts, isBlank) = (new string[parts.Length], true);
        for (var at = 0; at < texts.Length; at++)
        {
            var value = ValueOf(parts[at]);
            isBlank &= value is null;
            texts[at] = _format.Display(FieldOf(parts[at]), value);
        }

        return isBlank ? blank : RecordFormat.Title(texts, blank ?? "");
    }

    public static string? TitleText(
        RecordFormat format,
        SelectedColumns columns,
        ImmutableArray<int> parts,
        object?[] row,
        string? blank
    ) =>
        parts.All(index => row[index] is null)
            ? blank
            : RecordFormat.Title(parts.Select(index => format.Display(columns.Leaves[index].Field, row[index])), blank ?? "");
}
