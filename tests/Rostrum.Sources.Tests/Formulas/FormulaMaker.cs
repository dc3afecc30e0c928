using System.Collections.Immutable;
using FsCheck;
using FsCheck.Fluent;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Tests.Formulas;

/// <summary>Makes up formulas of every type over vessels, and takes them apart again where one fails.</summary>
internal static class FormulaMaker
{
    /// <summary>A formula that the checker passes.</summary>
    public sealed record MadeUp(string Text);

    private static readonly Dictionary<(string Kind, int Size), Gen<string>> Known = [];

    public static Arbitrary<MadeUp> Arbitrary { get; } =
        Arb.From(
            Gen.Sized(size => Gen.OneOf(Number(size), Number(size), Text(size), Truth(size), Truth(size), Date(size), Instant(size)))
                .Select(text => new MadeUp(text)),
            made =>
                Smaller(Parser.Parse(made.Text).Tree)
                    .Where(smaller => smaller.Length < made.Text.Length && Passes(smaller))
                    .Distinct(StringComparer.Ordinal)
                    .Select(smaller => new MadeUp(smaller))
        );

    private static bool Passes(string text) =>
        Checker.Check(Parser.Parse(text), FormulaWorld.Vessel.Shape).Tree
            is { Type: not (FormulaType.List or FormulaType.Record or FormulaType.Blank) };

    // Every part by itself, and the whole with a part's part in its place.
    private static IEnumerable<string> Smaller(Syntax tree) => Subtrees(tree).Skip(1).Select(Formatter.Format).Concat(Variants(tree));

    private static IEnumerable<Syntax> Subtrees(Syntax tree) => Parts(tree).SelectMany(Subtrees).Prepend(tree);

    private static IEnumerable<string> Variants(Syntax tree)
    {
        var whole = Formatter.Format(tree);
        foreach (var part in Parts(tree))
        {
            var text = Formatter.Format(part);
            var at = whole.IndexOf(text, StringComparison.Ordinal);
            foreach (var variant in at < 0 ? [] : Parts(part).Select(Formatter.Format).Concat(Variants(part)))
            {
                yield return string.Concat(whole.AsSpan(0, at), $"({variant})", whole.AsSpan(at + text.Length));
            }
        }
    }

    private static ImmutableArray<Syntax> Parts(Syntax tree) =>
        tree switch
        {
            Syntax.Binary binary => [binary.Left, binary.Right],
            Syntax.Prefix prefix => [prefix.Operand],
            Syntax.Percent percent => [percent.Operand],
            Syntax.Call call => call.Arguments,
            Syntax.Member member => [member.Of],
            _ => [],
        };

