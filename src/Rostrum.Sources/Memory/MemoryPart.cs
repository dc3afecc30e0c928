using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Apart;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Memory;

/// <summary>
/// Computes in memory what the server cannot: adds to a statement what the formulas read, fetches lists of related records for all rows at
/// once, and evaluates.
/// </summary>
/// <param name="catalogue">The datasets.</param>
/// <param name="grants">What the person may see.</param>
/// <param name="formulas">The request's formulas.</param>
/// <param name="others">Reads related records of other sources.</param>
internal sealed class MemoryPart(DatasetCatalogue catalogue, Grants grants, RequestFormulas formulas, OtherSources others)
{
    private readonly List<(Typed Tree, Func<FormulaRecord, FormulaContext, object?> Evaluate)> _formulas = [];
    private Reading? _reading;

    public bool IsEmpty => _formulas.Count == 0;

    /// <summary>Adds a formula; gives the place of its values.</summary>
    public int Add(Typed formula)
    {
        var index = _formulas.FindIndex(known => ReferenceEquals(known.Tree, formula));
        if (index < 0)
        {
            index = _formulas.Count;
            _formulas.Add((formula, Compiler.Compile(formula, once: true)));
        }

        return index;
    }

    /// <summary>Adds to the columns of a statement what the formulas need of each row.</summary>
    public void Select(SelectPlan plan, SelectedColumns columns)
    {
        if (!IsEmpty)
        {
            _reading = new Reading(
                formulas.Shapes,
                formulas.Shapes.Of(plan.Dataset),
                plan.Row,
                FormulaNeeds.Of(_formulas.Select(formula => formula.Tree)),
                columns
            );
        }
    }

    /// <summary>The formulas' values for some rows of that statement.</summary>
    public async Task<object?[][]> EvaluateAsync(Statements statements, IReadOnlyList<object?[]> rows, CancellationToken cancellation)
    {
        if (_reading is null)
        {
            return [.. rows.Select(_ => Array.Empty<object?>())];
        }

        var records = await RecordsAsync(statements, _reading, rows, cancellation);
        return [.. records.Select(record => _formulas.Select(formula => formula.Evaluate(record!, formulas.Context)).ToArray())];
    }

    private async Task<FormulaRecord?[]> RecordsAsync(
        Statements statements,
        Reading reading,
        IReadOnlyList<object?[]> rows,
        CancellationToken cancellation
    )
    {
        var ones = new List<(int Index, FormulaRecord?[] Records)>();
        foreach (var (index, one) in reading.Ones)
        {
            ones.Add((index, await RecordsAsync(statements, one, rows, cancellation)));
        }

        foreach (var one in reading.ApartOnes)
        {
            var found = await others.RecordsAsync(one.Of.Target, one.Of.Relation.TargetField, Keys(rows, one.Key), one.Needs, cancellation);
            ones.Add((one.Index, [.. rows.Select(row => row[one.Key] is { } key ? found[key].FirstOrDefault() : null)]));
        }

        var lists = new List<(int Index, int Key, Func<object, IReadOnlyList<object?>> Of)>();
        foreach (var list in reading.ApartLists)
        {
            var found = await others.RecordsAsync(list.Of.From, list.Of.Relation.Field, Keys(rows, list.Key), list.Needs, cancellation);
            lists.Add((list.Index, list.Key, key => [.. found[key]]));
        }

        foreach (var list in reading.Lists)
        {
            var byKey = await ListsAsync(statements, list, Keys(rows, list.Key), cancellation);
            lists.Add((list.Index, list.Key, key => byKey.TryGetValue(key, out var elements) ? elements : []));
        }

        return [.. rows.Select((row, number) => RecordOf(reading, row, number, ones, lists))];
    }

    private static object[] Keys(IReadOnlyList<object?[]> rows, int column) =>
        [.. rows.Select(row => row[column]).Where(value => value is not (null or Unreadable)).OfType<object>().Distinct()];

    private FormulaRecord? RecordOf(
        Reading reading,
        object?[] row,
        int number,
        List<(int Index, FormulaRecord?[] Records)> ones,
        List<(int Index, int Key, Func<object, IReadOnlyList<object?>> Of)> lists
    )
    {
        if (reading.Identity.Any(column => row[column] is null))
        {
            return null;
        }

        var values = new object?[reading.Shape.Shape.Members.Length];
        foreach (var (index, column, field) in reading.Values)
        {
            values[index] = ComputedLeaf.Carried(field, row[column], formulas.Context.Zone);
        }

        foreach (var (index, records) in ones)
        {
            values[index] = records[number];
        }

        foreach (var (index, key, of) in lists)
        {
            values[index] = row[key] is { } outer ? of(outer) : Array.Empty<object?>();
        }

        return new FormulaRecord(
            reading.Shape.Shape,
            values,
            reading.Identity.IsEmpty ? null : new RecordKey([.. reading.Identity.Select(column => row[column]!)])
        );
    }

