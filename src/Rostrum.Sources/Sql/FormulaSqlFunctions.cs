using Rostrum.Core.Formulas;
using Rostrum.Core.Formulas.Functions;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Operators and functions: most have a text of their own, which stands beside the function; here are those whose text depends on more.
/// </summary>
internal sealed partial class FormulaSql
{
    private SqlValue? Invocation(Typed.Invocation call)
    {
        if (call.Arguments.Any(argument => argument.Type is FormulaType.List))
        {
            return OverList(call);
        }

        if (call.Function.Name is "ISNUMBER" or "ISTEXT" or "ISEMPTY")
        {
            return Presence(call);
        }

        if (call.Function.Name is "NOT" or "XOR")
        {
            return All(call.Arguments.Select(Holds)) is { } conditions
                ? Boolean(call.Function.Name is "NOT" ? $"(({conditions[0]}) IS NOT TRUE)" : Odd(conditions))
                : null;
        }

        return
            All(call.Arguments.Select((argument, index) => Visit(argument, call.Function.ParameterAt(index)?.Type ?? argument.Type)))
                is { } arguments
            ? Compute(call, arguments)
            : null;
    }

    private SqlValue? Compute(Typed.Invocation call, List<SqlValue> arguments) =>
        call.Function.Name switch
        {
            "ADD" => Arithmetic(call, "+", arguments, NumberWidth.Sum),
            "SUBTRACT" => Arithmetic(call, "-", arguments, NumberWidth.Sum),
            "MULTIPLY" => Arithmetic(call, "*", arguments, NumberWidth.Product),
            "DIVIDE" => Divide(call, arguments[0], arguments[1]),
            "PERCENT" => Scaled(call, arguments[0], 100m),
            "POWER" => Power(call, arguments[0]),
            "NEGATE" => Negative(arguments[0]),
            "SETTLE" => _dialect.Settle(arguments[0]) is { } settled
                ? new SqlValue(settled, call.Type)
                {
                    Width = arguments[0].Width with { Digits = arguments[0].Width.Digits + 0.01, Scale = 18 },
                }
                : Refuse($"{_dialect.Name} computes further with a quotient to other last digits"),
            "ADDDAYS" => Text(call, _dialect.AddDays(arguments[0], arguments[1])),
            "SUBTRACTDAYS" => Negative(arguments[1]) is { } back ? Text(call, _dialect.AddDays(arguments[0], back)) : null,
            "DAYSBETWEEN" => Template(call, FunctionCatalogue.Functions["DAYS"][0].Sql!, arguments),
            "ADDTO" => Text(call, _dialect.AddTo(arguments[0], arguments[1])),
            "SUBTRACTFROM" => Negative(arguments[1]) is { } back ? Text(call, _dialect.AddTo(arguments[0], back)) : null,
            "BETWEEN" => Text(call, _dialect.Between(arguments[0], arguments[1])) is { } between
                ? between with
                {
                    Width = new NumberWidth(6.6, 20),
                }
                : null,
            "ASTEXT" => Text(call, _dialect.AsText(arguments[0])),
            "JOIN" or "CONCATENATE" => Limited(call, arguments, _dialect.Join(arguments.Select(OrNothing))),
            "TEXTJOIN" => Limited(
                call,
                [.. arguments.Skip(2)],
                JoinAll(call, arguments),
                LongestOf(arguments[0]) * Math.Max(0, arguments.Count - 3)
            ),
            "SUBSTITUTE" when CanOutgrow(arguments) => Refuse($"{_dialect.Name} does not limit how long the text becomes"),
            "REPLACE" when call.Function.Sql is { } sql => Template(call, sql, arguments) is { } replaced
                ? Limited(call, [arguments[0], arguments[3]], replaced.Text)
                : null,
            "SUM" => arguments
                .Select(OrNought)
                .Aggregate((sum, next) => sum is null || next is null ? null : Arithmetic(call, "+", [sum, next], NumberWidth.Sum)),
            "MIN" or "MAX" => Text(call, _dialect.Extreme(call.Function.Name is "MAX", arguments)) is { } extreme
                ? extreme with
                {
                    Width = arguments.Select(argument => argument.Width).Aggregate(NumberWidth.Widest),
                    Exactness = call.Exactness,
                }
                : null,
            _ when call.Function.Sql is { } sql => Template(call, sql, arguments),
            _ => Refuse($"{_dialect.Name} has no {call.Function.Name} that gives the same"),
        };

