using System.Collections.Immutable;

namespace Rostrum.Core.Formulas;

/// <summary>
/// Checking of calls: the forms of the language, which look at some of their arguments only, and the functions of the catalogue.
/// </summary>
public sealed partial class Checker
{
    private static readonly FormulaType Condition = new FormulaType.Boolean();

    private Typed? Call(Syntax.Call call)
    {
        var name = call.Function.ToUpperInvariant();
        if (Forms.Find(name) is { } form)
        {
            return call.Arguments.Length < form.Fewest || call.Arguments.Length > form.Most
                ? Fail(
                    call.Span,
                    $"{form.Signature}: {Amount(form.Fewest, form.Most)} stand in the brackets; here {Are(call.Arguments.Length)}."
                )
                : Form(name, call);
        }

        if (!FunctionCatalogue.Functions.TryGetValue(name, out var overloads))
        {
            foreach (var argument in call.Arguments)
            {
                Visit(argument);
            }

            return Unknown(
                call.FunctionSpan,
                "function",
                call.Function,
                Nearest(name, FunctionCatalogue.Functions.Keys.Concat(Forms.Names))
            );
        }

        var arguments = call.Arguments.Select(Visit).ToArray();
        return arguments.Any(argument => argument is null) ? null : Function(call, overloads, [.. arguments.Select(argument => argument!)]);
    }

    private Typed? Function(Syntax.Call call, ImmutableArray<FunctionOverload> overloads, ImmutableArray<Typed> arguments)
    {
        var counted = overloads
            .Where(overload =>
                arguments.Length >= overload.Fewest && (overload.IsVariadic || arguments.Length <= overload.Parameters.Length)
            )
            .ToArray();
        if (counted.Length == 0)
        {
            return Fail(
                call.Span,
                $"{overloads[0].Signature}: "
                    + $"{Amount(overloads.Min(overload => overload.Fewest), overloads.Max(overload => overload.Parameters.Length))} "
                    + $"stand in the brackets; here {Are(arguments.Length)}."
            );
        }

        if (
            counted.FirstOrDefault(overload =>
                arguments.Select((argument, index) => Fits(argument.Type, overload.ParameterAt(index)!)).All(fits => fits)
            )
            is not { } chosen
        )
        {
            foreach (var overload in counted)
            {
                Typed?[] converted = [.. arguments.Select((argument, index) => Converted(argument, overload.ParameterAt(index)!))];
                if (Array.TrueForAll(converted, argument => argument is not null))
                {
                    return Function(call, [overload], [.. converted.Select(argument => argument!)]);
                }
            }

            var wrong = Enumerable
                .Range(0, arguments.Length)
                .First(index => !Fits(arguments[index].Type, counted[0].ParameterAt(index)!) || index == arguments.Length - 1);
            return Fail(
                call.Arguments[wrong].Span,
                $"{counted[0].Signature}: “{counted[0].ParameterAt(wrong)!.Name}” should be a "
                    + $"{counted[0].ParameterAt(wrong)!.Type?.Word ?? "value"}; here is a {arguments[wrong].Type.Word}."
            );
        }

        if (
            arguments
                is [
                    { Type: FormulaType.List { Element: FormulaType.Choice { IsClosed: true } choice } },
                    Typed.Constant { Value: string wanted },
                    ..,
                ]
            && chosen.Name is "CONTAINS" or "COUNTIF"
            && !choice.Options.Contains(wanted, StringComparer.Ordinal)
        )
        {
            return NeverAmong(call.Arguments[1].Span, wanted, choice);
        }

        var element = arguments.Select(argument => argument.Type).OfType<FormulaType.List>().FirstOrDefault();
        var type = chosen.Result
            ?? (chosen.Method.ReturnType == typeof(IReadOnlyList<object?>) ? element : element?.Element)
            ?? new FormulaType.Blank();
        return Invoke(type, chosen, arguments);
    }

    private Typed? NeverAmong(Span span, string wanted, FormulaType.Choice choice)
    {
        var labelled = choice
            .Options.Zip(choice.Labels)
            .FirstOrDefault(option => option.Second.Equals(wanted, StringComparison.OrdinalIgnoreCase))
            .First;
        var near = labelled ?? Nearest(wanted, choice.Options);
        return Fail(
            span,
            $"“{wanted}” is not one of the choices." + (near is null ? "" : $" Did you mean “{near}”?"),
            near is null ? null : Formatter.Format(new Syntax.Text(default, near))
        );
    }

    // A number or a date stands as a text where one is wanted, and a logical as a number.
    private static Typed? Converted(Typed argument, FunctionParameter parameter) =>
        Fits(argument.Type, parameter)
            ? argument
            : (argument.Type, parameter.Type) switch
            {
                (
                    FormulaType.Number
                        or FormulaType.Boolean
                        or FormulaType.Date
                        or FormulaType.Time
                        or FormulaType.DateTime,
                    FormulaType.Text
                ) => Invoke(new FormulaType.Text(), Operations.Named(nameof(Conversions.AsText)), [argument]),
                (FormulaType.Boolean, FormulaType.Number) => AsNumber(argument),
                _ => null,
            };

