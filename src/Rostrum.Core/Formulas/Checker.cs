using System.Collections.Immutable;
using Rostrum.Core.Formulas.Functions;

namespace Rostrum.Core.Formulas;

/// <summary>A place in a formula's text that names a member of a shape.</summary>
public sealed record FormulaReference(Span Span, FormulaShape Shape, int Index);

/// <summary>A place in a formula's text that stands for something beside its record, such as <c>user</c>.</summary>
public sealed record NamedReference(Span Span, string Name);

/// <summary>A formula that was held against the names in its scope. It has a tree where it has no problems.</summary>
public sealed record CheckedFormula(
    ParsedFormula Parsed,
    Typed? Tree,
    ImmutableArray<FormulaProblem> Problems,
    ImmutableArray<FormulaReference> References
)
{
    /// <summary>The names in it that stand for something beside its record.</summary>
    public ImmutableArray<NamedReference> Named { get; init; } = [];

    /// <summary>What keeps it from being a condition; null where it is one.</summary>
    public string? ConditionProblem =>
        Tree switch
        {
            null => Problems[0].Message,
            { Type: FormulaType.Boolean } => null,
            var tree => $"It gives a {tree.Type.Word}, and should be true or false.",
        };
}

/// <summary>Finds out what each name, function and operator of a formula means, and of which type it is.</summary>
public sealed partial class Checker
{
    private readonly List<FormulaShape> _levels = [];
    private readonly ImmutableDictionary<string, FormulaType>? _names;
    private readonly List<FormulaProblem> _problems = [];
    private readonly List<FormulaReference> _references = [];
    private readonly List<NamedReference> _named = [];

    private Checker(FormulaShape shape, ImmutableDictionary<string, FormulaType>? names)
    {
        _levels.Add(shape);
        _names = names;
    }

    /// <summary>Checks a formula over records of a shape.</summary>
    /// <param name="formula">The formula.</param>
    /// <param name="shape">The names of its record.</param>
    /// <param name="names">Further names, and their types.</param>
    public static CheckedFormula Check(ParsedFormula formula, FormulaShape shape, ImmutableDictionary<string, FormulaType>? names = null)
    {
        ArgumentNullException.ThrowIfNull(formula);
        var checker = new Checker(shape, names);
        var tree = checker.Visit(formula.Tree);
        ImmutableArray<FormulaProblem> problems = [.. formula.Problems, .. checker._problems];
        return new CheckedFormula(formula, problems.IsEmpty ? tree : null, problems, [.. checker._references])
        {
            Named = [.. checker._named],
        };
    }

    private Typed? Visit(Syntax syntax) =>
        syntax switch
        {
            Syntax.Number number => new Typed.Constant(new FormulaType.Number(), number.Value),
            Syntax.Text text => new Typed.Constant(new FormulaType.Text(), text.Value),
            Syntax.Truth truth => new Typed.Constant(new FormulaType.Boolean(), truth.Value),
            Syntax.Blank => new Typed.Constant(new FormulaType.Blank(), null),
            Syntax.Name name => Name(name),
            Syntax.Member member => Member(member),
            Syntax.Prefix prefix => Prefix(prefix),
            Syntax.Percent percent => Operate(percent.Span, "%", [nameof(Arithmetic.Percent)], Visit(percent.Operand)),
            Syntax.Binary binary => Binary(binary),
            Syntax.Call call => Call(call),
            Syntax.Missing => null,
            _ => throw new ArgumentOutOfRangeException(nameof(syntax), syntax, "unknown syntax"),
        };

    private Typed? Name(Syntax.Name name)
    {
        var shape = _levels[^1];
        var index = shape.IndexOf(name.Value);
        if (index >= 0)
        {
            _references.Add(new FormulaReference(name.Span, shape, index));
            return Part(name.Span, new Typed.Scope(new FormulaType.Record(shape), 0), shape, index);
        }

        if (name.Value.Equals("record", StringComparison.OrdinalIgnoreCase))
        {
            var level = _levels.Count > 1 ? 1 : 0;
            return new Typed.Scope(new FormulaType.Record(_levels[^(level + 1)]), level);
        }

        if (_names is not null && _names.TryGetKey(name.Value, out var given))
        {
            _named.Add(new NamedReference(name.Span, name.Value));
            return new Typed.Given(_names[given], given);
        }

        return Unknown(
            name.Span,
            "name",
            name.Value,
            _levels.Count > 1 && _levels[^2].IndexOf(name.Value) >= 0
                ? $"record.{Formatter.Name(name.Value)}"
                : NearestMember(shape, name.Value) ?? Nearest(name.Value, _names?.Keys ?? [])
        );
    }

    // A field of the record comes before a panel of the page with its name. But where something follows that the field has not and the
    // panel has, the panel is meant.
    private Typed.Given? PanelCalledLikeAField(Syntax.Member member)
    {
        if (
            member.Of is not Syntax.Name name
            || _levels[^1].IndexOf(name.Value) is not (>= 0 and var index)
            || _levels[^1].Members[index].Value is FormulaType.Record or FormulaType.List
            || _names is null
            || !_names.TryGetKey(name.Value, out var given)
            || _names[given] is not FormulaType.Record { Shape: var shape }
            || shape.IndexOf(member.Value) < 0
        )
        {
            return null;
        }

        _named.Add(new NamedReference(name.Span, name.Value));
        return new Typed.Given(_names[given], given);
    }