    private SqlValue? Template(Typed.Invocation call, SqlAttribute sql, List<SqlValue> arguments)
    {
        if (
            _dialect.TemplateOf(sql) is not { } template
            || (sql.Arguments > 0 && arguments.Count != sql.Arguments)
            || arguments.Exists(argument => argument.Type is FormulaType.Number && !_dialect.Carries(argument.Width))
        )
        {
            return Refuse($"{_dialect.Name} has no {call.Function.Name} that gives the same");
        }

        foreach (
            var parameter in call
                .Function.Parameters.Skip(arguments.Count)
                .Where(parameter => parameter is { Default: not null, Type: not null })
        )
        {
            if (_dialect.Constant(parameter.Type!, parameter.Default!, _parameters) is not { } missing)
            {
                return Refuse($"{_dialect.Name} computes with whole numbers only");
            }

            arguments.Add(missing);
        }

        return _dialect.Fill(template, arguments, Special) is not { } text
                ? Refuse($"{_dialect.Name} computes {call.Function.Name} only where its numbers stand in the formula")
            : call.Type is not FormulaType.Number ? new SqlValue(text, call.Type)
            : sql.Width is SqlWidth.Count ? _dialect.Count(text) with { Width = NumberWidth.Count }
            : Width(sql.Width, arguments) is { FitsMemory: true } width
                ? new SqlValue(text, call.Type) { Width = width, Exactness = call.Exactness }
            : Refuse(TooLong);
    }

    private const string TooLong = "its numbers could have more than 28 digits";

    private static NumberWidth Width(SqlWidth rule, List<SqlValue> arguments) =>
        rule switch
        {
            SqlWidth.Moments => new NumberWidth(12, 0),
            SqlWidth.First => arguments[0].Width,
            SqlWidth.Second => arguments[1].Width with { Scale = Math.Max(arguments[0].Width.Scale, arguments[1].Width.Scale) },
            SqlWidth.Whole => new NumberWidth(arguments[0].Width.Digits + 0.31, 0),
            SqlWidth.Digits => new NumberWidth(arguments[0].Width.Digits + 0.31, Math.Clamp((int)(decimal)arguments[1].Constant!, 0, 28)),
            SqlWidth.Step => NumberWidth.Sum(arguments[0].Width, arguments[1].Width) with { Scale = arguments[1].Width.Scale },
            _ => new NumberWidth(arguments[0].Width.Digits + arguments[1].Width.Scale, 0),
        };

    private string? Special(string word) =>
        word switch
        {
            "zone" => _parameters.Add(new FormulaType.Text(), _context.Zone.Id),
            "with-capital" => _parameters.Add(new FormulaType.Text(), Letters.ToCapitals.From),
            "capitals" => _parameters.Add(new FormulaType.Text(), Letters.ToCapitals.To),
            "with-marks" => _parameters.Add(new FormulaType.Text(), Letters.ToPlain.From),
            "plain" => _parameters.Add(new FormulaType.Text(), Letters.ToPlain.To),
            "with-small" => _parameters.Add(new FormulaType.Text(), Letters.ToSmall.From),
            "small" => _parameters.Add(new FormulaType.Text(), Letters.ToSmall.To),
            _ => throw new ArgumentOutOfRangeException(nameof(word), word, "unknown word in a template"),
        };

    private SqlValue? Arithmetic(
        Typed.Invocation call,
        string sign,
        List<SqlValue> operands,
        Func<NumberWidth, NumberWidth, NumberWidth> widen
    )
    {
        var width = widen(operands[0].Width, operands[1].Width);
        return call.Exactness is Exactness.Exact && !width.FitsMemory || !width.IsInRange
            ? Refuse(TooLong)
            : _dialect.Arithmetic(sign, operands[0], operands[1], width, call.Exactness)
                ?? Refuse($"{_dialect.Name} would compute it to other last digits");
    }

    private SqlValue? Divide(Typed.Invocation call, SqlValue dividend, SqlValue divisor)
    {
        if (Exactnesses.IsPowerOfTen(call.Arguments[1]))
        {
            return Scaled(call, dividend, (decimal)divisor.Constant!);
        }

        var width = new NumberWidth(Math.Max(dividend.Width.Digits + divisor.Width.Scale, 0), 28);
        if (
            dividend.Exactness is Exactness.Exact && !dividend.Width.FitsMemory
            || !width.IsInRange
            || _dialect.Wide(dividend) is not { } wide
        )
        {
            return Refuse(_dialect.Wide(dividend) is null ? $"{_dialect.Name} has no decimal numbers" : TooLong);
        }

        var quotient = $"({wide} / nullif({_dialect.Number(divisor)}, 0))";

        // Memory keeps 28 digits after the point and no more.
        return new SqlValue(dividend.Width.Scale + divisor.Width.Digits > 12 ? $"round({quotient}, 28)" : quotient, call.Type)
        {
            Width = width,
            Exactness = call.Exactness,
        };
    }

