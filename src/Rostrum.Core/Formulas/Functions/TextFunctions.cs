using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;

namespace Rostrum.Core.Formulas.Functions;

/// <summary>Functions of text, by OpenFormula 1.2, section 6.20. Length and positions count Unicode code points.</summary>
internal static partial class TextFunctions
{
    private const long LongestText = FormulaLimits.LongestText;
    private const int MostPatterns = 500;
    private static readonly KeptValues<string, Regex?> Patterns = new(MostPatterns);

    [Function("How many code points the text has.", Examples = ["LEN(\"ferry\") → 5", "LEN(\"⛴️\") → 2", "LEN(BLANK) → BLANK"])]
    [Sql(Postgres = "length({0})", MySql = "char_length({0})", Sqlite = "length({0})", Width = SqlWidth.Count)]
    public static decimal Len(string text) => Count(text);

    [Function(
        "The text's first code points.",
        Examples = ["LEFT(\"ferry\", 2) → \"fe\"", "LEFT(\"ferry\", 99) → \"ferry\"", "LEFT(\"ferry\", -1) → BLANK"]
    )]
    [Sql(
        Postgres = "CASE WHEN {1} >= 0 THEN left({0}, least(trunc({1}), 1000000)::int) END",
        MySql = "CASE WHEN {1} >= 0 THEN left({0}, least(truncate({1}, 0), 1000000)) END",
        Sqlite = "CASE WHEN {1} >= 0 THEN substr({0}, 1, {1}) END"
    )]
    public static string? Left(string text, decimal count = 1) => count < 0 ? null : Slice(text, 0, count);

    [Function("The text's last code points.", Examples = ["RIGHT(\"ferry\", 2) → \"ry\""])]
    [Sql(
        Postgres = "CASE WHEN {1} >= 0 THEN right({0}, least(trunc({1}), 1000000)::int) END",
        MySql = "CASE WHEN {1} >= 0 THEN right({0}, least(truncate({1}, 0), 1000000)) END",
        Sqlite = "CASE WHEN {1} = 0 THEN substr({0}, 1, 0) WHEN {1} > 0 THEN substr({0}, -min({1}, length({0}))) END"
    )]
    public static string? Right(string text, decimal count = 1) =>
        count < 0 ? null : Slice(text, Math.Max(0, Count(text) - decimal.Truncate(count)), count);

    [Function(
        "So many code points from a position, counted from 1.",
        Examples = ["MID(\"ferry\", 2, 3) → \"err\"", "MID(\"ferry\", 9, 3) → \"\"", "MID(\"ferry\", 0, 3) → BLANK"]
    )]
    [Sql(
        Postgres = "CASE WHEN {1} >= 1 AND {2} >= 0 THEN substr({0}, least(trunc({1}), 1000001)::int, least(trunc({2}), 1000000)::int) END",
        MySql = "CASE WHEN {1} >= 1 AND {2} >= 0 THEN substring({0}, least(truncate({1}, 0), 1000001), least(truncate({2}, 0), "
            + "1000000)) END",
        Sqlite = "CASE WHEN {1} >= 1 AND {2} >= 0 THEN substr({0}, {1}, {2}) END"
    )]
    public static string? Mid(string text, decimal start, decimal count) =>
        start < 1 || count < 0 ? null : Slice(text, decimal.Truncate(start) - 1, count);

    [Function("The text in capitals.", Examples = ["UPPER(\"Skerry\") → \"SKERRY\""])]
    [Sql(
        Postgres = "CASE WHEN octet_length({0}) = length({0}) THEN upper({0} COLLATE \"C\") "
            + "ELSE translate({0}, {with-capital}, {capitals}) END"
    )]
    public static string Upper(string text) => text.ToUpperInvariant();

    [Function("The text in small letters.", Examples = ["LOWER(\"Skerry\") → \"skerry\""])]
    [Sql(
        Postgres = "CASE WHEN octet_length({0}) = length({0}) THEN lower({0} COLLATE \"C\") ELSE translate({0}, {with-small}, {small}) END"
    )]
    public static string Lower(string text) => text.ToLowerInvariant();

