using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>
/// Reads single records as formulas see them: with the values, the related records and the lists that some formulas look at.
/// </summary>
/// <remarks>Everything is asked of the gate, so that what may not be read is not there.</remarks>
/// <param name="gate">The gate.</param>
/// <param name="catalogue">The datasets.</param>
/// <param name="shapes">The names of their records, within the person's rights.</param>
/// <param name="grants">The person's grants.</param>
/// <param name="now">The moment.</param>
public sealed class FormulaRecords(RecordGate gate, DatasetCatalogue catalogue, DatasetShapes shapes, Grants grants, DateTimeOffset now)
{
    private const int MostOfAList = 10_000;

    /// <summary>No records by any value.</summary>
    internal static ILookup<object, FormulaRecord> None { get; } = Array.Empty<FormulaRecord>().ToLookup(_ => (object)"");

    /// <summary>A record by its key; null where it is not there for the person.</summary>
    /// <param name="dataset">The dataset.</param>
    /// <param name="key">Names the record.</param>
    /// <param name="needs">What is looked at.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<FormulaRecord?> ReadAsync(Dataset dataset, RecordKey key, FormulaNeeds needs, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return await ReadAsync(ReadRequest.Of(dataset, key), dataset, needs, cancellation) is [var record, ..] ? record : null;
    }

    /// <summary>Several records by their keys, in no certain order; those that are not there for the person are left out.</summary>
    /// <param name="dataset">The dataset.</param>
    /// <param name="keys">Name the records.</param>
    /// <param name="needs">What is looked at.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<ImmutableArray<FormulaRecord>> ReadAsync(
        Dataset dataset,
        IReadOnlyCollection<RecordKey> keys,
        FormulaNeeds needs,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(keys);
        return keys.Count == 0 ? [] : await ReadAsync(ReadRequest.Of(dataset, keys), dataset, needs, cancellation);
    }

    /// <summary>What came of a request, and the records that it gives by the values of a field; none where it gives no rows.</summary>
    internal async Task<(ReadResult Result, ILookup<object, FormulaRecord> Records)> ByAsync(
        Dataset dataset,
        ReadRequest request,
        FieldName by,
        FormulaNeeds needs,
        CancellationToken cancellation
    )
    {
        var plan = new Plan(shapes.Of(dataset), needs);
        var result = await gate.ReadAsync(catalogue, plan.Asked(request with { Fields = [by] }, shapes, now), grants, cancellation);
        var rows = result is ReadResult.Rows read ? read.Records : [];
        var records = await RecordsAsync(plan, rows, cancellation);
        return (
            result,
            rows.Zip(records)
                .Where(pair => pair.First[by] is not null && pair.Second is not null)
                .ToLookup(pair => pair.First[by]!, pair => pair.Second!)
        );
    }

    private async Task<ImmutableArray<FormulaRecord>> ReadAsync(
        ReadRequest request,
        Dataset dataset,
        FormulaNeeds needs,
        CancellationToken cancellation
    )
    {
        var plan = new Plan(shapes.Of(dataset), needs);
        return await gate.ReadAsync(catalogue, plan.Asked(request, shapes, now), grants, cancellation) is ReadResult.Rows rows
            ? [.. (await RecordsAsync(plan, rows.Records, cancellation)).OfType<FormulaRecord>()]
            : [];
    }

    private async Task<FormulaRecord?[]> RecordsAsync(Plan plan, ImmutableArray<Record> rows, CancellationToken cancellation)
    {
        var ones = new List<(int Index, FormulaRecord?[] Records)>();
        foreach (var (index, one) in plan.Ones)
        {
            ones.Add((index, await RecordsAsync(one, rows, cancellation)));
        }

        var lists = new List<(int Index, FieldName Column, Field Field, ILookup<object, FormulaRecord> Records)>();
        foreach (var (index, from, relation, needs, column) in plan.Lists)
        {
            // All records of the list for all rows at once, as many as each by itself would have.
            var field = from.Dataset[relation.Field];
            ImmutableArray<object?> wanted =
            [
                .. rows.Select(row => Referring(field, row[column])).Where(value => value is not null).Distinct(),
            ];
            var request = new ReadRequest(from.Dataset.Id)
            {
                Filter = new Filter.OneOf(relation.Field, wanted),
                Window = new PageWindow.FromStart(0, MostOfAList * wanted.Length),
            };
            var records = wanted.IsEmpty ? None : (await ByAsync(from.Dataset, request, relation.Field, needs, cancellation)).Records;
            lists.Add((index, column, field, records));
        }

        return [.. rows.Select((row, number) => RecordOf(plan, row, number, ones, lists))];
    }

    private static FormulaRecord? RecordOf(
        Plan plan,
        Record row,
        int number,
        List<(int Index, FormulaRecord?[] Records)> ones,
        List<(int Index, FieldName Column, Field Field, ILookup<object, FormulaRecord> Records)> lists
    )
    {
        var identity =
            plan.IsRoot ? row.Key
            : plan.Key.IsEmpty ? null
            : plan.Key.Select(column => row[column]).ToArray() is var parts && parts.All(part => part is not null)
                ? new RecordKey([.. parts.Select((part, at) => AsKey(plan.Shape.Dataset[plan.Shape.Dataset.Key[at]], part!))])
            : null;
        if (identity is null && !plan.IsRoot && !plan.Key.IsEmpty)
        {
            return null;
        }

        var values = new object?[plan.Shape.Shape.Members.Length];
        foreach (var (index, column) in plan.Values)
        {
            values[index] = row[column];
        }

        foreach (var (index, field) in plan.Whole)
        {
            values[index] = ComputedLeaf.Carried(field, row[field.Name], TimeZoneInfo.Utc);
        }

        foreach (var (index, records) in ones)
        {
            values[index] = records[number];
        }

        foreach (var (index, column, field, records) in lists)
        {
            values[index] = Referring(field, row[column]) is { } wanted
                ? records[wanted].Cast<object?>().ToArray()
                : Array.Empty<object?>();
        }

        return new FormulaRecord(plan.Shape.Shape, values, identity);
    }

    // What stands in the field of a record that refers to a value.
    private static object? Referring(Field field, object? value) => value is null ? null : FieldValue(field, value);

    private static object AsKey(Field field, object value) => FieldValue(field, value) ?? value;

    // A formula's value as the field's own: whole numbers are decimals for formulas.
    private static object? FieldValue(Field field, object value) =>
        DatasetShapes.TypeOf(field) is { } type && FieldDefault.FieldValue(field.Type, type, value, TimeZoneInfo.Utc) is Parsed.Value parsed
            ? parsed.Is
            : null;

    // Which columns of one statement carry what is looked at.
    private sealed class Plan
    {
        private readonly List<ComputedColumn> _columns;

        public Plan(DatasetShape shape, FormulaNeeds needs)
            : this(shape, needs, "", []) { }

        private Plan(DatasetShape shape, FormulaNeeds needs, string path, List<ComputedColumn> columns)
        {
            (_columns, IsRoot) = (columns, path.Length == 0);
            FieldName Column(string formula)
            {
                if (columns.FirstOrDefault(column => column.Formula == formula) is not { } known)
                {
                    columns.Add(known = new ComputedColumn(new FieldName($"value {columns.Count}"), formula));
                }

                return known.Name;
            }

            bool IsWhole(int index) => shape.Shape.Members[index].Value is FormulaType.List or FormulaType.Json;
            string Way(int index) => path + Formatter.Name(shape.Shape.Members[index].Key);
            Shape = shape;
            Key =
                path.Length == 0
                    ? []
                    :
                    [
                        .. shape
                            .Dataset.Key.Select(name => shape.Shape.IndexOf(name.Value))
                            .Where(index => index >= 0)
                            .Select(index => Column(Way(index))),
                    ];
            Whole = IsRoot ? [.. needs.Values.Where(IsWhole).Select(index => (index, ((ShapeMember.Value)shape[index]).Field))] : [];
            Values = [.. needs.Values.Where(index => !IsWhole(index)).Select(index => (index, Column(Way(index))))];
            Ones =
            [
                .. needs
                    .Records.Where(one => shape[one.Key] is ShapeMember.ToOne)
                    .Select(one => (one.Key, new Plan(((ShapeMember.ToOne)shape[one.Key]).Target, one.Value, Way(one.Key) + ".", columns))),
            ];
            Lists =
            [
                .. from list in needs.Lists
                let many = shape[list.Key] as ShapeMember.ToMany
                where many is not null
                let target = shape.Shape.IndexOf(many.Relation.TargetField.Value)
                where target >= 0
                select (list.Key, many.From, many.Relation, list.Value, Column(path + Formatter.Name(many.Relation.TargetField.Value))),
            ];
        }

        public DatasetShape Shape { get; }

        /// <summary>It is the records that were asked for, and not one to which they lead.</summary>
        public bool IsRoot { get; }

        /// <summary>The request with what is looked at as columns.</summary>
        public ReadRequest Asked(ReadRequest request, DatasetShapes shapes, DateTimeOffset now) =>
            request with
            {
                Fields = [.. request.Fields.Union(Whole.Select(whole => whole.Field.Name))],
                Computed = [.. _columns],
                Now = now,
                Names = new RequestNames(shapes, FormulaNames.None, ImmutableDictionary<string, object?>.Empty),
            };

        public ImmutableArray<FieldName> Key { get; }

        public ImmutableArray<(int Index, FieldName Column)> Values { get; }

        /// <summary>Values that no column of a formula carries: lists and JSON, of the records that were asked for.</summary>
        public ImmutableArray<(int Index, Field Field)> Whole { get; }

        public ImmutableArray<(int Index, Plan Of)> Ones { get; }

        public ImmutableArray<(int Index, DatasetShape From, Relation Relation, FormulaNeeds Needs, FieldName Column)> Lists { get; }
    }
}