    private static Gen<string> Number(int size) =>
        Once(size, static size =>
            size <= 0
                ? Gen.Elements(
                    "cars",
                    "cars",
                    "tonnes",
                    "fare",
                    "fare",
                    "rate",
                    "port.depth",
                    "share",
                    "open_cost",
                    "id",
                    "0",
                    "1",
                    "-1",
                    "2",
                    "7",
                    "2.5",
                    "0.01",
                    "100",
                    "1000000",
                    "12345.678",
                    "1e20",
                    "PI()",
                    "BLANK + 1"
                )
                : Gen.OneOf(
                    Number(0),
                    Two(
                        size,
                        Number,
                        Number,
                        "{0} + {1}",
                        "{0} - {1}",
                        "{0} * {1}",
                        "{0} / {1}",
                        "({0} + {1})",
                        "({0} - {1}) * 100",
                        "({0} / {1})",
                        "MOD({0}, {1})",
                        "IFBLANK({0}, {1})",
                        "MAX({0}, {1})",
                        "MIN({0}, {1}, 7)",
                        "QUOTIENT({0}, {1})",
                        "CEILING({0}, {1})",
                        "FLOOR({0}, {1})",
                        "MROUND({0}, {1})",
                        "SUM({0}, {1}, 3)",
                        "AVERAGE({0}, {1})",
                        "GCD({0}, {1})"
                    ),
                    One(
                        size,
                        Number,
                        "-{0}",
                        "({0})%",
                        "INT({0})",
                        "ABS({0})",
                        "SIGN({0})",
                        "ROUND({0})",
                        "ROUND({0}, 2)",
                        "ROUND({0}, -1)",
                        "TRUNC({0}, 1)",
                        "ROUNDUP({0}, 1)",
                        "ROUNDDOWN({0})",
                        "EVEN({0})",
                        "ODD({0})",
                        "({0})^2",
                        "POWER({0}, 3)",
                        "SQRT({0})",
                        "CHOOSE({0}, cars, 5)",
                        "ROUND({0} / 3 * 100, 1)",
                        "1 - {0} / 7",
                        "{0} / 3 * 3 - 1",
                        "LEN({0} & \"\")",
                        "{0} * 0.1"
                    ),
                    One(size, Text, "LEN({0})", "FIND(\"e\", {0})", "FIND(\"r\", {0}, 3)", "UNICODE({0})", "CODE({0})", "VALUE({0})"),
                    One(
                        size,
                        Date,
                        "YEAR({0})",
                        "MONTH({0})",
                        "DAY({0})",
                        "WEEKDAY({0})",
                        "WEEKDAY({0}, 2)",
                        "ISOWEEKNUM({0})",
                        "WEEKNUM({0})",
                        "NETWORKDAYS({0}, built)"
                    ),
                    One(size, Instant, "HOUR({0})", "DAY({0})", "YEAR({0})", "{0} - seen", "INT(NOW() - {0})"),
                    Two(size, Instant, Instant, "ELAPSED({0}, {1}, \"minutes\")", "ELAPSED({0}, {1}, \"Days\")"),
                    Two(size, Date, Date, "{0} - {1}", "DAYS({0}, {1})"),
                    Gen.Elements("HOUR(sails)", "MINUTE(sails)", "SECOND(sails)"),
                    Three(size, Truth, Number, "IF({0}, {1}, {2})", "IFS({0}, {1}, sold, {2})"),
                    Three(size, Text, Number, "SWITCH({0}, \"a\", {1}, \"Kittiwake\", {2}, 3)"),
                    Listed(
                        size,
                        "SUM({0}.cost)",
                        "COUNT({0})",
                        "COUNT({0}.due)",
                        "AVERAGE({0}.cost)",
                        "MAX({0}.hours)",
                        "MIN({0}.cost)",
                        "SUM({0}.hours)",
                        "SUM({0}.parts.price)",
                        "COUNT({0}.parts)",
                        "COUNT(UNIQUE({0}.state))",
                        "SUM({0}.found_at.depth)",
                        "COUNT({0}.found_at)",
                        "FIRST({0}.cost)",
                        "LAST({0}.hours)",
                        "INDEX({0}.cost, 2)",
                        "LARGE({0}.cost, 1)",
                        "SMALL({0}.hours, 2)",
                        "COUNTIF({0}.state, \"open\")",
                        "SUMIF({0}.state, \"closed\", {0}.cost)",
                        "AVERAGEIF({0}.title, name, {0}.hours)",
                        "SUM({0}.cost) / COUNT({0})",
                        "FIRST(SORT({0}, hours).cost)",
                        "LAST(SORT({0}, due, FALSE).id)",
                        "MEDIAN({0}.cost)",
                        "SUM(port.vessels.cars)",
                        "SUM({0}.hours) * 24",
                        "SUM({0}.worth)",
                        "AVERAGE({0}.ratio)",
                        "MAX({0}.ratio)",
                        "SUM({0}.ratio)",
                        "COUNT({0}.late)",
                        "SUM({0}.pieces)",
                        "SUM(port.vessels.open_cost)",
                        "MAX({0}.vessel.share)",
                        "COUNT(UNIQUE({0}.worth))"
                    )
                )
        );