    [Function("Each word with a capital first letter.", Examples = ["PROPER(\"old petrel's deck\") → \"Old Petrel'S Deck\""])]
    public static string Proper(string text)
    {
        var proper = new StringBuilder(text.Length);
        var starts = true;
        foreach (var letter in text)
        {
            proper.Append(starts ? char.ToUpperInvariant(letter) : char.ToLowerInvariant(letter));
            starts = !char.IsLetter(letter);
        }

        return proper.ToString();
    }

    [Function("Without blanks at both ends, and with single ones within.", Examples = ["TRIM(\"  a   b \") → \"a b\""])]
    [Sql(Postgres = "btrim(regexp_replace({0}, ' +', ' ', 'g'), ' ')", MySql = "trim(both ' ' from regexp_replace({0}, ' +', ' '))")]
    public static string Trim(string text) => string.Join(' ', text.Split(' ', StringSplitOptions.RemoveEmptyEntries));

    [Function("Without characters that cannot be seen.", Examples = ["LEN(CLEAN(UNICHAR(9) & \"a\")) → 1"])]
    public static string Clean(string text) => string.Concat(text.Where(letter => !char.IsControl(letter)));

    [Function(
        "The texts one after the other; blanks count as nothing. Blank past a million characters.",
        Examples = ["CONCATENATE(\"a\", BLANK, \"b\") → \"ab\""]
    )]
    public static string? Concatenate(params string?[] texts) => Limited(texts, "") ? string.Concat(texts) : null;

    /// <summary>Whether texts with another between them are short enough: what is longer is blank, before it takes any room.</summary>
    internal static bool Limited(IEnumerable<string?> texts, string between)
    {
        var length = 0L;
        foreach (var text in texts)
        {
            length += (text?.Length ?? 0) + between.Length;
            if (length - between.Length > LongestText)
            {
                return false;
            }
        }

        return true;
    }

    [Function(
        "The list's texts with another between them.",
        Examples = ["TEXTJOIN(\", \", TRUE, \"a\", \"\", \"b\") → \"a, b\"", "TEXTJOIN(\"-\", FALSE, \"a\", \"\") → \"a-\""]
    )]
    public static string? TextJoin(string between, bool skipEmpty, params string?[] texts)
    {
        string?[] joined = skipEmpty ? [.. texts.Where(text => !string.IsNullOrEmpty(text))] : texts;
        return Limited(joined, between) ? string.Join(between, joined) : null;
    }

    [Function("The list's texts with another between them.")]
    public static string? TextJoin(string between, bool skipEmpty, [Of(typeof(string))] IReadOnlyList<object?> texts) =>
        TextJoin(between, skipEmpty, [.. texts.Cast<string?>()]);

    [Function(
        "The text so many times over; blank past a million characters.",
        Examples = ["REPT(\"ab\", 2) → \"abab\"", "REPT(\"a\", -1) → BLANK"]
    )]
    [Sql(
        Postgres = "CASE WHEN length({0})::int8 * {1:whole} <= 1000000 THEN repeat({0}, {1:whole}) END",
        MySql = "CASE WHEN char_length({0}) * {1:whole} <= 1000000 THEN repeat({0}, {1:whole}) END"
    )]
    public static string? Rept(string text, decimal count) =>
        count < 0 || text.Length * decimal.Truncate(Math.Min(count, 10_000_000)) > LongestText
            ? null
            : new StringBuilder().Insert(0, text, (int)decimal.Truncate(count)).ToString();

    [Function(
        "Where a text stands in another, capitals counting; blank where it does not.",
        Examples = ["FIND(\"r\", \"ferry\") → 3", "FIND(\"r\", \"ferry\", 4) → 4", "FIND(\"R\", \"ferry\") → BLANK"]
    )]
    [Sql(
        Postgres = "CASE WHEN {2} >= 1 AND {2} - 1 <= length({1}) THEN nullif(strpos(substr({1}, trunc({2})::int), {0}), 0) + trunc({2}) "
            + "- 1 END",
        MySql = "CASE WHEN {2} >= 1 AND {2} - 1 <= char_length({1}) THEN nullif(locate({0}, {1} COLLATE utf8mb4_bin, truncate({2}, "
            + "0)), 0) END",
        Sqlite = "CASE WHEN {2} >= 1 AND {2} - 1 <= length({1}) THEN nullif(instr(substr({1}, {2}), {0}), 0) + {2} - 1 END",
        Width = SqlWidth.Count
    )]
    public static decimal? Find(string wanted, string text, decimal start = 1) => Position(wanted, text, start, StringComparison.Ordinal);

