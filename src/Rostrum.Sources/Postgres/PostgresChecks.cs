using System.Collections.Immutable;
using System.Text.RegularExpressions;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>Reads what a CHECK says, in the one spelling that PostgreSQL gives back whatever was written.</summary>
internal static partial class PostgresChecks
{
    // status IN ('open', 'closed') is given back as (status = ANY (ARRAY['open'::text, 'closed'::text])), with casts in between where the
    // column is no text; in a domain the column is called VALUE.
    [GeneratedRegex(
        """^CHECK \(+("([^"]|"")+"|[\w$]+)\)?(::[\w ]+)? = ANY \(+"""
            + """ARRAY\[('(?<text>([^']|'')*)'(::[\w ]+)?(, )?)+\]\)?(::[\w ]+\[\])?\)+$""",
        RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex OneOf { get; }

    // Of a list each text must be one of these.
    [GeneratedRegex(
        """^CHECK \(+("([^"]|"")+"|[\w$]+)\)?(::[\w ]+(\[\])?)? <@ \(?"""
            + """ARRAY\[('(?<text>([^']|'')*)'(::[\w ]+)?(, )?)+\]\)?(::[\w ]+\[\])?\)+$""",
        RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex AllOf { get; }

    /// <summary>The texts that one of a column's checks allows, in its order; none where all say something else.</summary>
    /// <param name="definitions">As <c>pg_get_constraintdef</c> writes them.</param>
    public static ImmutableArray<string> Options(IEnumerable<string> definitions) => Options(OneOf, definitions);

    /// <summary>The texts that one of a column's checks allows in its list.</summary>
    /// <param name="definitions">As <c>pg_get_constraintdef</c> writes them.</param>
    public static ImmutableArray<string> OptionsOfList(IEnumerable<string> definitions) => Options(AllOf, definitions);

    private static ImmutableArray<string> Options(Regex form, IEnumerable<string> definitions) =>
        definitions.Select(definition => OptionsOf(form, definition)).FirstOrDefault(options => !options.IsEmpty, []);

    // None as well where a blank text is allowed, which is no choice.
    private static ImmutableArray<string> OptionsOf(Regex form, string definition)
    {
        ImmutableArray<string> options =
        [
            .. form.Match(definition).Groups["text"].Captures.Select(text => text.Value.Replace("''", "'", StringComparison.Ordinal)),
        ];
        return options.Contains("") ? [] : options;
    }
}
