using System.Collections.Immutable;
using System.Text.RegularExpressions;

namespace Rostrum.Sources.Postgres;

/// <summary>Reads what a CHECK says, in the one spelling that PostgreSQL gives back whatever was written.</summary>
internal static partial class PostgresChecks
{
    // status IN ('open', 'closed') is given back as (status = ANY (ARRAY['open'::text, 'closed'::text])), with casts in between where the
    // column is no text; in a domain the column is called VALUE.
    [GeneratedRegex(
        """^CHECK \(+(?<column>"([^"]|"")+"|[\w$]+)\)?(::[\w ]+)? = ANY \(+ARRAY\[(?<option>'(?<text>([^']|'')*)'(::[\w ]+)?(, )?)+\]\)?(::[\w ]+\[\])?\)+$""",
        RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000)]
    private static partial Regex OneOf { get; }

    /// <summary>The texts that a check of one column allows, in its order; none where it says something else, or allows a blank text.</summary>
    /// <param name="definition">As <c>pg_get_constraintdef</c> writes it.</param>
    public static ImmutableArray<string> Options(string definition)
    {
        ImmutableArray<string> options =
            [.. OneOf.Match(definition).Groups["text"].Captures.Select(text => text.Value.Replace("''", "'", StringComparison.Ordinal))];
        return options.Contains("") ? [] : options;
    }
}