    [Function(
        "Where a text stands in another, in capitals or small letters; blank where it does not.",
        Examples = ["SEARCH(\"R\", \"ferry\") → 3"]
    )]
    public static decimal? Search(string wanted, string text, decimal start = 1) =>
        Position(wanted, text, start, StringComparison.OrdinalIgnoreCase);

    [Function("The text with so many code points from a position replaced.", Examples = ["REPLACE(\"ferry\", 1, 1, \"m\") → \"merry\""])]
    [Sql(
        Postgres = "CASE WHEN {1} >= 1 AND {2} >= 0 THEN left({0}, (least(trunc({1}), 1000000) - 1)::int) || {3} || substr({0}, "
            + "least(trunc({1}) + trunc({2}), 1000001)::int) END",
        MySql = "CASE WHEN {1} >= 1 AND {2} >= 0 THEN concat(left({0}, least(truncate({1}, 0), 1000000) - 1), {3}, substring({0}, "
            + "least(truncate({1}, 0) + truncate({2}, 0), 1000001))) END",
        Sqlite = "CASE WHEN {1} >= 1 AND {2} >= 0 THEN substr({0}, 1, {1} - 1) || {3} || substr({0}, {1} + {2}) END"
    )]
    public static string? Replace(string text, decimal start, decimal count, string with) =>
        start < 1 || count < 0 || !Limited([text, with], "")
            ? null
            : Slice(text, 0, decimal.Truncate(start) - 1)
                + with
                + Slice(text, decimal.Truncate(start) - 1 + decimal.Truncate(count), int.MaxValue);

    [Function(
        "The text with another in it replaced everywhere, or the n-th time.",
        Examples = ["SUBSTITUTE(\"a-b-c\", \"-\", \"+\") → \"a+b+c\"", "SUBSTITUTE(\"a-b-c\", \"-\", \"+\", 2) → \"a-b+c\""]
    )]
    [Sql("replace({0}, {1}, {2})", Arguments = 3)]
    public static string? Substitute(string text, string wanted, string with, decimal? which = null)
    {
        if (wanted.Length == 0 || which is < 1)
        {
            return wanted.Length == 0 ? text : null;
        }

        if (which is null)
        {
            return
                text.Length / wanted.Length * (long)with.Length <= LongestText * 4L
                && text.Replace(wanted, with, StringComparison.Ordinal) is { Length: <= (int)LongestText } replaced
                ? replaced
                : null;
        }

        var at = -1;
        for (var i = 0; i < which; i++)
        {
            at = at + 1 > text.Length ? -1 : text.IndexOf(wanted, at < 0 ? 0 : at + wanted.Length, StringComparison.Ordinal);
            if (at < 0)
            {
                return text;
            }
        }

        return string.Concat(text.AsSpan(0, at), with, text.AsSpan(at + wanted.Length));
    }

    [Function("Whether two texts are the same, capitals counting.", Examples = ["EXACT(\"a\", \"A\") → FALSE"])]
    [Sql(Postgres = "({0} = {1})", MySql = "(BINARY {0} = BINARY {1})", Sqlite = "({0} = {1})")]
    public static bool Exact(string one, string other) => one == other;

    [Function(
        "The number that a text writes, with a point for decimals; blank where it writes none.",
        Examples = [
            "VALUE(\"-12.5\") → -12.5",
            "VALUE(\"twelve\") → BLANK",
            "VALUE(\"50%\") → 0.5",
            "VALUE(\"7 1/4\") → 7.25",
            "VALUE(\"1/0\") → BLANK",
        ]
    )]
    public static decimal? Value(string text)
    {
        var trimmed = text.Trim();
        if (Fraction().Match(trimmed) is { Success: true } fraction)
        {
            decimal Part(string name) =>
                fraction.Groups[name] is { Length: > 0 } part ? decimal.Parse(part.ValueSpan, CultureInfo.InvariantCulture) : 0;
            return Arithmetic.Divide(Part("over"), Part("under")) is { } rest
                ? (Part("whole") + rest) * (fraction.Groups["sign"].Value == "-" ? -1 : 1)
                : null;
        }

        var percent = trimmed.EndsWith('%');
        return decimal.TryParse(
            percent ? trimmed[..^1] : trimmed,
            NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint | NumberStyles.AllowExponent,
            CultureInfo.InvariantCulture,
            out var number
        )
            ? percent
                ? number / 100
                : number
            : null;
    }