    private Typed? Member(Syntax.Member member)
    {
        if ((PanelCalledLikeAField(member) ?? Visit(member.Of)) is not { } of)
        {
            return null;
        }

        var shape = of.Type switch
        {
            FormulaType.Record record => record.Shape,
            FormulaType.List { Element: FormulaType.Record record } => record.Shape,
            _ => null,
        };
        if (shape is null)
        {
            return Fail(member.NameSpan, $"A {of.Type.Word} has no parts, so nothing can follow the dot.");
        }

        var index = shape.IndexOf(member.Value);
        if (index < 0)
        {
            return Unknown(member.NameSpan, "name", member.Value, NearestMember(shape, member.Value));
        }

        _references.Add(new FormulaReference(member.NameSpan, shape, index));
        return Part(member.NameSpan, of, shape, index);
    }

    private const string Uncomputable = " cannot be computed: ";

    // A stored value stands for itself; a computed one is replaced by its formula.
    private Typed? Part(Span span, Typed of, FormulaShape shape, int index)
    {
        var (name, type) = shape.Members[index];
        if (shape.Computed(index) is { } computed)
        {
            return computed.Tree is not { } tree
                    ? Fail(
                        span,
                        computed.Problem!.Contains(Uncomputable, StringComparison.Ordinal)
                            ? computed.Problem
                            : $"“{name}”{Uncomputable}{computed.Problem}"
                    )
                : of.Type is FormulaType.Record ? Inlining.Of(tree, of)
                : new Typed.Walk(new FormulaType.List(tree.Type), ListWalk.Map, of, tree);
        }

        return of.Type is FormulaType.Record
            ? new Typed.Member(type, of, index, name)
            : new Typed.Each(type is FormulaType.List ? type : new FormulaType.List(type), of, index, name);
    }

    private Typed? Prefix(Syntax.Prefix prefix)
    {
        var operand = Visit(prefix.Operand);
        return prefix.Negative ? Operate(prefix.Span, "-", [nameof(Arithmetic.Negate)], operand)
            : operand is null || Expect(prefix.Span, operand, new FormulaType.Number(), "The sign + stands before numbers") ? operand
            : null;
    }

    private Typed? Binary(Syntax.Binary binary)
    {
        var left = Visit(binary.Left);
        var right = Visit(binary.Right);
        if (left is null || right is null)
        {
            return null;
        }

        switch (binary.Operator)
        {
            case Operator.Equal or Operator.NotEqual:
                return Comparable(binary, left, right) && IsAmong(binary.Right.Span, left, right) && IsAmong(binary.Left.Span, right, left)
                    ? new Typed.Same(Settled(left), Settled(right), binary.Operator is Operator.NotEqual)
                    : null;
            case Operator.Less or Operator.AtMost or Operator.More or Operator.AtLeast:
                return !Comparable(binary, left, right) ? null
                    : FormulaType.Common(left.Type, right.Type) is FormulaType.Boolean
                        ? new Typed.Ordered(AsNumber(left), AsNumber(right), binary.Operator)
                    : FormulaType.Common(left.Type, right.Type) is FormulaType.Record or FormulaType.Json
                        ? Fail(binary.OperatorSpan, $"Values of the type {left.Type.Word} have no order.")
                    : new Typed.Ordered(Settled(left), Settled(right), binary.Operator);
            case Operator.Join:
                return AsText(binary.Left.Span, left) is { } one && AsText(binary.Right.Span, right) is { } other
                    ? Operate(binary.Span, "&", [nameof(Arithmetic.Join)], one, other)
                    : null;
            default:
                return Arithmetics(binary, left, right);
        }
    }

    private Typed? Arithmetics(Syntax.Binary binary, Typed left, Typed right)
    {
        (left, right) = (AsNumber(left), AsNumber(right));
        if (binary.Operator is Operator.Add && left.Type is FormulaType.Number && right.Type is FormulaType.Date or FormulaType.DateTime)
        {
            (left, right) = (right, left);
        }

        string[] methods = binary.Operator switch
        {
            Operator.Add => [nameof(Arithmetic.Add), nameof(Arithmetic.AddDays), nameof(Arithmetic.AddTo)],
            Operator.Subtract =>
            [
                nameof(Arithmetic.Subtract),
                nameof(Arithmetic.SubtractDays),
                nameof(Arithmetic.SubtractFrom),
                nameof(Arithmetic.DaysBetween),
                nameof(Arithmetic.Between),
            ],
            Operator.Multiply => [nameof(Arithmetic.Multiply)],
            Operator.Divide => [nameof(Arithmetic.Divide)],
            Operator.Power => [nameof(Arithmetic.Power)],
            _ => throw new ArgumentOutOfRangeException(nameof(binary), binary.Operator, "no arithmetic"),
        };
        return Operate(binary.Span, binary.Operator.Sign(), methods, left, right);
    }

