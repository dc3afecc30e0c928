using System.Collections.Frozen;
using System.Globalization;
using System.Reflection;
using Rostrum.Core.Formulas.Functions;

namespace Rostrum.Core.Formulas;

/// <summary>The computations behind operators, found by the names of their methods.</summary>
internal static class Operations
{
    private static readonly FrozenDictionary<string, FunctionOverload> ByMethod = new[] { typeof(Arithmetic), typeof(Conversions) }
        .SelectMany(type => type.GetMethods(BindingFlags.Static | BindingFlags.Public))
        .ToFrozenDictionary(method => method.Name, FunctionCatalogue.Overload, StringComparer.Ordinal);

    public static FunctionOverload Named(string method) => ByMethod[method];
}

/// <summary>Values as other types.</summary>
internal static class Conversions
{
    /// <summary>A value as the text that &amp; joins: numbers and dates in one way wherever the formula runs.</summary>
    [Exactness(ExactnessRule.Written)]
    public static string? AsText(object? value) =>
        value switch
        {
            null => null,
            string text => text,
            bool yes => yes ? "TRUE" : "FALSE",
            decimal number => Plain(number),
            DateOnly date => date.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            TimeOnly time => time.ToString("HH:mm:ss.FFFFFFF", CultureInfo.InvariantCulture),
            DateTimeOffset instant => instant.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss.FFFFFFF'Z'", CultureInfo.InvariantCulture),
            _ => null,
        };

    /// <summary>A logical as a number: 1 where it is true, 0 where it is false.</summary>
    [Sql(Postgres = "({0})::int", MySql = "({0} + 0)", Sqlite = "({0} + 0)", Width = SqlWidth.Count)]
    public static decimal AsNumber(bool value) => value ? 1 : 0;

    /// <summary>A text, or a blank where it is empty.</summary>
    [Sql("CASE WHEN length({0}) > 0 THEN {0} END")]
    public static string? Unempty(string text) => text.Length == 0 ? null : text;

    /// <summary>A number without noughts that say nothing: 1.50 is 1.5, and there is no negative nought.</summary>
    public static string Plain(decimal number)
    {
        var text = number.ToString(CultureInfo.InvariantCulture);
        text = text.Contains('.', StringComparison.Ordinal) ? text.TrimEnd('0').TrimEnd('.') : text;
        return text is "-0" or "" ? "0" : text;
    }
}
