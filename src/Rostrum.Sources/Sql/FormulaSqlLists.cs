using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Formulas.Functions;

namespace Rostrum.Sources.Sql;

/// <summary>Lists: related rows in sub-queries, and what functions make of them.</summary>
internal sealed partial class FormulaSql
{
    private SqlValue? OverList(Typed.Invocation call)
    {
        var name = call.Function.Name;
        if (name is "TEXTJOIN")
        {
            return JoinList(call);
        }

        if (
            Rows(call.Arguments[0]) is not { } rows
            || (name is "SUMIF" or "AVERAGEIF" or "COUNTIF" or "CONTAINS" && !NarrowTo(rows, call.Arguments[1]))
        )
        {
            return null;
        }

        if (name is "SUMIF" or "AVERAGEIF" && call.Arguments.Length > 2 && !LookAtAnother(rows, call.Arguments[0], call.Arguments[2]))
        {
            return Refuse($"{name} looks at two lists");
        }

        return name switch
        {
            "COUNT" or "COUNTIF" => Total(
                call,
                rows,
                $"count({(rows.Element is { } counted && name is "COUNT" ? $"{Distinctly(rows)}{counted.Text}" : "*")})",
                "0",
                NumberWidth.Count
            )
                is { } count
                ? count with
                {
                    IsWhole = true,
                }
                : null,
            "SUM" or "SUMIF" => Sum(call, rows),
            "AVERAGE" or "AVERAGEIF" => Average(call, rows),
            "MIN" or "MAX" => rows.Element is { } least
                ? Total(call, rows, $"{(name is "MIN" ? "min" : "max")}({least.Text})", null, least.Width) is { } extreme
                    ? extreme with
                    {
                        IsWhole = least.IsWhole,
                    }
                    : null
                : null,
            "CONTAINS" => Boolean($"(EXISTS (SELECT 1{rows.From(Related(rows))}))"),
            "ISBLANK" or "ISEMPTY" => Boolean($"(NOT EXISTS (SELECT 1{rows.From(Related(rows))}))"),
            "FIRST" => Pick(rows, descending: false, 0),
            "LAST" => Pick(rows, descending: true, 0),
            "INDEX" when Place(call.Arguments[1]) is { } place => Pick(rows, descending: false, place),
            "LARGE" or "SMALL" when Place(call.Arguments[1]) is { } place => PickBySize(rows, name is "LARGE", place),
            _ => Refuse($"{_dialect.Name} has no {name} of a list that gives the same"),
        };
    }

    // The rows of a list; null where the list is none that a sub-query gives.
    private SqlRows? Rows(Typed list)
    {
        switch (list)
        {
            case Typed.Member member
                when RowOf(member.Of) is { } row && _shapes.Of(ShapeOf(member.Of.Type))[member.Index] is ShapeMember.ToMany toMany:
                if (IsApart(row, toMany.From.Dataset))
                {
                    return null;
                }

                var first = NewRow(_levels[^1].Tables.Within(), toMany);
                var rows = new SqlRows(first, first.Column(toMany.Relation.Field), row.Column(toMany.Relation.TargetField));
                rows.Correlated = !ReferenceEquals(OuterOf(member.Of), _levels[0]);
                Show(rows, first);
                return rows;
            case Typed.Each each when Rows(each.List) is { Record: { } record } stepped:
                return Step(stepped, record, _shapes.Of(ShapeOf(each.List.Type))[each.Index], each);
            case Typed.Walk { Kind: ListWalk.Filter } filter when Rows(filter.List) is { Record: { } element } filtered:
                filtered.Correlated |= RefersOut(filter.Body, 1);
                if (Within(element, () => Holds(filter.Body)) is not { } condition)
                {
                    return null;
                }

                filtered.Where(condition);
                return filtered;
            case Typed.Walk { Kind: ListWalk.Map } map when Rows(map.List) is { Record: { } element } mapped:
                mapped.Correlated |= RefersOut(map.Body, 1);
                mapped.Element = Within(element, () => Visit(map.Body, map.Body.Type));
                return mapped.Element is null ? null : mapped;
            case Typed.Walk { Kind: ListWalk.Sort } sort when Rows(sort.List) is { Record: { } element } sorted:
                sorted.Correlated |= RefersOut(sort.Body, 1);
                if (Within(element, () => Visit(sort.Body, sort.Body.Type)) is not { } key)
                {
                    return null;
                }

                var comparable = _dialect.Comparable(key);
                sorted.Order.InsertRange(0, [$"{comparable} IS NULL", comparable + (sort.Descending ? " DESC" : "")]);
                return sorted;
            case Typed.Invocation { Function.Name: "UNIQUE", Arguments: [var all] } when Rows(all) is { Element: not null } unique:
                if (unique.Element.Exactness is not Exactness.Exact)
                {
                    Refuse($"{_dialect.Name} would tell quotients apart by other last digits");
                    return null;
                }

                unique.Distinct = true;
                return unique;
            default:
                Refuse($"{_dialect.Name} has no such list");
                return null;
        }
    }

