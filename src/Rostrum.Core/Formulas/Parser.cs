using System.Collections.Immutable;

namespace Rostrum.Core.Formulas;

/// <summary>What parsing gives for any text: a tree, and what is wrong with it.</summary>
public sealed record ParsedFormula(string Text, Syntax Tree, ImmutableArray<FormulaProblem> Problems);

/// <summary>
/// Reads formulas: operators by precedence climbing, from the left. It never throws and never recurses deeper than it allows a formula to
/// be.
/// </summary>
public sealed class Parser
{
    /// <summary>How deep a formula's tree may be; deeper is a problem, so that nothing that walks a tree runs out of stack.</summary>
    public const int MaxDepth = 200;

    private readonly Lexer _lexer;
    private readonly List<FormulaProblem> _problems = [];
    private Token _token;
    private int _depth;
    private bool _tooDeep;

    private Parser(string text)
    {
        _lexer = new Lexer(text);
        _token = _lexer.Next();
    }

    /// <summary>Parses a formula, without the equals sign that marks one in a property.</summary>
    public static ParsedFormula Parse(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        var parser = new Parser(text);
        var tree = parser.Expression(1).Tree;
        if (parser._token.Kind is not TokenKind.End && !parser._tooDeep)
        {
            parser.Problem(
                parser._token.Span,
                parser._token.Kind is TokenKind.Close ? "This bracket closes nothing." : "Here an operator is missing."
            );
        }

        return new ParsedFormula(text, tree, [.. parser._lexer.Problems.Concat(parser._problems).OrderBy(problem => problem.Span.Start)]);
    }

    // A tree with how deep it is.
    private readonly record struct Deep(Syntax Tree, int Depth);

    private Deep Expression(int tightness)
    {
        if (++_depth > MaxDepth)
        {
            return TooDeep();
        }

        var left = Percents();
        while (!_tooDeep && _token.Kind is TokenKind.Operator && _token.Operator.Tightness() >= tightness)
        {
            var sign = Take();
            var right = Expression(sign.Operator.Tightness() + 1);
            left = Deeper(
                new Syntax.Binary(Span.Over(left.Tree.Span, right.Tree.Span), sign.Operator, sign.Span, left.Tree, right.Tree),
                Math.Max(left.Depth, right.Depth)
            );
        }

        _depth--;
        return left;
    }

    private Deep Signed()
    {
        if (_token is not { Kind: TokenKind.Operator, Operator: Operator.Add or Operator.Subtract })
        {
            return Members();
        }

        var signs = new Stack<Token>();
        while (_token is { Kind: TokenKind.Operator, Operator: Operator.Add or Operator.Subtract })
        {
            signs.Push(Take());
        }

        var operand = Members();
        while (signs.TryPop(out var sign) && !_tooDeep)
        {
            operand = Deeper(
                new Syntax.Prefix(Span.Over(sign.Span, operand.Tree.Span), sign.Operator is Operator.Subtract, operand.Tree),
                operand.Depth
            );
        }

        return operand;
    }

    private Deep Percents()
    {
        var operand = Signed();
        while (_token.Kind is TokenKind.Percent && !_tooDeep)
        {
            operand = Deeper(new Syntax.Percent(Span.Over(operand.Tree.Span, Take().Span), operand.Tree), operand.Depth);
        }

        return operand;
    }

    private Deep Members()
    {
        var of = Primary();
        while (_token.Kind is TokenKind.Dot && !_tooDeep)
        {
            Take();
            if (_token.Kind is TokenKind.Name or TokenKind.QuotedName)
            {
                var name = Take();
                of = Deeper(new Syntax.Member(Span.Over(of.Tree.Span, name.Span), of.Tree, name.Value, name.Span), of.Depth);
            }
            else
            {
                Problem(_token.Span, "After the dot a name is missing.");
            }
        }

        return of;
    }

    private Deep Primary()
    {
        switch (_token.Kind)
        {
            case TokenKind.Number:
                var number = Take();
                return new Deep(new Syntax.Number(number.Span, number.Number), 1);
            case TokenKind.Text:
                var text = Take();
                return new Deep(new Syntax.Text(text.Span, text.Value), 1);
            case TokenKind.QuotedName:
                var quoted = Take();
                return new Deep(new Syntax.Name(quoted.Span, quoted.Value), 1);
            case TokenKind.Name:
                return NameOrCall(Take());
            case TokenKind.Open:
                var open = Take();
                var inner = Expression(1);
                Close(open.Span);
                return inner;
            case TokenKind.Unknown:
                Take();
                return AfterUnknown();
            default:
                return Missing();
        }
    }

