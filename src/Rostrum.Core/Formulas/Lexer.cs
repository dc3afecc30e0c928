using System.Globalization;
using System.Text;

namespace Rostrum.Core.Formulas;

internal enum TokenKind
{
    Number,
    Text,
    Name,
    QuotedName,
    Operator,
    Percent,
    Open,
    Close,
    Separator,
    Dot,
    Unknown,
    End,
}

internal readonly record struct Token(TokenKind Kind, Span Span, string Value = "", Operator Operator = default, decimal Number = 0);

/// <summary>Cuts a formula's text into tokens. Whatever the text, it comes to an end, and what it cannot read it names.</summary>
internal sealed class Lexer(string text)
{
    private int _at;

    public List<FormulaProblem> Problems { get; } = [];

    public Token Next()
    {
        SkipBlanks();
        if (_at >= text.Length)
        {
            return new Token(TokenKind.End, new Span(text.Length, 0));
        }

        var start = _at;
        var letter = text[_at];
        return letter switch
        {
            '"' => Quoted(TokenKind.Text, '"', "This text has no closing quote."),
            '\'' => Quoted(TokenKind.QuotedName, '\'', "This name has no closing quote."),
            >= '0' and <= '9' => Number(),
            '.' when _at + 1 < text.Length && char.IsAsciiDigit(text[_at + 1]) => Number(),
            '.' => One(TokenKind.Dot),
            '(' => One(TokenKind.Open),
            ')' => One(TokenKind.Close),
            ',' or ';' => One(TokenKind.Separator),
            '%' => One(TokenKind.Percent),
            '<' when Follows('>') => Signs(Operator.NotEqual, 2),
            '<' when Follows('=') => Signs(Operator.AtMost, 2),
            '>' when Follows('=') => Signs(Operator.AtLeast, 2),
            '<' => Signs(Operator.Less, 1),
            '>' => Signs(Operator.More, 1),
            '=' => Signs(Operator.Equal, 1),
            '&' => Signs(Operator.Join, 1),
            '+' => Signs(Operator.Add, 1),
            '-' => Signs(Operator.Subtract, 1),
            '*' => Signs(Operator.Multiply, 1),
            '/' => Signs(Operator.Divide, 1),
            '^' => Signs(Operator.Power, 1),
            _ when IsNameStart(letter) => Name(),
            _ => Unknown(start),
        };
    }

    public static bool IsNameStart(char letter) => char.IsLetter(letter) || letter == '_' || char.IsSurrogate(letter);

    public static bool IsNamePart(char letter) =>
        IsNameStart(letter)
        || char.IsDigit(letter)
        || CharUnicodeInfo.GetUnicodeCategory(letter) is UnicodeCategory.NonSpacingMark or UnicodeCategory.SpacingCombiningMark;

    private bool Follows(char next) => _at + 1 < text.Length && text[_at + 1] == next;

    private void SkipBlanks()
    {
        while (_at < text.Length)
        {
            if (char.IsWhiteSpace(text[_at]))
            {
                _at++;
            }
            else if (text[_at] == '/' && Follows('*'))
            {
                var end = text.IndexOf("*/", _at + 2, StringComparison.Ordinal);
                if (end < 0)
                {
                    Problems.Add(new FormulaProblem(new Span(_at, text.Length - _at), "This comment has no end.", text[_at..] + "*/"));
                }

                _at = end < 0 ? text.Length : end + 2;
            }
            else
            {
                return;
            }
        }
    }

    private Token One(TokenKind kind) => new(kind, new Span(_at++, 1));

    private Token Signs(Operator value, int length)
    {
        _at += length;
        return new Token(TokenKind.Operator, new Span(_at - length, length), Operator: value);
    }

    private Token Unknown(int start)
    {
        _at++;
        Problems.Add(new FormulaProblem(new Span(start, 1), $"“{text[start]}” has no meaning here."));
        return new Token(TokenKind.Unknown, new Span(start, 1));
    }

    private Token Name()
    {
        var start = _at;
        while (_at < text.Length && IsNamePart(text[_at]))
        {
            _at++;
        }

        return new Token(TokenKind.Name, new Span(start, _at - start), text[start.._at]);
    }

    private Token Number()
    {
        var start = _at;
        Digits();
        if (_at < text.Length && text[_at] == '.')
        {
            _at++;
            Digits();
        }

        if (_at < text.Length && text[_at] is 'e' or 'E' && ExponentFollows())
        {
            _at += 2;
            Digits();
        }

        var span = new Span(start, _at - start);
        if (
            !decimal.TryParse(
                text.AsSpan(start, span.Length),
                NumberStyles.AllowDecimalPoint | NumberStyles.AllowExponent,
                CultureInfo.InvariantCulture,
                out var value
            )
        )
        {
            Problems.Add(new FormulaProblem(span, "This number is too large: 28 digits fit."));
        }

        return new Token(TokenKind.Number, span, Number: value);
    }

    private bool ExponentFollows() =>
        _at + 1 < text.Length
        && (char.IsAsciiDigit(text[_at + 1]) || (text[_at + 1] is '+' or '-' && _at + 2 < text.Length && char.IsAsciiDigit(text[_at + 2])));

    private void Digits()
    {
        while (_at < text.Length && char.IsAsciiDigit(text[_at]))
        {
            _at++;
        }
    }

    // A quote inside is doubled.
    private Token Quoted(TokenKind kind, char quote, string unclosed)
    {
        var start = _at++;
        var value = new StringBuilder();
        while (_at < text.Length)
        {
            if (text[_at] != quote)
            {
                value.Append(text[_at++]);
            }
            else if (Follows(quote))
            {
                value.Append(quote);
                _at += 2;
            }
            else
            {
                _at++;
                return new Token(kind, new Span(start, _at - start), value.ToString());
            }
        }

        Problems.Add(new FormulaProblem(new Span(start, _at - start), unclosed, text[start..] + quote));
        return new Token(kind, new Span(start, _at - start), value.ToString());
    }
}