    private static Typed AsNumber(Typed value) =>
        value.Type is FormulaType.Boolean
            ? Invoke(new FormulaType.Number(), Operations.Named(nameof(Conversions.AsNumber)), [value])
            : value;

    private static bool Fits(FormulaType type, FunctionParameter parameter) =>
        (type, parameter.Type) switch
        {
            (_, null) => true,
            (FormulaType.Blank, FormulaType.List) => true,
            (FormulaType.List, FormulaType.List { Element: FormulaType.Blank }) => true,
            _ => type.Serves(parameter.Type),
        };

    private Typed? Form(string name, Syntax.Call call) =>
        name switch
        {
            "IF" => Branches(call, [(call.Arguments[0], call.Arguments[1])], call.Arguments.Length > 2 ? call.Arguments[2] : null),
            "IFS" => call.Arguments.Length % 2 == 1
                ? Fail(call.Span, "IFS: conditions and values stand in pairs; the last condition has no value.")
                : Branches(call, [.. call.Arguments.Chunk(2).Select(pair => (pair[0], pair[1]))], null),
            "SWITCH" => Switch(call),
            "CHOOSE" => Choose(call),
            "AND" or "OR" => Conditions(call, any: name == "OR"),
            "IFBLANK" => IfBlank(call),
            "FILTER" => Walk(call, ListWalk.Filter, list => list, Condition),
            "SORT" => Walk(call, ListWalk.Sort, list => list, null),
            "ALL" => Walk(call, ListWalk.All, _ => Condition, Condition),
            "LABEL" => Label(call),
            "TITLE" => Title(call),
            "ANY" => Walk(call, ListWalk.Any, _ => Condition, Condition),
            _ => throw new ArgumentOutOfRangeException(nameof(name), name, "unknown form"),
        };

    private Typed? Branches(Syntax.Call call, ImmutableArray<(Syntax Condition, Syntax Value)> pairs, Syntax? otherwise)
    {
        var branches = new List<(Typed? Condition, Typed? Value)>();
        foreach (var (condition, value) in pairs)
        {
            var held = Visit(condition);
            branches.Add(
                (
                    held is null
                    || Expect(
                        condition.Span,
                        held,
                        Condition,
                        $"{call.Function.ToUpperInvariant()} asks whether something is true or false"
                    )
                        ? held
                        : null,
                    Visit(value)
                )
            );
        }

        if (branches.Any(branch => branch.Condition is null || branch.Value is null))
        {
            _ = otherwise is null ? null : Visit(otherwise);
            return null;
        }

        var last = otherwise is null ? Blank : Visit(otherwise);
        return last is null ? null : Cases(call, [.. branches.Select(branch => ((Typed?)branch.Condition, branch.Value!))], last);
    }

    private Typed? Cases(Syntax.Call call, ImmutableArray<(Typed? Condition, Typed Value)> branches, Typed otherwise)
    {
        FormulaType? common = otherwise.Type;
        foreach (var (_, value) in branches)
        {
            if (FormulaType.Common(common, value.Type) is not { } both)
            {
                return Fail(
                    call.Span,
                    $"{call.Function.ToUpperInvariant()} gives a {value.Type.Word} in one case and a {common.Word} in another; "
                        + "all should be of one type."
                );
            }

            common = both;
        }

        return new Typed.Cases(common, branches.Add((null, otherwise)));
    }

    private Typed? Switch(Syntax.Call call)
    {
        var arguments = call.Arguments.Select(Visit).ToArray();
        if (arguments.Any(argument => argument is null))
        {
            return null;
        }

        var branches = ImmutableArray.CreateBuilder<(Typed?, Typed)>();
        for (var i = 1; i + 1 < arguments.Length; i += 2)
        {
            if (FormulaType.Common(arguments[0]!.Type, arguments[i]!.Type) is null or FormulaType.List)
            {
                return Fail(call.Arguments[i].Span, $"A {arguments[0]!.Type.Word} cannot be compared with a {arguments[i]!.Type.Word}.");
            }

            branches.Add((new Typed.Same(Settled(arguments[0]!), Settled(arguments[i]!), Negated: false), arguments[i + 1]!));
        }

        return Cases(call, branches.ToImmutable(), arguments.Length % 2 == 0 ? arguments[^1]! : Blank);
    }

    private Typed? Choose(Syntax.Call call)
    {
        var arguments = call.Arguments.Select(Visit).ToArray();
        if (
            arguments.Any(argument => argument is null)
            || !Expect(call.Arguments[0].Span, arguments[0]!, new FormulaType.Number(), "CHOOSE begins with the number of a value")
        )
        {
            return null;
        }

        var place = Invoke(new FormulaType.Number(), FunctionCatalogue.Functions["INT"][0], [arguments[0]!]);
        return Cases(
            call,
            [
                .. arguments
                    .Skip(1)
                    .Select(
                        (value, index) =>
                            (
                                (Typed?)
                                    new Typed.Same(
                                        place,
                                        new Typed.Constant(new FormulaType.Number(), (decimal)(index + 1)),
                                        Negated: false
                                    ),
                                value!
                            )
                    ),
            ],
            Blank
        );
    }