    // After a sign without a meaning, what follows may well stand for itself; a row of such signs is passed over in a loop.
    private Deep AfterUnknown()
    {
        while (_token.Kind is TokenKind.Unknown)
        {
            Take();
        }

        return _token.Kind is TokenKind.Number or TokenKind.Text or TokenKind.Name or TokenKind.QuotedName or TokenKind.Open
            ? Primary()
            : new Deep(new Syntax.Missing(_token.Span), 1);
    }

    private Deep Missing()
    {
        Problem(
            _token.Span,
            _token.Kind is TokenKind.End ? "Here the formula ends, and something is missing." : "Here a value is missing."
        );
        return new Deep(new Syntax.Missing(new Span(_token.Span.Start, 0)), 1);
    }

    private Deep NameOrCall(Token name)
    {
        if (_token.Kind is TokenKind.Open)
        {
            return Call(name);
        }

        return new Deep(
            name.Value.ToUpperInvariant() switch
            {
                "TRUE" => new Syntax.Truth(name.Span, true),
                "FALSE" => new Syntax.Truth(name.Span, false),
                "BLANK" => new Syntax.Blank(name.Span),
                _ => new Syntax.Name(name.Span, name.Value),
            },
            1
        );
    }

    private Deep Call(Token name)
    {
        var open = Take();
        var arguments = ImmutableArray.CreateBuilder<Syntax>();
        var depth = 0;
        while (_token.Kind is not (TokenKind.Close or TokenKind.End) && !_tooDeep)
        {
            var argument = Expression(1);
            arguments.Add(argument.Tree);
            depth = Math.Max(depth, argument.Depth);
            if (_token.Kind is TokenKind.Separator)
            {
                Take();
                if (_token.Kind is TokenKind.Close)
                {
                    arguments.Add(Missing().Tree);
                }
            }
            else if (_token.Kind is not (TokenKind.Close or TokenKind.End) && !_tooDeep)
            {
                Problem(_token.Span, "Here a comma or an operator is missing.");
                SkipToNextArgument();
            }
        }

        var end = _token.Span;
        Close(open.Span);
        var span = Span.Over(name.Span, end);
        return name.Value.ToUpperInvariant() switch
        {
            "TRUE" when arguments.Count == 0 => new Deep(new Syntax.Truth(span, true), 1),
            "FALSE" when arguments.Count == 0 => new Deep(new Syntax.Truth(span, false), 1),
            _ => Deeper(new Syntax.Call(span, name.Value, name.Span, arguments.ToImmutable()), depth),
        };
    }

    private void SkipToNextArgument()
    {
        for (var nested = 0; _token.Kind is not TokenKind.End; Take())
        {
            if (nested == 0 && _token.Kind is TokenKind.Close or TokenKind.Separator)
            {
                break;
            }

            nested +=
                _token.Kind is TokenKind.Open ? 1
                : _token.Kind is TokenKind.Close ? -1
                : 0;
        }

        if (_token.Kind is TokenKind.Separator)
        {
            Take();
        }
    }

    private void Close(Span open)
    {
        if (_token.Kind is TokenKind.Close)
        {
            Take();
        }
        else if (!_tooDeep)
        {
            Problem(open, "This bracket is not closed.");
        }
    }

    private Deep Deeper(Syntax tree, int depth) => depth + 1 > MaxDepth ? TooDeep() : new Deep(tree, depth + 1);

    private Deep TooDeep()
    {
        if (!_tooDeep)
        {
            _tooDeep = true;
            Problem(_token.Span, $"This formula is too long or nested too deeply: {MaxDepth} levels are the most.");
        }

        return new Deep(new Syntax.Missing(new Span(_token.Span.Start, 0)), 1);
    }

    private Token Take()
    {
        var taken = _token;
        _token = _lexer.Next();
        return taken;
    }

    private void Problem(Span span, string message) => _problems.Add(new FormulaProblem(span, message));
}
