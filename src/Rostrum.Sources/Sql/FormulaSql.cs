using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>Translates a checked formula into an expression of SQL that gives exactly what the formula gives in memory.</summary>
/// <remarks>
/// What a database cannot do exactly is refused, with the reason in <see cref="Refusal"/>, and is then computed in memory.
/// A part that reads no record (today's date, a constant) is computed here, and is passed as a parameter.
/// </remarks>
internal sealed partial class FormulaSql
{
    private readonly SqlDialect _dialect;
    private readonly DatasetShapes _shapes;
    private readonly ISqlParameters _parameters;
    private readonly FormulaContext _context;
    private readonly List<SqlRow> _levels;
    private readonly SqlTotals? _totals;

    /// <param name="dialect">The database.</param>
    /// <param name="shapes">The shapes with which formulas were checked.</param>
    /// <param name="parameters">Takes the values.</param>
    /// <param name="context">The request's moment.</param>
    /// <param name="row">The row of the record.</param>
    /// <param name="totals">Computes totals for all rows at once; where null, each row's totals have a sub-query.</param>
    public FormulaSql(
        SqlDialect dialect,
        DatasetShapes shapes,
        ISqlParameters parameters,
        FormulaContext context,
        SqlRow row,
        SqlTotals? totals = null
    )
    {
        (_dialect, _shapes, _parameters, _context, _totals) = (dialect, shapes, parameters, context, totals);
        _levels = [row];
    }

    /// <summary>Why the last formula was refused.</summary>
    public string? Refusal { get; private set; }

    /// <summary>The formula as an expression; null where the database cannot compute it exactly.</summary>
    public SqlValue? Value(Typed formula)
    {
        Refusal = null;
        return Visit(formula, formula.Type);
    }

    /// <summary>
    /// The formula as a condition, which is not true where the formula is blank; null where the database cannot decide it exactly.
    /// </summary>
    public string? Condition(Typed formula)
    {
        Refusal = null;
        return Holds(formula);
    }

    private SqlValue? Visit(Typed node, FormulaType wanted)
    {
        if (node.Type is FormulaType.Blank)
        {
            return new SqlValue(_dialect.Null(wanted), wanted);
        }

        if (IsFixed(node))
        {
            return Fixed(node, wanted);
        }

        return node switch
        {
            Typed.Scope => Identity(node),
            Typed.Member { Type: FormulaType.Record } => Identity(node),
            Typed.Member { Type: FormulaType.List } => Refuse("a list by itself is no value of a database"),
            Typed.Member member => RowOf(member.Of) is { } row ? Column(row, member) : null,
            Typed.Same or Typed.Ordered or Typed.Conditions or Typed.Walk { Type: FormulaType.Boolean } => Truth(node),
            Typed.Cases cases => Cases(cases),
            Typed.Otherwise otherwise => Otherwise(otherwise),
            Typed.Invocation invocation => Invocation(invocation),
            _ => Refuse("a list by itself is no value of a database"),
        };
    }

    // The same for every record of the request: computed once, here.
    private SqlValue? Fixed(Typed node, FormulaType wanted)
    {
        var value = Compiler.Compile(node, once: true)(FormulaRecord.None, _context);
        if (
            node.Type is FormulaType.Record { Shape: var shape }
            && _shapes.Knows(shape)
            && _shapes.Of(shape).Dataset is { Key: [var name] } dataset
            && DatasetShapes.TypeOf(dataset[name]) is { } type
        )
        {
            return value is null ? new SqlValue(_dialect.Null(type), type)
                : value is FormulaRecord { Identity: RecordKey { Values: [var key] } }
                && _dialect.Constant(
                    type,
                    key switch
                    {
                        long number => (decimal)number,
                        Guid id => id.ToString(),
                        _ => key,
                    },
                    _parameters
                )
                    is { } identity
                    ? identity
                : Refuse("which record is meant cannot be told to the database");
        }

        return value is null ? new SqlValue(_dialect.Null(wanted), wanted)
            : node.Type is FormulaType.List or FormulaType.Record or FormulaType.Json
                ? Refuse($"{_dialect.Name} has no {node.Type.Word} as formulas have it")
            : _dialect.Constant(node.Type, value, _parameters) is { } constant ? constant with { Exactness = node.Exactness }
            : Refuse($"{_dialect.Name} computes with whole numbers only");
    }

    private static bool IsFixed(Typed node) =>
        node switch
        {
            Typed.Scope => false,
            Typed.Member member => IsFixed(member.Of),
            Typed.Each each => IsFixed(each.List),
            Typed.Walk walk => IsFixed(walk.List),
            _ => node.Parts.All(IsFixed),
        };