    private Typed.Conditions? Conditions(Syntax.Call call, bool any)
    {
        var parts = ImmutableArray.CreateBuilder<Typed>();
        foreach (var argument in call.Arguments)
        {
            if (
                Visit(argument) is { } part
                && Expect(argument.Span, part, Condition, $"{call.Function.ToUpperInvariant()} asks whether things are true or false")
            )
            {
                parts.Add(part);
            }
        }

        return parts.Count == call.Arguments.Length ? new Typed.Conditions(parts.ToImmutable(), any) : null;
    }

    private Typed? IfBlank(Syntax.Call call)
    {
        var (value, other) = (Visit(call.Arguments[0]), Visit(call.Arguments[1]));
        return value is null || other is null ? null
            : FormulaType.Common(value.Type, other.Type) is { } common ? new Typed.Otherwise(common, value, other)
            : Fail(call.Span, $"IFBLANK gives a {value.Type.Word} or a {other.Type.Word}; both should be of one type.");
    }

    private Typed? Label(Syntax.Call call)
    {
        if (Visit(call.Arguments[0]) is not { } value)
        {
            return null;
        }

        if (value.Type is not FormulaType.Choice choice)
        {
            return Fail(call.Arguments[0].Span, $"LABEL is for choices; here is a {value.Type.Word}.");
        }

        var texts = choice.Options.Zip(choice.Labels, (option, label) =>
            ((Typed?)new Typed.Same(value, Text(option), Negated: false), (Typed)Text(label))
        );
        return new Typed.Cases(new FormulaType.Text(), [.. texts, (null, value)]);
    }

    private Typed? Title(Syntax.Call call)
    {
        if (Visit(call.Arguments[0]) is not { } record)
        {
            return null;
        }

        if (record.Type is not FormulaType.Record { Shape: { Title.IsEmpty: false } shape })
        {
            return Fail(
                call.Arguments[0].Span,
                record.Type is FormulaType.Record
                    ? $"A {record.Type.Word} has no title."
                    : $"TITLE is for records; here is a {record.Type.Word}."
            );
        }

        var parts = shape.Title.Select(path => AsText(call.Span, path.Aggregate(record, Follow))).OfType<Typed>();
        var joined = Invoke(
            new FormulaType.Text(),
            FunctionCatalogue.Functions["TEXTJOIN"][0],
            [Text(" · "), new Typed.Constant(Condition, true), .. parts]
        );
        return Invoke(new FormulaType.Text(), Operations.Named(nameof(Conversions.Unempty)), [joined]);
    }

    private static Typed Follow(Typed record, string name)
    {
        var shape = ((FormulaType.Record)record.Type).Shape;
        var index = shape.IndexOf(name);
        return new Typed.Member(shape.Members[index].Value, record, index, name);
    }

    private static Typed.Constant Text(string text) => new(new FormulaType.Text(), text);

    private Typed? Walk(Syntax.Call call, ListWalk kind, Func<FormulaType, FormulaType> result, FormulaType? wanted)
    {
        if (Visit(call.Arguments[0]) is not { } list)
        {
            return null;
        }

        if (list.Type is not FormulaType.List { Element: FormulaType.Record { Shape: var shape } })
        {
            return Fail(
                call.Arguments[0].Span,
                $"{call.Function.ToUpperInvariant()} looks at a list of records; here is a {list.Type.Word}."
            );
        }

        _levels.Add(shape);
        var body = Visit(call.Arguments[1]);
        _levels.RemoveAt(_levels.Count - 1);
        if (
            body is null
            || (
                wanted is not null
                && !Expect(
                    call.Arguments[1].Span,
                    body,
                    wanted,
                    $"{call.Function.ToUpperInvariant()} asks of each record whether something is true or false"
                )
            )
        )
        {
            return null;
        }

        if (
            kind is ListWalk.Sort
            && body.Type
                is not (
                    FormulaType.Text
                    or FormulaType.Choice
                    or FormulaType.Number
                    or FormulaType.Date
                    or FormulaType.Time
                    or FormulaType.DateTime
                )
        )
        {
            return Fail(call.Arguments[1].Span, $"Values of the type {body.Type.Word} have no order.");
        }

        var descending = call.Arguments.Length > 2 && call.Arguments[2] is Syntax.Truth { Value: false };
        return new Typed.Walk(result(list.Type), kind, list, body, descending);
    }

    private static Typed.Constant Blank => new(new FormulaType.Blank(), null);

    private static string Amount(int fewest, int most) =>
        fewest == most ? $"{fewest} value{(fewest == 1 ? "" : "s")}"
        : most == int.MaxValue ? $"{fewest} values or more"
        : $"{fewest} to {most} values";

    private static string Are(int count) =>
        count switch
        {
            0 => "is none",
            1 => "is 1",
            _ => $"are {count}",
        };
}