    [GeneratedRegex(
        @"^(?<sign>[+-]?)((?<whole>\d{1,15}) +)?(?<over>\d{1,9})/(?<under>\d{1,9})$",
        RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex Fraction();

    [Function(
        "The number with so many decimals, and with commas between thousands unless told otherwise.",
        Examples = ["FIXED(1234.567) → \"1,234.57\"", "FIXED(1234.5, 0, TRUE) → \"1235\""]
    )]
    public static string? Fixed(decimal number, decimal decimals = 2, bool noCommas = false)
    {
        var places = (int)Math.Clamp(decimals, 0, 28);
        return NumberFunctions
            .Round(number, decimals)
            ?.ToString((noCommas ? "F" : "N") + places.ToString(CultureInfo.InvariantCulture), CultureInfo.InvariantCulture);
    }

    [Function(
        "The number in a format of noughts, #, commas, a point and %.",
        Examples = ["TEXT(1234.5, \"#,##0.00\") → \"1,234.50\"", "TEXT(0.256, \"0%\") → \"26%\"", "TEXT(1, \"pounds\") → BLANK"]
    )]
    public static string? Text(decimal number, string format) =>
        format.Length is > 0 and <= 40 && format.All("0#,.%".Contains) ? number.ToString(format, CultureInfo.InvariantCulture) : null;

    [Function(
        "The date in a format of YYYY, YY, MMMM, MMM, MM, M, DD and D.",
        Name = "TEXT",
        Examples = ["TEXT(DATE(2026, 3, 1), \"D MMM YYYY\") → \"1 Mar 2026\"", "TEXT(DATE(2026, 3, 1), \"hh\") → BLANK"]
    )]
    public static string? TextOfDate(DateOnly date, string format) =>
        format.Length is > 1 and <= 40 && format.All("YMD .,/-".Contains)
            ? date.ToString(format.Replace('Y', 'y').Replace('D', 'd'), CultureInfo.InvariantCulture)
            : null;

    [Function("The code point's character; blank where there is none.", Examples = ["UNICHAR(9972) → \"⛴\"", "UNICHAR(-1) → BLANK"])]
    public static string? Unichar(decimal code) =>
        code >= 1 && code <= 0x10FFFF && Rune.IsValid((int)code) ? new Rune((int)code).ToString() : null;

    [Function("The first character's code point.", Examples = ["UNICODE(\"A\") → 65", "UNICODE(\"\") → BLANK"])]
    [Sql(Postgres = "nullif(ascii({0}), 0)", Sqlite = "unicode({0})", Width = SqlWidth.Count)]
    public static decimal? Unicode(string text) => text.Length == 0 ? null : text.EnumerateRunes().First().Value;

    [Function("The character of a code from 1 to 127.", Examples = ["CHAR(65) → \"A\"", "CHAR(300) → BLANK"])]
    public static string? Char(decimal code) => code is >= 1 and <= 127 ? ((char)code).ToString() : null;

    [Function("The first character's code, where it is one from 1 to 127.", Examples = ["CODE(\"A\") → 65", "CODE(\"é\") → BLANK"])]
    [Sql(
        Postgres = "CASE WHEN ascii({0}) BETWEEN 1 AND 127 THEN ascii({0}) END",
        MySql = "CASE WHEN ascii({0}) BETWEEN 1 AND 127 THEN ascii({0}) END",
        Sqlite = "CASE WHEN unicode({0}) BETWEEN 1 AND 127 THEN unicode({0}) END",
        Width = SqlWidth.Count
    )]
    public static decimal? Code(string text) => text is [> '\0' and <= '\u007f', ..] ? text[0] : null;

    [Function("Whether the text begins with another.", Examples = ["STARTSWITH(\"ferry\", \"fe\") → TRUE"])]
    [Sql(
        Postgres = "starts_with({0}, {1})",
        MySql = "(left(BINARY {0}, length({1})) = BINARY {1})",
        Sqlite = "(substr({0}, 1, length({1})) = {1})"
    )]
    public static bool StartsWith(string text, string start) => text.StartsWith(start, StringComparison.Ordinal);

    [Function("Whether the text ends with another.", Examples = ["ENDSWITH(\"ferry\", \"RY\") → FALSE"])]
    [Sql(
        Postgres = "(right({0}, length({1})) = {1})",
        MySql = "(right(BINARY {0}, length({1})) = BINARY {1})",
        Sqlite = "CASE length({1}) WHEN 0 THEN length({0}) >= 0 ELSE substr({0}, -min(length({1}), length({0}))) = {1} END"
    )]
    public static bool EndsWith(string text, string end) => text.EndsWith(end, StringComparison.Ordinal);

    [Function("Whether the text has another in it, capitals counting.", Examples = ["CONTAINS(\"ferry\", \"err\") → TRUE"])]
    [Sql(Postgres = "(strpos({0}, {1}) > 0)", MySql = "(instr(BINARY {0}, BINARY {1}) > 0)", Sqlite = "(instr({0}, {1}) > 0)")]
    public static bool Contains(string text, string wanted) => text.Contains(wanted, StringComparison.Ordinal);

    [Function(
        "Whether the text has another in it, whatever the capitals and accents.",
        Examples = ["HAS(\"Crème brûlée\", \"creme\") → TRUE", "HAS(\"ferry\", \"FERR\") → TRUE"]
    )]
    [Sql(Postgres = "(strpos(translate({0}, {with-marks}, {plain}), translate({1}, {with-marks}, {plain})) > 0)")]
    public static bool Has(string text, string wanted) => Letters.Plain(text).Contains(Letters.Plain(wanted), StringComparison.Ordinal);

    [Function(
        "Whether the text has a stretch that fits a regular expression; blank where the pattern is none. The engine takes "
            + "linear time, so that no pattern hangs.",
        Examples = ["MATCHES(\"BF-101\", \"^BF-[0-9]+$\") → TRUE", "MATCHES(\"a\", \"(\") → BLANK"]
    )]
    public static bool? Matches(string text, string pattern) =>
        Patterns.Get(pattern, static (written, _) => Compiled(written), pattern)?.IsMatch(text);

    private static Regex? Compiled(string pattern)
    {
        try
        {
            return pattern.Length > 1000
                ? null
                : new Regex(pattern, RegexOptions.NonBacktracking | RegexOptions.CultureInvariant, TimeSpan.FromSeconds(1));
        }
        catch (Exception exception) when (exception is ArgumentException or NotSupportedException)
        {
            return null;
        }
    }

    private static int Count(string text)
    {
        var count = 0;
        foreach (var letter in text)
        {
            count += System.Char.IsLowSurrogate(letter) ? 0 : 1;
        }

        return count;
    }

    private static decimal? Position(string wanted, string text, decimal start, StringComparison comparison)
    {
        if (start < 1 || start - 1 > Count(text))
        {
            return null;
        }

        var from = IndexOf(text, decimal.Truncate(start) - 1);
        var at = text.IndexOf(wanted, from, comparison);
        return at < 0 ? null : Count(text[..at]) + 1;
    }

    private static string Slice(string text, decimal skip, decimal count)
    {
        var from = IndexOf(text, skip);
        return text.Substring(from, IndexOf(text[from..], decimal.Truncate(count)));
    }

    // The UTF-16 index at which so many code points have passed, or the text's end.
    private static int IndexOf(string text, decimal codePoints)
    {
        if (codePoints >= text.Length)
        {
            return text.Length;
        }

        var index = 0;
        for (var i = 0; i < codePoints && index < text.Length; i++)
        {
            index +=
                System.Char.IsHighSurrogate(text[index]) && index + 1 < text.Length && System.Char.IsLowSurrogate(text[index + 1]) ? 2 : 1;
        }

        return index;
    }
}