    private SqlValue? Column(SqlRow row, Typed.Member member) =>
        _shapes.Of(ShapeOf(member.Of.Type))[member.Index] is ShapeMember.Value { Field: var field }
            ? _dialect.Value(row.ColumnOf(field), member.Type)
                ?? Refuse($"{_dialect.Name} does not compute with {field.Label.ToLowerInvariant()} as formulas do")
            : Refuse("a list by itself is no value of a database");

    private static FormulaShape ShapeOf(FormulaType type) =>
        type switch
        {
            FormulaType.Record record => record.Shape,
            FormulaType.List { Element: FormulaType.Record record } => record.Shape,
            _ => throw new ArgumentException("no record", nameof(type)),
        };

    private SqlRow? RowOf(Typed record)
    {
        switch (record)
        {
            case Typed.Scope scope:
                return _levels[^(scope.Level + 1)];
            case Typed.Member member
                when RowOf(member.Of) is { } row && _shapes.Of(ShapeOf(member.Of.Type))[member.Index] is ShapeMember.ToOne toOne:
                return IsApart(row, toOne.Target.Dataset) ? null : row.Follow(toOne.Relation, toOne.Target.Dataset);
            default:
                Refuse("which record is meant is known only once the formula is computed");
                return null;
        }
    }

    private bool IsApart(SqlRow row, Dataset other)
    {
        var apart = row.Dataset.IsApartFrom(other);
        if (apart)
        {
            Refuse($"{other.LabelInSentence} are in another source");
        }

        return apart;
    }

    // What tells a record from others of its dataset; blank where there is none.
    private SqlValue? Identity(Typed record) =>
        RowOf(record) is not { } row ? null
        : row.Dataset.Key is [var key] && DatasetShapes.TypeOf(row.Dataset[key]) is { } type
            ? _dialect.Value(row.ColumnOf(row.Dataset[key]), type)
        : Refuse($"{row.Dataset.LabelInSentence} have no single key");

    private SqlValue? Truth(Typed node) =>
        node switch
        {
            Typed.Same same => Same(same),
            Typed.Walk => Holds(node) is { } exists ? Boolean(exists) : null,
            _ => Holds(node) is { } condition ? Boolean($"(({condition}) IS TRUE)") : null,
        };

    private static readonly FormulaType Truthful = new FormulaType.Boolean();

    private static SqlValue Boolean(string text) => new(text, Truthful);

    private SqlValue? Same(Typed.Same same)
    {
        var (value, other) = same.Left.Type is FormulaType.Blank ? (same.Right, same.Left) : (same.Left, same.Right);
        if (other.Type is FormulaType.Blank && value.Type is not FormulaType.Blank)
        {
            return Visit(value, value.Type) is { } there ? Boolean($"({there.Text} IS {(same.Negated ? "NOT " : "")}NULL)") : null;
        }

        var common = FormulaType.Common(same.Left.Type, same.Right.Type)!;
        return Visit(same.Left, common) is { } left && Visit(same.Right, common) is { } right
            ? Boolean(same.Negated ? $"(NOT {_dialect.Same(left, right)})" : _dialect.Same(left, right))
            : null;
    }

    // What a WHERE needs: not true is all the same whether it is false or unknown. A value that is there under a condition, and blank
    // otherwise, is compared where the condition holds.
    private string? Holds(Typed node) =>
        IsFixed(node)
            ? Visit(node, Truthful)?.Text
            : node switch
            {
                Typed.Same same when PlainlyEqual(same) is { } equal => same.Negated ? $"(({equal}) IS NOT TRUE)" : equal,
                Typed.Ordered { Left: Typed.Cases { Branches: [({ } only, var value), (null, { Type: FormulaType.Blank })] } } ordered =>
                    Holds(new Typed.Conditions([only, ordered with { Left = value }], Any: false)),
                Typed.Ordered { Right: Typed.Cases { Branches: [({ } only, var value), (null, { Type: FormulaType.Blank })] } } ordered =>
                    Holds(new Typed.Conditions([only, ordered with { Right = value }], Any: false)),
                Typed.Ordered ordered => Ordered(ordered),
                Typed.Conditions { Any: var any, All: var parts } => All(parts.Select(Holds)) is { } conditions
                    ? $"({string.Join(any ? " OR " : " AND ", conditions)})"
                    : null,
                Typed.Walk { Kind: ListWalk.Any or ListWalk.All } walk => Exists(walk),
                Typed.Invocation { Function.Name: "NOT", Arguments: [var operand] } => Holds(operand) is { } condition
                    ? $"(({condition}) IS NOT TRUE)"
                    : null,
                _ => Visit(node, Truthful)?.Text,
            };

