using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>Texts that grow: what would be longer than formulas make is blank, and that is known before it is made.</summary>
internal sealed partial class FormulaSql
{
    // Each check says its parts once more, so that checks within checks double what is said.
    private const int LongestStatementPart = 20_000;

    private static long LongestOf(SqlValue text) =>
        text.Constant is string known
            ? known.Length
            : text.Longest
                ?? text.Column?.Field.Type switch
                {
                    FieldType.Text { MaxLength: { } most } => most,
                    FieldType.Choice choice => choice.Options.Select(option => option.Length).DefaultIfEmpty().Max(),
                    _ => FormulaLimits.LongestText,
                };

    /// <summary>A text that is put together of others.</summary>
    /// <param name="call">The call.</param>
    /// <param name="parts">Its parts, each once.</param>
    /// <param name="text">The expression; null where there is none.</param>
    /// <param name="between">What is put between them, all together, in characters.</param>
    private SqlValue? Limited(Typed.Invocation call, IReadOnlyCollection<SqlValue> parts, string? text, long between = 0)
    {
        var longest = parts.Sum(LongestOf) + between;
        if (text is null || longest <= FormulaLimits.LongestText)
        {
            return Text(call, text) is { } plain ? plain with { Longest = longest } : null;
        }

        var lengths = parts.Where(part => part.Constant is null).Select(part => $"coalesce({_dialect.Length(part.Text)}, 0)");
        var left = FormulaLimits.LongestText - between - parts.Sum(part => part.Constant is string known ? known.Length : 0L);
        return Checked(call, $"{string.Join(" + ", lengths)} <= {left.ToString(CultureInfo.InvariantCulture)}", text);
    }

    private SqlValue? Checked(Typed.Invocation call, string fits, string text) =>
        $"CASE WHEN {fits} THEN {text} END" is { Length: <= LongestStatementPart } limited
            ? new SqlValue(limited, call.Type) { Longest = FormulaLimits.LongestText }
            : Refuse($"{call.Function.Name} here makes too long a statement");

    // A replacement that is no longer than what it replaces lets nothing grow.
    private static bool CanOutgrow(List<SqlValue> arguments) =>
        arguments is [var text, var wanted, var with]
        && !(with.Constant is string put && wanted.Constant is string taken && put.Length <= taken.Length)
        && LongestOf(text) * Math.Max(1, LongestOf(with)) > FormulaLimits.LongestText;
}