    private Typed? Operate(Span span, string sign, string[] methods, params Typed?[] operands)
    {
        if (operands.Any(operand => operand is null))
        {
            return null;
        }

        foreach (var overload in methods.Select(Operations.Named))
        {
            if (operands.Zip(overload.Parameters, (operand, parameter) => operand!.Type.Serves(parameter.Type!)).All(serves => serves))
            {
                return Invoke(overload.Result!, overload, operands.Select(operand => operand!));
            }
        }

        return Fail(
            span,
            operands.Length == 1
                ? $"“{sign}” is for numbers; here is a {operands[0]!.Type.Word}."
                : $"“{sign}” cannot stand between a {operands[0]!.Type.Word} and a {operands[1]!.Type.Word}."
        );
    }

    private static Typed.Invocation Invoke(FormulaType type, FunctionOverload function, IEnumerable<Typed> arguments) =>
        new(
            type,
            function,
            [
                .. arguments.Select(argument =>
                    argument.Type is not FormulaType.List && function.Exactness.Settles(argument.Exactness) ? Settle(argument) : argument
                ),
            ]
        );

    private static Typed Settled(Typed value) => value.Exactness is Exactness.Rounded ? Settle(value) : value;

    private static Typed Settle(Typed value) =>
        value is Typed.Invocation { Function.Name: "SETTLE" }
            ? value
            : new Typed.Invocation(value.Type, Operations.Named(nameof(Arithmetic.Settle)), [value]);

    private bool Comparable(Syntax.Binary binary, Typed left, Typed right)
    {
        if (
            FormulaType.Common(left.Type, right.Type) is { } common and not FormulaType.List
            && common is not FormulaType.Blank | binary.Operator is Operator.Equal or Operator.NotEqual
        )
        {
            return true;
        }

        Fail(binary.OperatorSpan, $"A {left.Type.Word} cannot be compared with a {right.Type.Word}.");
        return false;
    }

    // What is compared with one of a closed set of words, such as the names of roles, is among them.
    private bool IsAmong(Span span, Typed choice, Typed value) =>
        choice.Type is not FormulaType.Choice { IsClosed: true } closed
        || value is not Typed.Constant { Value: string wanted }
        || closed.Options.Contains(wanted, StringComparer.Ordinal)
        || NeverAmong(span, wanted, closed) is not null;

    private Typed? AsText(Span span, Typed value) =>
        value.Type switch
        {
            FormulaType.Text or FormulaType.Choice => value,
            FormulaType.List or FormulaType.Record or FormulaType.Json => Fail(
                span,
                $"A {value.Type.Word} is no text and cannot be turned into one."
            ),
            _ => Invoke(new FormulaType.Text(), Operations.Named(nameof(Conversions.AsText)), [value]),
        };

    private bool Expect(Span span, Typed value, FormulaType wanted, string said)
    {
        if (value.Type.Serves(wanted))
        {
            return true;
        }

        Fail(span, $"{said}; here is a {value.Type.Word}.");
        return false;
    }

    private Typed? Fail(Span span, string message, string? correction = null)
    {
        _problems.Add(new FormulaProblem(span, message, correction));
        return null;
    }

    private Typed? Unknown(Span span, string kind, string name, string? near) =>
        Fail(span, near is null ? $"Unknown {kind} “{name}”." : $"Unknown {kind} “{name}”. Did you mean “{near}”?", near);

    private static string? NearestMember(FormulaShape shape, string name) =>
        Nearest(name, shape.Members.Select(member => member.Key)) is { } near ? Formatter.Name(near) : null;

    // The candidate with the fewest slips between, where there are few enough for it to be meant.
    private static string? Nearest(string name, IEnumerable<string> candidates)
    {
        if (name.Length > 60)
        {
            return null;
        }

        var near = candidates
            .Where(candidate => Math.Abs(candidate.Length - name.Length) <= 2 && candidate.Length <= 62)
            .Select(candidate => (Candidate: candidate, Slips: Slips(name.ToUpperInvariant(), candidate.ToUpperInvariant())))
            .OrderBy(pair => pair.Slips)
            .FirstOrDefault((Candidate: "", Slips: int.MaxValue));
        return near.Slips <= Math.Max(1, name.Length / 3) ? near.Candidate : null;
    }

    // Levenshtein's distance, by rows (Wagner and Fischer, 1974).
    private static int Slips(string one, string other)
    {
        var row = Enumerable.Range(0, other.Length + 1).ToArray();
        for (var i = 0; i < one.Length; i++)
        {
            var diagonal = row[0];
            row[0] = i + 1;
            for (var j = 0; j < other.Length; j++)
            {
                var slips = Math.Min(Math.Min(row[j], row[j + 1]) + 1, diagonal + (one[i] == other[j] ? 0 : 1));
                diagonal = row[j + 1];
                row[j + 1] = slips;
            }
        }

        return row[^1];
    }
}