    private SqlRows? Step(SqlRows rows, SqlRow record, ShapeMember member, Typed.Each each)
    {
        switch (member)
        {
            case ShapeMember.Value value:
                rows.Element = _dialect.Value(record.ColumnOf(value.Field), ((FormulaType.List)each.Type).Element) is { } element
                    ? element
                    : Refuse($"{_dialect.Name} does not compute with {value.Field.Label.ToLowerInvariant()} as formulas do");
                return rows.Element is null ? null : rows;
            case ShapeMember.ToOne { Target.Dataset: var target } when IsApart(record, target):
            case ShapeMember.ToMany { From.Dataset: var from } when IsApart(record, from):
                return null;
            case ShapeMember.ToOne toOne:
                // A record without the related one has nothing to look at further.
                rows.Record = record.Follow(toOne.Relation, toOne.Target.Dataset);
                rows.Where($"{rows.Record.Column(toOne.Relation.TargetField)} IS NOT NULL");
                return rows;
            case ShapeMember.ToMany toMany:
                var row = NewRow(record.Tables, toMany);
                rows.Add(row, $"{row.Column(toMany.Relation.Field)} = {record.Column(toMany.Relation.TargetField)}");
                Show(rows, row);
                return rows;
            default:
                throw new ArgumentOutOfRangeException(nameof(member), member, "unknown member");
        }
    }

    private static SqlRow NewRow(SqlTables tables, ShapeMember.ToMany toMany) => new(tables, toMany.From.Dataset, tables.NewAlias());

    private static void Show(SqlRows rows, SqlRow row)
    {
        if (row.Tables.Visible(row.Dataset, row.Alias) is { } visible)
        {
            rows.Where(visible);
        }
    }

    private T? Within<T>(SqlRow element, Func<T?> work)
        where T : class
    {
        _levels.Add(element);
        var result = work();
        _levels.RemoveAt(_levels.Count - 1);
        return result;
    }

    private static bool RefersOut(Typed node, int depth) =>
        node switch
        {
            Typed.Scope scope => scope.Level >= depth,
            Typed.Member member => RefersOut(member.Of, depth),
            Typed.Each each => RefersOut(each.List, depth),
            Typed.Walk walk => RefersOut(walk.List, depth) || RefersOut(walk.Body, depth + 1),
            _ => node.Parts.Any(part => RefersOut(part, depth)),
        };

    private SqlRow? OuterOf(Typed record) =>
        record switch
        {
            Typed.Scope scope => _levels[^(scope.Level + 1)],
            Typed.Member member => OuterOf(member.Of),
            _ => null,
        };

    private bool NarrowTo(SqlRows rows, Typed wanted)
    {
        if (wanted.Type is FormulaType.Text && (wanted is not Typed.Constant { Value: string text } || Criterion.HasSign(text)))
        {
            Refuse("a criterion is known only once the formula is computed");
            return false;
        }

        if (rows.Element is not { } element || element.Exactness is not Exactness.Exact || Visit(wanted, element.Type) is not { } value)
        {
            Refuse($"{_dialect.Name} has no such list");
            return false;
        }

        rows.Correlated |= !IsFixed(wanted);
        rows.Where(_dialect.Same(element, value));
        return true;
    }

    // SUMIF's numbers stand at the same places as what it compares: another field of the same records.
    private bool LookAtAnother(SqlRows rows, Typed compared, Typed numbers)
    {
        if (
            compared is not Typed.Each one
            || numbers is not Typed.Each other
            || !one.List.Equals(other.List)
            || rows.Record is not { } record
            || _shapes.Of(ShapeOf(other.List.Type))[other.Index] is not ShapeMember.Value { Field: var field }
        )
        {
            return false;
        }

        rows.Element = _dialect.Value(record.ColumnOf(field), new FormulaType.Number());
        return rows.Element is not null;
    }

    private SqlValue? Sum(Typed.Invocation call, SqlRows rows)
    {
        if (rows.Element is not { } element)
        {
            return null;
        }

        var sum = _dialect.Sum(element, Distinctly(rows));
        return IsTooLong(sum, element) ? Refuse(TooLong)
            : Total(call, rows, sum.Text, "0", sum.Width) is { } total ? total with { IsWhole = sum.IsWhole }
            : null;
    }

    private SqlValue? Average(Typed.Invocation call, SqlRows rows)
    {
        if (rows.Element is not { } element)
        {
            return null;
        }

        var sum = _dialect.Sum(element, Distinctly(rows));
        return _dialect.Wide(sum) is not { } wide ? Refuse($"{_dialect.Name} has no decimal numbers")
            : IsTooLong(sum, element) ? Refuse(TooLong)
            : Total(call, rows, $"({wide} / nullif(count({Distinctly(rows)}{element.Text}), 0))", null, element.Width with { Scale = 28 });
    }

