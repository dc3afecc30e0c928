using System.Collections.Immutable;
using System.Text.RegularExpressions;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>CHECK constraints that name all texts of a column: <c>state IN ('open', 'closed')</c>. Such a column is a choice.</summary>
internal static partial class ChoiceChecks
{
    [GeneratedRegex(
        """^[\s(]*["`\[]?(?<column>[^"`\]()\s]+)["`\]]?\s+IN\s*\(\s*(?:(?:_\w+)?'(?<option>(?:[^']|'')*)'\s*,?\s*)+\)[\s)]*$""",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant,
        1000
    )]
    private static partial Regex OneOf { get; }

    /// <summary>The table with those columns as choices, and without the checks that say no more than that.</summary>
    public static TableStructure Applied(TableStructure table)
    {
        var said = table
            .Checks.Select(check => (Check: check, Match: OneOf.Match(check)))
            .Where(known => known.Match.Success)
            .ToLookup(known => known.Match.Groups["column"].Value, StringComparer.OrdinalIgnoreCase);
        return table with
        {
            Columns =
            [
                .. table.Columns.Select(column =>
                    column.Type is FieldType.Text && said[column.Name].FirstOrDefault().Match is { } match
                        ? column with
                        {
                            Type = new FieldType.Choice(Options(match)),
                        }
                        : column
                ),
            ],
        };
    }

    private static ImmutableArray<string> Options(Match match) =>
        [.. match.Groups["option"].Captures.Select(option => option.Value.Replace("''", "'", StringComparison.Ordinal)).Distinct()];
}
