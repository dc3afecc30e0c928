using System.Globalization;
using System.Text;

namespace Rostrum.Core.Formulas;

/// <summary>
/// Writes a tree in one way only: one blank round operators, commas between arguments, brackets only where they are needed.
/// </summary>
public static class Formatter
{
    private const int PercentTightness = 6;
    private const int SignTightness = 7;
    private const int MemberTightness = 8;

    /// <summary>The canonical text. Parsing it gives the same tree.</summary>
    public static string Format(Syntax tree)
    {
        var text = new StringBuilder();
        Write(text, tree, 0);
        return text.ToString();
    }

    /// <summary>A name as formulas write it: in single quotes where it has other characters than a name may have.</summary>
    public static string Name(string name)
    {
        ArgumentNullException.ThrowIfNull(name);
        var plain =
            name.Length > 0
            && Lexer.IsNameStart(name[0])
            && name.All(Lexer.IsNamePart)
            && name.ToUpperInvariant() is not ("TRUE" or "FALSE" or "BLANK");
        return plain ? name : $"'{name.Replace("'", "''", StringComparison.Ordinal)}'";
    }

    private static void Write(StringBuilder text, Syntax tree, int tightness)
    {
        switch (tree)
        {
            case Syntax.Number number:
                Bracketed(text, tightness == MemberTightness, () => text.Append(number.Value.ToString(CultureInfo.InvariantCulture)));
                break;
            case Syntax.Text literal:
                text.Append('"').Append(literal.Value.Replace("\"", "\"\"", StringComparison.Ordinal)).Append('"');
                break;
            case Syntax.Truth truth:
                text.Append(truth.Value ? "TRUE" : "FALSE");
                break;
            case Syntax.Blank:
                text.Append("BLANK");
                break;
            case Syntax.Name name:
                text.Append(Name(name.Value));
                break;
            case Syntax.Member member:
                Write(text, member.Of, MemberTightness);
                text.Append('.').Append(Name(member.Value));
                break;
            case Syntax.Call call:
                text.Append(call.Function.ToUpperInvariant()).Append('(');
                for (var i = 0; i < call.Arguments.Length; i++)
                {
                    text.Append(i > 0 ? ", " : "");
                    Write(text, call.Arguments[i], 0);
                }

                text.Append(')');
                break;
            case Syntax.Binary binary:
                Bracketed(text, binary.Operator.Tightness() < tightness, () =>
                {
                    Write(text, binary.Left, binary.Operator.Tightness());
                    text.Append(' ').Append(binary.Operator.Sign()).Append(' ');
                    Write(text, binary.Right, binary.Operator.Tightness() + 1);
                });
                break;
            case Syntax.Prefix prefix:
                Bracketed(text, SignTightness < tightness, () =>
                {
                    text.Append(prefix.Negative ? '-' : '+');
                    Write(text, prefix.Operand, SignTightness);
                });
                break;
            case Syntax.Percent percent:
                Bracketed(text, PercentTightness < tightness, () =>
                {
                    Write(text, percent.Operand, PercentTightness);
                    text.Append('%');
                });
                break;
            case Syntax.Missing:
                break;
            default:
                throw new ArgumentOutOfRangeException(nameof(tree), tree, "unknown syntax");
        }
    }

    private static void Bracketed(StringBuilder text, bool needed, Action write)
    {
        text.Append(needed ? "(" : "");
        write();
        text.Append(needed ? ")" : "");
    }
}