    private static bool IsTooLong(SqlValue sum, SqlValue element) =>
        element.Exactness is Exactness.Exact ? !sum.Width.FitsMemory : !sum.Width.IsInRange;

    private static string Distinctly(SqlRows rows) => rows.Distinct ? "DISTINCT " : "";

    // One value out of all rows: from a grouped join where the rows depend on their relation only, else from a sub-query for each outer
    // row.
    private SqlValue? Total(Typed node, SqlRows rows, string aggregate, string? empty, NumberWidth width)
    {
        var total =
            _totals is not null && !rows.Correlated && _levels.Count == 1
                ? _totals.Add(_levels[0], rows, aggregate)
                : $"(SELECT {aggregate}{rows.From(Related(rows))})";
        return new SqlValue(empty is null ? total : $"coalesce({total}, {empty})", node.Type)
        {
            Width = width,
            Exactness = node.Exactness,
            OrNull = empty is null ? null : total,
        };
    }

    private static string Related(SqlRows rows) => $"{rows.Inner} = {rows.Outer}";

    private string? Exists(Typed.Walk walk)
    {
        if (Rows(walk.List) is not { Record: { } element } rows || Within(element, () => Holds(walk.Body)) is not { } condition)
        {
            return null;
        }

        rows.Where(walk.Kind is ListWalk.Any ? condition : $"(({condition}) IS NOT TRUE)");
        return $"({(walk.Kind is ListWalk.Any ? "" : "NOT ")}EXISTS (SELECT 1{rows.From(Related(rows))}))";
    }

    private SqlValue? JoinList(Typed.Invocation call)
    {
        if (
            call.Arguments[1] is not Typed.Constant { Value: bool skips }
            || Visit(call.Arguments[0], new FormulaType.Text()) is not { Constant: not null } between
            || Rows(call.Arguments[2]) is not { Element: { } element, Distinct: false } rows
            || Order(rows, descending: false) is not { } order
        )
        {
            return Refuse($"{_dialect.Name} has no TEXTJOIN of such a list");
        }

        if (skips)
        {
            rows.Where($"length({element.Text}) > 0");
        }

        var each = $"coalesce({_dialect.Length(element.Text)}, 0) + {LongestOf(between).ToString(CultureInfo.InvariantCulture)}";
        var most = (FormulaLimits.LongestText + LongestOf(between)).ToString(CultureInfo.InvariantCulture);
        return _dialect.JoinRows(skips ? element.Text : $"coalesce({element.Text}, '')", between.Text, order) is { } joined
            ? Checked(call, $"coalesce(sum({each}), 0) <= {most}", $"coalesce({joined}, '')") is { } limited
                ? limited with
                {
                    Text = $"(SELECT {limited.Text}{rows.From(Related(rows))})",
                }
                : null
            : Refuse($"{_dialect.Name} cuts long texts off");
    }

    private SqlValue? Pick(SqlRows rows, bool descending, long skipped) =>
        rows.Element is not { } element || rows.Distinct || Order(rows, descending) is not { } order
            ? Refuse("which record is meant is known only once the formula is computed")
            : element with
            {
                Column = null,
                Text =
                    $"(SELECT {element.Text}{rows.From(Related(rows))}{order} "
                    + $"LIMIT 1 OFFSET {skipped.ToString(CultureInfo.InvariantCulture)})",
            };

    private SqlValue? PickBySize(SqlRows rows, bool greatest, long skipped)
    {
        if (rows.Element is not { } element || rows.Distinct)
        {
            return Refuse($"{_dialect.Name} has no such list");
        }

        rows.Where($"{element.Text} IS NOT NULL");
        return element with
        {
            Column = null,
            Text =
                $"(SELECT {element.Text}{rows.From(Related(rows))} ORDER BY {element.Text}{(greatest ? " DESC" : "")} "
                + $"LIMIT 1 OFFSET {skipped.ToString(CultureInfo.InvariantCulture)})",
        };
    }

    // Lists stand in the order of their records' keys, unless they are sorted.
    private string? Order(SqlRows rows, bool descending)
    {
        var keys = new List<string>(rows.Order);
        foreach (var row in rows.Rows)
        {
            foreach (var name in row.Dataset.Key)
            {
                if (
                    DatasetShapes.TypeOf(row.Dataset[name]) is not { } type
                    || _dialect.Value(row.ColumnOf(row.Dataset[name]), type) is not { } key
                )
                {
                    return null;
                }

                keys.Add(_dialect.Comparable(key));
            }
        }

        return keys.Count == 0 ? null : $" ORDER BY {string.Join(", ", descending ? keys.Select(Turned) : keys)}";

        static string Turned(string key) => key.EndsWith(" DESC", StringComparison.Ordinal) ? key[..^5] : key + " DESC";
    }

    private static long? Place(Typed place) =>
        place is Typed.Constant { Value: decimal and >= 1 and <= 1_000_000 and var number } ? (long)number - 1 : null;
}