    private static Gen<string> Text(int size) =>
        Once(size, static size =>
            size <= 0
                ? Gen.Elements(
                    "name",
                    "name",
                    "call",
                    "state",
                    "port.name",
                    "\"\"",
                    "\"e\"",
                    "\"Kittiwake\"",
                    "\"🚢\"",
                    "LABEL(state)",
                    "TITLE(port)",
                    "TITLE(record)"
                )
                : Gen.OneOf(
                    Text(0),
                    Two(
                        size,
                        Text,
                        Text,
                        "{0} & {1}",
                        "SUBSTITUTE({0}, {1}, \"-\")",
                        "IFBLANK({0}, {1})",
                        "CONCATENATE({0}, \" \", {1})",
                        "TEXTJOIN(\"; \", TRUE, {0}, {1}, \"x\")",
                        "TEXTJOIN(\"; \", FALSE, {0}, {1})"
                    ),
                    One(
                        size,
                        Text,
                        "UPPER({0})",
                        "LOWER({0})",
                        "TRIM({0})",
                        "LEFT({0}, 3)",
                        "RIGHT({0}, 2)",
                        "MID({0}, 2, 4)",
                        "REPLACE({0}, 2, 3, \"+\")",
                        "REPT({0}, 2)",
                        "PROPER({0})",
                        "LEFT({0}, cars)",
                        "RIGHT({0}, cars)",
                        "MID({0}, cars, 3)"
                    ),
                    One(size, Number, "\"\" & {0}", "{0} & \" cars\"", "FIXED({0})"),
                    One(size, Date, "\"on \" & {0}"),
                    One(size, Truth, "{0} & \"\""),
                    One(size, Instant, "{0} & \"\""),
                    Three(size, Truth, Text, "IF({0}, {1}, {2})"),
                    Listed(
                        size,
                        "TEXTJOIN(\", \", TRUE, {0}.title)",
                        "TEXTJOIN(\"/\", FALSE, {0}.found_at.name)",
                        "FIRST({0}.title)",
                        "LAST({0}.state)",
                        "FIRST(SORT({0}, title, FALSE).title)"
                    )
                )
        );

    private static Gen<string> Truth(int size) =>
        Once(size, static size =>
            size <= 0
                ? Gen.Elements(
                    "sold",
                    "TRUE",
                    "ISBLANK(port)",
                    "port = BLANK",
                    "state = \"sold\"",
                    "cars > 7",
                    "2 >= cars",
                    "fare < 12.5",
                    "built < TODAY()",
                    "name = \"Kittiwake\"",
                    "tonnes <> 5",
                    "sails >= TIME(6, 30, 15)",
                    "seen < NOW()",
                    "id = 3",
                    "rate <= 1.5",
                    "fare > 1",
                    "built >= DATE(2026, 1, 1)"
                )
                : Gen.OneOf(
                    Truth(0),
                    Two(size, Number, Number, "{0} < {1}", "{0} = {1}", "{0} <> {1}", "{0} >= {1}", "{0} <= {1}", "{0} > {1}"),
                    Two(
                        size,
                        Text,
                        Text,
                        "{0} = {1}",
                        "{0} < {1}",
                        "{0} >= {1}",
                        "{0} <> {1}",
                        "CONTAINS({0}, {1})",
                        "HAS({0}, {1})",
                        "STARTSWITH({0}, {1})",
                        "ENDSWITH({0}, {1})",
                        "EXACT({0}, {1})"
                    ),
                    Two(size, Date, Date, "{0} < {1}", "{0} = {1}", "{0} >= {1}"),
                    Two(size, Instant, Instant, "{0} <= {1}", "{0} = {1}"),
                    Two(
                        size,
                        Truth,
                        Truth,
                        "AND({0}, {1})",
                        "OR({0}, {1})",
                        "XOR({0}, {1})",
                        "{0} = {1}",
                        "NOT(AND({0}, {1}))",
                        "IF({0}, {1})"
                    ),
                    One(size, Truth, "NOT({0})", "ISBLANK({0})"),
                    One(size, Number, "ISBLANK({0})", "ISNUMBER({0})"),
                    One(size, Text, "ISEMPTY({0})", "ISTEXT({0})"),
                    One(size, Date, "ISBLANK({0})"),
                    Listed(
                        size,
                        "ANY({0}, cost > 100)",
                        "ALL({0}, hours >= record.cars)",
                        "ANY({0}, state = \"open\")",
                        "CONTAINS({0}.title, name)",
                        "ANY({0}, found_at.depth > 20)",
                        "ALL({0}, COUNT(parts) > 0)",
                        "ANY({0}, title = record.name)",
                        "ANY({0}, vessel = record)",
                        "ANY({0}, late)",
                        "ALL({0}, worth > ratio)",
                        "ANY({0}, ratio > record.share)"
                    )
                )
        );

