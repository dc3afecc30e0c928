using System.Collections.Immutable;
using System.Globalization;
using System.Text.RegularExpressions;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Core.Datasets.Drafting;

/// <summary>
/// Reads the condition of a CHECK constraint: comparisons, BETWEEN, IN, IS NULL, lengths and PostgreSQL's patterns (<c>~</c>, and
/// <c>~~</c>, as it writes LIKE), joined by AND, OR and NOT. What databases add
/// to what was written (casts, parentheses, <c>= ANY (ARRAY[…])</c>) is read past.
/// </summary>
public sealed partial class CheckCondition
{
    private readonly ImmutableArray<string> _tokens;
    private readonly IReadOnlyDictionary<string, Field> _columns;
    private int _at;

    private CheckCondition(string sql, IReadOnlyDictionary<string, Field> columns)
    {
        _tokens = [.. Token.Matches(sql).Select(match => match.Value)];
        _columns = columns;
    }

    [GeneratedRegex(
        """'([^']|'')*'|"([^"]|"")+"|`[^`]+`|\d+(\.\d+)?|[\p{L}_][\p{L}\p{N}_$]*|::|<=|>=|<>|!=|~~|\S""",
        RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex Token { get; }

    /// <summary>The condition; null where it says something else than conditions can.</summary>
    /// <param name="sql">The expression in SQL, without the word CHECK.</param>
    /// <param name="columns">The fields by their columns' names.</param>
    public static Condition? Read(string sql, IReadOnlyDictionary<string, Field> columns)
    {
        ArgumentNullException.ThrowIfNull(sql);
        ArgumentNullException.ThrowIfNull(columns);
        var reading = new CheckCondition(sql, columns);
        return reading.Either() is { } condition && reading._at == reading._tokens.Length ? condition : null;
    }

    private string Next => _at < _tokens.Length ? _tokens[_at] : "";

    private bool Skip(params ReadOnlySpan<string> words)
    {
        for (var i = 0; i < words.Length; i++)
        {
            if (_at + i >= _tokens.Length || !_tokens[_at + i].Equals(words[i], StringComparison.OrdinalIgnoreCase))
            {
                return false;
            }
        }

        _at += words.Length;
        return true;
    }

    private Condition? Either() => Joined(Both, "OR", parts => new Condition.Any(parts));

    private Condition? Both() => Joined(One, "AND", parts => new Condition.All(parts));

    private Condition? Joined(Func<Condition?> part, string word, Func<ImmutableArray<Condition>, Condition> join)
    {
        var parts = ImmutableArray.CreateBuilder<Condition>();
        do
        {
            if (part() is not { } read)
            {
                return null;
            }

            parts.Add(read);
        } while (Skip(word));
        return parts.Count == 1 ? parts[0] : join(parts.ToImmutable());
    }

    private Condition? One()
    {
        if (Skip("NOT"))
        {
            return One() is Condition.Test test && Opposite(test.Question) is { } question ? test with { Question = question } : null;
        }

        // A parenthesis holds a condition, or the value with which one begins.
        var start = _at;
        if (Skip("(") && Either() is { } inner && Skip(")") && (Next is ")" or "" || Is("AND") || Is("OR")))
        {
            return inner;
        }

        _at = start;
        return Compared();
    }

    private bool Is(string word) => Next.Equals(word, StringComparison.OrdinalIgnoreCase);

    private Condition? Compared()
    {
        if (Value() is not { } left)
        {
            return null;
        }

        if (Skip("IS", "NOT", "NULL"))
        {
            return Test(left, Question.IsGiven);
        }

        if (Skip("IS", "NULL"))
        {
            return Test(left, Question.IsBlank);
        }

        var not = Skip("NOT");
        if (Skip("BETWEEN"))
        {
            return
                !not
                && Value() is { } least
                && Skip("AND")
                && Value() is { } most
                && Compare(left, ">=", least) is { } from
                && Compare(left, "<=", most) is { } to
                ? new Condition.All([from, to])
                : null;
        }

        if (Skip("IN"))
        {
            return Skip("(") && List(")") is { } list ? OneOf(left, list, not) : null;
        }

        if (Next is "~" or "~~")
        {
            return _tokens[_at++] is var pattern && !not && Value() is { Literal: { } text } ? Pattern(left, pattern, text) : null;
        }

        var sign = Next;
        if (not || sign is not ("=" or "<>" or "!=" or "<" or "<=" or ">" or ">="))
        {
            return left is { Name: { } name, IsLength: false } && _columns[name].Type is FieldType.YesNo
                ? Compare(left, "=", new Part { Literal = "true" })
                : null;
        }

        _at++;
        if (Skip("ANY", "("))
        {
            var open = 1;
            while (Skip("("))
            {
                open++;
            }

            return sign == "=" && Skip("ARRAY", "[") && List("]") is { } list && Close(open) ? OneOf(left, list, not: false) : null;
        }

        return Value() is { } right
            ? left.Name is null && right.Name is not null
                ? Compare(right, Flipped(sign), left)
                : Compare(left, sign, right)
            : null;
    }

    private bool Close(int parentheses)
    {
        SkipCasts();
        for (var i = 0; i < parentheses; i++)
        {
            if (!Skip(")"))
            {
                return false;
            }

            SkipCasts();
        }

        return true;
    }

    private List<Part>? List(string end)
    {
        var parts = new List<Part>();
        do
        {
            if (Value() is not { Literal: not null } part)
            {
                return null;
            }

            parts.Add(part);
        } while (Skip(","));
        return Skip(end) ? parts : null;
    }

    private Part? Value()
    {
        var part = Bare();
        SkipCasts();
        return part;
    }

    private Part? Bare()
    {
        if (Skip("("))
        {
            return Value() is { } inner && Skip(")") ? inner : null;
        }

        if (Skip("-"))
        {
            return Value() is { Literal: { } number } ? new Part { Literal = "-" + number } : null;
        }

        if (Next.Length == 0)
        {
            return null;
        }

        var token = _tokens[_at++];
        if (token.ToLowerInvariant() is "length" or "char_length" or "character_length" && Skip("("))
        {
            return Value() is { Name: { } of } && Skip(")") ? new Part { Name = of, IsLength = true } : null;
        }

        if (token[0] == '\'')
        {
            return new Part { Literal = token[1..^1].Replace("''", "'", StringComparison.Ordinal) };
        }

        if (char.IsAsciiDigit(token[0]) || token.ToLowerInvariant() is "true" or "false")
        {
            return new Part { Literal = token };
        }

        var name = token.Trim('"', '`').Replace("\"\"", "\"", StringComparison.Ordinal);
        return _columns.ContainsKey(name) ? new Part { Name = name } : null;
    }

    private void SkipCasts()
    {
        while (Skip("::"))
        {
            _at++;
            while (Next.ToLowerInvariant() is "varying" or "precision" or "with" or "without" or "time" or "zone")
            {
                _at++;
            }

            if (Skip("("))
            {
                while (_at < _tokens.Length && !Skip(")"))
                {
                    _at++;
                }
            }

            _ = Skip("[", "]");
        }
    }

    private Condition.Test? Test(Part of, Question question, Operand? operand = null) =>
        of is { Name: { } name } ? new Condition.Test([_columns[name].Name.Value], question, operand) : null;

    private Condition? Compare(Part left, string sign, Part right)
    {
        if (left.Name is null)
        {
            return null;
        }

        if (left.IsLength)
        {
            return right.Literal is { } text && decimal.TryParse(text, NumberStyles.Number, CultureInfo.InvariantCulture, out var length)
                ? Length(left, sign, length)
                : null;
        }

        Question? question = sign switch
        {
            "=" => Question.Is,
            "<>" or "!=" => Question.IsNot,
            "<" => Question.Less,
            "<=" => Question.AtMost,
            ">" => Question.More,
            ">=" => Question.AtLeast,
            _ => null,
        };
        Operand? operand = right switch
        {
            { Name: { } other, IsLength: false } => new Operand.Other([_columns[other].Name.Value]),
            { Literal: { } literal } when Typed(_columns[left.Name].Type, literal) is { } value => new Operand.Value(value),
            _ => null,
        };
        return question is { } asked && operand is not null ? Test(left, asked, operand) : null;
    }

    private Condition? Length(Part of, string sign, decimal length) =>
        sign switch
        {
            "<=" => Test(of, Question.LengthAtMost, new Operand.Value(length)),
            "<" => Test(of, Question.LengthAtMost, new Operand.Value(length - 1)),
            ">=" => Test(of, Question.LengthAtLeast, new Operand.Value(length)),
            ">" => Test(of, Question.LengthAtLeast, new Operand.Value(length + 1)),
            "=" when Length(of, ">=", length) is { } least && Length(of, "<=", length) is { } most => new Condition.All([least, most]),
            _ => null,
        };

    private Condition.Test? Pattern(Part of, string sign, string pattern)
    {
        if (of is not { Name: { } name, IsLength: false } || _columns[name].Type is not FieldType.Text)
        {
            return null;
        }

        if (sign == "~")
        {
            return SimplePattern.Read(pattern) is null ? null : Test(of, Question.Matches, new Operand.Value(pattern));
        }

        var wanted = pattern.Trim('%');
        Question? question = (pattern.StartsWith('%'), pattern.EndsWith('%')) switch
        {
            (true, true) => Question.Contains,
            (false, true) => Question.StartsWith,
            (true, false) => Question.EndsWith,
            (false, false) => Question.Is,
        };
        return wanted.Length == 0 || wanted.AsSpan().ContainsAny('%', '_', '\\')
            ? null
            : Test(of, question.Value, new Operand.Value(wanted));
    }

    private Condition.Test? OneOf(Part of, List<Part> list, bool not)
    {
        if (of is not { Name: { } name, IsLength: false })
        {
            return null;
        }

        var values = list.Select(part => Typed(_columns[name].Type, part.Literal!)).ToArray();
        return values.Any(value => value is null) ? null
            : values is [var only] ? Test(of, not ? Question.IsNot : Question.Is, new Operand.Value(only!))
            : Test(of, not ? Question.IsNoneOf : Question.IsOneOf, new Operand.Values([.. values!]));
    }

    private static object? Typed(FieldType type, string literal) =>
        type switch
        {
            FieldType.Text or FieldType.Choice => literal,
            FieldType.YesNo when literal.ToLowerInvariant() is "true" or "false" => literal.Equals(
                "true",
                StringComparison.OrdinalIgnoreCase
            ),
            FieldType.Date
                when DateOnly.TryParseExact(literal, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var date) => date,
            _ when type.IsNumeric
                    && decimal.TryParse(
                        literal,
                        NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint,
                        CultureInfo.InvariantCulture,
                        out var number
                    ) => number,
            _ => null,
        };

    private static string Flipped(string sign) =>
        sign switch
        {
            "<" => ">",
            "<=" => ">=",
            ">" => "<",
            ">=" => "<=",
            _ => sign,
        };

    private static Question? Opposite(Question question) =>
        question switch
        {
            Question.IsGiven => Question.IsBlank,
            Question.IsBlank => Question.IsGiven,
            Question.Is => Question.IsNot,
            Question.IsNot => Question.Is,
            Question.IsOneOf => Question.IsNoneOf,
            Question.IsNoneOf => Question.IsOneOf,
            Question.Less => Question.AtLeast,
            Question.AtLeast => Question.Less,
            Question.More => Question.AtMost,
            Question.AtMost => Question.More,
            _ => null,
        };

    private sealed record Part
    {
        public string? Name { get; init; }

        public bool IsLength { get; init; }

        public string? Literal { get; init; }
    }
}