    private string? PlainlyEqual(Typed.Same same)
    {
        var (member, other) = IsFixed(same.Left) ? (same.Right, same.Left) : (same.Left, same.Right);
        return
            member is Typed.Member { Type: not FormulaType.Record }
            && IsFixed(other)
            && Visit(member, member.Type) is { Column: { } column }
            && Visit(other, other.Type) is { Constant: not null } constant
            ? _dialect.PlainlyEqual(column, constant, _parameters)
            : null;
    }

    private string? Ordered(Typed.Ordered ordered)
    {
        var common = FormulaType.Common(ordered.Left.Type, ordered.Right.Type)!;
        if (Visit(ordered.Left, common) is not { } left || Visit(ordered.Right, common) is not { } right)
        {
            return null;
        }

        var plain = (left, right) switch
        {
            ({ Column: { } column }, { Constant: not null }) => _dialect.PlainlyOrdered(column, ordered.Operator, right, _parameters),
            ({ Constant: not null }, { Column: { } column }) => _dialect.PlainlyOrdered(
                column,
                Turned(ordered.Operator),
                left,
                _parameters
            ),
            _ => null,
        };
        return plain is null
            ? _dialect.Ordered(OrNull(left, ordered.Operator, right), ordered.Operator, OrNull(right, Turned(ordered.Operator), left))
            : $"({plain})";
    }

    // Where a total of nothing does not meet the condition, rows without any need not be looked at: the server may join the other way
    // round.
    private static SqlValue OrNull(SqlValue total, Operator sign, SqlValue other)
    {
        if (total.OrNull is null || other.Constant is not decimal limit)
        {
            return total;
        }

        var holds = sign switch
        {
            Operator.Less => limit > 0,
            Operator.AtMost => limit >= 0,
            Operator.More => limit < 0,
            _ => limit <= 0,
        };
        return holds ? total : total with { Text = total.OrNull };
    }

    private static Operator Turned(Operator sign) =>
        sign switch
        {
            Operator.Less => Operator.More,
            Operator.AtMost => Operator.AtLeast,
            Operator.More => Operator.Less,
            _ => Operator.AtMost,
        };

    private SqlValue? Cases(Typed.Cases cases)
    {
        var text = "CASE";
        var values = new List<SqlValue>();
        foreach (var (condition, value) in cases.Branches)
        {
            var held = condition is null ? "" : Holds(condition);
            if (held is null || Visit(value, cases.Type) is not { } result)
            {
                return null;
            }

            text += condition is null ? $" ELSE {Plain(result)}" : $" WHEN {held} THEN {Plain(result)}";
            values.Add(result);
        }

        return values.Count == 1 || values.TrueForAll(value => value.Text == _dialect.Null(cases.Type))
            ? values[0]
            : Widest(text + " END", cases, values);
    }

    private SqlValue? Otherwise(Typed.Otherwise otherwise) =>
        Visit(otherwise.Value, otherwise.Type) is { } value && Visit(otherwise.Other, otherwise.Type) is { } other
            ? Widest($"coalesce({Plain(value)}, {Plain(other)})", otherwise, [value, other])
            : null;

    // A number that is one of several is of the type that carries them all.
    private SqlValue Widest(string text, Typed node, List<SqlValue> values) =>
        new(text, node.Type)
        {
            Exactness = node.Exactness,
            Width = values.Select(value => value.Width).Aggregate(NumberWidth.Widest),
            IsWhole =
                node.Type is FormulaType.Number
                && values.All(value => value.IsWhole || value.Text == _dialect.Null(node.Type))
                && values.Any(value => value.IsWhole),
        };

    // A NULL of a number's type would make whole numbers beside it long ones.
    private string Plain(SqlValue value) =>
        value.Type is FormulaType.Number && value.Text == _dialect.Null(value.Type) ? "NULL" : value.Text;

    private SqlValue? Refuse(string reason)
    {
        Refusal ??= reason;
        return null;
    }

    private static List<T>? All<T>(IEnumerable<T?> parts)
        where T : class
    {
        var all = new List<T>();
        foreach (var part in parts)
        {
            if (part is null)
            {
                return null;
            }

            all.Add(part);
        }

        return all;
    }
}