    private static Gen<string> Date(int size) =>
        Once(size, static size =>
            size <= 0
                ? Gen.Elements("built", "built", "port.opened", "TODAY()", "DATE(2024, 2, 29)", "DATEVALUE(\"2026-12-31\")")
                : Gen.OneOf(
                    Date(0),
                    Two(size, Date, Number, "({0} + {1})", "({0} - {1})", "EDATE({0}, {1})", "EOMONTH({0}, {1})", "WORKDAY({0}, {1})"),
                    One(
                        size,
                        Date,
                        "EDATE({0}, -1)",
                        "EOMONTH({0}, 1)",
                        "STARTOF({0}, \"month\")",
                        "STARTOF({0}, \"week\")",
                        "STARTOF({0}, \"Quarter\")",
                        "STARTOF({0}, \"year\")",
                        "({0} + 7)",
                        "MAX({0}, built)"
                    ),
                    One(size, Instant, "STARTOF({0}, \"day\")", "STARTOF({0}, \"week\")", "STARTOF({0}, \"month\")"),
                    Three(size, Truth, Date, "IF({0}, {1}, {2})"),
                    Listed(size, "MAX({0}.due)", "MIN({0}.due)", "FIRST({0}.due)")
                )
        );

    private static Gen<string> Instant(int size) =>
        Once(size, static size =>
            size <= 0
                ? Gen.Elements("seen", "seen", "NOW()")
                : Gen.OneOf(
                    Instant(0),
                    One(size, Instant, "({0} + 0.5)", "({0} - 7)", "IFBLANK({0}, NOW())"),
                    Two(size, Instant, Number, "({0} + {1})"),
                    Three(size, Truth, Instant, "IF({0}, {1}, {2})")
                )
        );

    private static Gen<string> List(int size) =>
        Once(size, static size =>
            size <= 0
                ? Gen.Elements(
                    "defects",
                    "defects",
                    "FILTER(defects, state = \"open\")",
                    "FILTER(defects, cost > record.cars)",
                    "port.defects_found",
                    "SORT(defects, cost)",
                    "FILTER(defects, found_at.depth > 10)",
                    "FILTER(defects, COUNT(parts) > 1)",
                    "FILTER(port.vessels, id > 3).defects"
                )
                : Gen.OneOf(
                    List(0),
                    List(0)
                        .SelectMany(list =>
                            Gen.Elements(
                                $"FILTER({list}, hours < 20)",
                                $"FILTER({list}, NOT(ISBLANK(due)))",
                                $"SORT({list}, title)",
                                $"FILTER({list}, LEN(title) > 3)",
                                $"FILTER({list}, SUM(parts.quantity) > hours)"
                            )
                        )
                )
        );

    // The generators refer to each other many times over: each is made once for a size.
    private static Gen<string> Once(
        int size,
        Func<int, Gen<string>> make,
        [System.Runtime.CompilerServices.CallerMemberName] string kind = ""
    )
    {
        if (!Known.TryGetValue((kind, size), out var generator))
        {
            Known[(kind, size)] = generator = make(size);
        }

        return generator;
    }

    private static Gen<string> Listed(int size, params string[] forms) =>
        List(size).SelectMany(list => Gen.Elements(forms).Select(form => form.Replace("{0}", list, StringComparison.Ordinal)));

    private static Gen<string> One(int size, Func<int, Gen<string>> part, params string[] forms) =>
        from one in part(size / 2)
        from form in Gen.Elements(forms)
        select form.Replace("{0}", $"({one})", StringComparison.Ordinal);

    private static Gen<string> Two(int size, Func<int, Gen<string>> first, Func<int, Gen<string>> second, params string[] forms) =>
        from one in first(size / 2)
        from other in second(size / 2)
        from form in Gen.Elements(forms)
        select form.Replace("{0}", $"({one})", StringComparison.Ordinal).Replace("{1}", $"({other})", StringComparison.Ordinal);

    private static Gen<string> Three(int size, Func<int, Gen<string>> condition, Func<int, Gen<string>> value, params string[] forms) =>
        from held in condition(size / 2)
        from form in Two(
            size / 2,
            value,
            value,
            forms
                .Select(form =>
                    form.Replace("{0}", "{9}", StringComparison.Ordinal)
                        .Replace("{1}", "{0}", StringComparison.Ordinal)
                        .Replace("{2}", "{1}", StringComparison.Ordinal)
                )
                .ToArray()
        )
        select form.Replace("{9}", held, StringComparison.Ordinal);
}