    // All records of a list for all outer rows: one statement, and one more for each list within.
    private async Task<Dictionary<object, List<object?>>> ListsAsync(
        Statements statements,
        ListReading list,
        object[] keys,
        CancellationToken cancellation
    )
    {
        var byKey = new Dictionary<object, List<object?>>();
        if (keys.Length == 0)
        {
            return byKey;
        }

        var sql = new SqlText(statements.Engine);
        var columns = new SelectedColumns(statements.Engine);
        var plan = new SelectPlan(new RequestScope(catalogue, grants, formulas.Context), list.Of.From.Dataset, sql, "c");
        var foreign = columns.Add(plan.Own(list.Of.Relation.Field));
        var reading = new Reading(formulas.Shapes, list.Of.From, plan.Row, list.Needs, columns);
        var condition = sql.Engine.IsIn(sql, plan.Dataset[list.Of.Relation.Field], plan.Row.Column(list.Of.Relation.Field), keys);
        string Ordered(FieldName key) =>
            plan.Dataset[key].Type is FieldType.Text or FieldType.Choice
                ? statements.Engine.ByCodePoints(plan.Row.Column(key), plan.Dataset[key])
                : plan.Row.Column(key);
        var order = string.Join(", ", plan.Dataset.Key.Select(Ordered).DefaultIfEmpty("1"));
        sql.Add($"SELECT {columns.Sql}{plan.From(new Filter.Everything(), "", condition)} ORDER BY {order}");
        var rows = await statements.RowsAsync(sql, columns.Read, cancellation);
        var records = await RecordsAsync(statements, reading, rows, cancellation);
        for (var i = 0; i < rows.Count; i++)
        {
            if (!byKey.TryGetValue(rows[i][foreign]!, out var elements))
            {
                byKey.Add(rows[i][foreign]!, elements = []);
            }

            elements.Add(records[i]);
        }

        return byKey;
    }

    private sealed record ApartOneReading(int Index, int Key, ShapeMember.ToOne Of, FormulaNeeds Needs);

    private sealed record ListReading(int Index, int Key, ShapeMember.ToMany Of, FormulaNeeds Needs);

    // Where in a statement's rows stands what formulas read of a record.
    private sealed class Reading
    {
        public Reading(DatasetShapes shapes, DatasetShape shape, SqlRow row, FormulaNeeds needs, SelectedColumns columns)
        {
            Shape = shape;
            int Column(SqlRow of, FieldName name) => columns.Add(new Leaf(of.Column(name), of.Dataset[name], Nullable: true));
            Identity = row.IsMadeUp ? [] : [.. shape.Dataset.Key.Select(name => Column(row, name))];
            Values =
            [
                .. needs.Values.Select(index =>
                    ((ShapeMember.Value)shape[index]).Field is var field ? (index, Column(row, field.Name), field) : default
                ),
            ];
            var (ones, apartOnes) = (ImmutableArray.CreateBuilder<(int, Reading)>(), ImmutableArray.CreateBuilder<ApartOneReading>());
            foreach (var (index, inner) in needs.Records)
            {
                var toOne = (ShapeMember.ToOne)shape[index];
                if (shape.Dataset.IsApartFrom(toOne.Target.Dataset))
                {
                    apartOnes.Add(new ApartOneReading(index, Column(row, toOne.Relation.Field), toOne, inner));
                }
                else
                {
                    var related = row.Follow(toOne.Relation, toOne.Target.Dataset);
                    ones.Add((index, new Reading(shapes, toOne.Target, related, inner, columns)));
                }
            }

            var lists = needs
                .Lists.Select(list => (list.Key, ToMany: (ShapeMember.ToMany)shape[list.Key], list.Value))
                .Select(list => new ListReading(list.Key, Column(row, list.ToMany.Relation.TargetField), list.ToMany, list.Value))
                .ToLookup(list => shape.Dataset.IsApartFrom(list.Of.From.Dataset));
            (Ones, ApartOnes, Lists, ApartLists) = (ones.ToImmutable(), apartOnes.ToImmutable(), [.. lists[false]], [.. lists[true]]);
        }

        public DatasetShape Shape { get; }

        public ImmutableArray<int> Identity { get; }

        public ImmutableArray<(int Index, int Column, Field Field)> Values { get; }

        public ImmutableArray<(int Index, Reading Of)> Ones { get; }

        public ImmutableArray<ApartOneReading> ApartOnes { get; }

        public ImmutableArray<ListReading> Lists { get; }

        public ImmutableArray<ListReading> ApartLists { get; }
    }
}