    // Division by a power of ten moves the point, and loses no digit.
    private SqlValue? Scaled(Typed.Invocation call, SqlValue number, decimal divisor)
    {
        var moved = NumberWidth.Product(number.Width, NumberWidth.Of(1 / divisor)) with
        {
            Digits = Math.Max(number.Width.Digits - Math.Log10((double)divisor), 0) + 0.01,
        };
        return call.Exactness is Exactness.Exact && !moved.FitsMemory ? Refuse(TooLong)
            : _dialect.Constant(call.Type, 1 / divisor, _parameters) is { } factor
            && _dialect.Arithmetic("*", number, factor, moved, call.Exactness) is { } product
                ? product
            : Refuse($"{_dialect.Name} would compute it to other last digits");
    }

    private SqlValue? Power(Typed.Invocation call, SqlValue number)
    {
        if (
            call.Exactness is not Exactness.Exact
            || call.Arguments[1] is not Typed.Constant { Value: decimal and >= 1 and <= 4 and var exponent }
        )
        {
            return Refuse($"{_dialect.Name} computes such powers to other last digits");
        }

        var power = number;
        for (var i = 1; i < exponent && power is not null; i++)
        {
            power = Arithmetic(call, "*", [power, number], NumberWidth.Product);
        }

        return power;
    }

    private SqlValue? Negative(SqlValue number) =>
        _dialect.Negate(number) is { } negative
            ? number with
            {
                Text = negative,
                Column = null,
                Constant = number.Constant is decimal known ? -known : null,
                IsWhole = number.IsWhole && number.Width.IsWhole64,
            }
            : Refuse(TooLong);

    private SqlValue? Text(Typed node, string? text) =>
        text is null
            ? Refuse(node is Typed.Invocation call ? Otherwise(call.Function.Name) : $"{_dialect.Name} would compute it differently")
            : new SqlValue(text, node.Type);

    private string Otherwise(string function) =>
        function switch
        {
            "ADDTO" or "SUBTRACTFROM" => $"{_dialect.Name} moves moments exactly by 100,000 days at most",
            "BETWEEN" => $"{_dialect.Name} counts days between moments differently",
            "ASTEXT" => $"{_dialect.Name} writes such values differently",
            _ => $"{_dialect.Name} has no {function} that gives the same",
        };

    private static string OrNothing(SqlValue text) => text.Constant is null ? $"coalesce({text.Text}, '')" : text.Text;

    private SqlValue? OrNought(SqlValue number) =>
        number.Constant is not null ? number : number with { Text = $"coalesce({number.Text}, 0)", Column = null };

    private static string? JoinAll(Typed.Invocation call, List<SqlValue> arguments)
    {
        if (call.Arguments[1] is not Typed.Constant { Value: bool skips } || arguments[0].Constant is null)
        {
            return null;
        }

        string Part(SqlValue text) => skips ? $"CASE WHEN length({text.Text}) > 0 THEN {text.Text} END" : $"coalesce({text.Text}, '')";
        return $"concat_ws({string.Join(", ", arguments.Skip(2).Select(Part).Prepend(arguments[0].Text))})";
    }

    private SqlValue? Presence(Typed.Invocation call)
    {
        var type = call.Arguments[0].Type;
        if (Visit(call.Arguments[0], type) is not { } value)
        {
            return null;
        }

        return call.Function.Name switch
        {
            "ISEMPTY" => Boolean(
                type is FormulaType.Text or FormulaType.Choice ? $"(coalesce(length({value.Text}), 0) = 0)" : $"({value.Text} IS NULL)"
            ),
            "ISNUMBER" when type is FormulaType.Number => Boolean($"({value.Text} IS NOT NULL)"),
            "ISTEXT" when type is FormulaType.Text or FormulaType.Choice => Boolean($"({value.Text} IS NOT NULL)"),
            _ => Boolean("FALSE"),
        };
    }

    private static string Odd(List<string> conditions) =>
        $"(({string.Join(" + ", conditions.Select(condition => $"CASE WHEN {condition} THEN 1 ELSE 0 END"))}) % 2 = 1)";
}
