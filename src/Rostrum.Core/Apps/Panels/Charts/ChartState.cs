using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.State;

namespace Rostrum.Core.Apps.Panels.Charts;

/// <summary>What the page's address says of a chart.</summary>
public sealed record ChartState : PanelState
{
    /// <summary>So far one looks through the records of a group.</summary>
    internal const int MostPages = 100_000;

    /// <summary>The group whose records are shown, as its key stands in an address; none where null.</summary>
    public string? Group { get; init; }

    /// <summary>The series of that group; all of it where null.</summary>
    public string? Series { get; init; }

    /// <summary>The page of those records, from 1.</summary>
    public int Page { get; init; } = 1;

    /// <summary>The series that are not drawn, by their numbers.</summary>
    public ImmutableSortedSet<int> Without { get; init; } = [];

    /// <summary>A state that is a chart's; the usual one where it is none.</summary>
    public static ChartState Of(PanelState? state) => state as ChartState ?? new ChartState();

    /// <summary>Reads the parts of an address; null where they say nothing.</summary>
    public static ChartState? Read(AddressParts address)
    {
        ArgumentNullException.ThrowIfNull(address);
        var state = new ChartState
        {
            Group = address.First("group"),
            Series = address.First("series"),
            Page = address.Page("page", MostPages),
            Without = [.. address["without"].Split('.').Select(Number).OfType<int>().Take(50)],
        };
        return state.Parts().Any() ? state : null;
    }

    /// <inheritdoc/>
    public override PanelState Closed(bool keepsSelection) => this with { Group = null, Series = null, Page = 1 };

    /// <inheritdoc/>
    public override IEnumerable<(string Name, ImmutableArray<string> Values)> Parts()
    {
        if (Group is not null)
        {
            yield return ("group", [Group]);
        }

        if (Series is not null)
        {
            yield return ("series", [Series]);
        }

        if (Page > 1)
        {
            yield return ("page", [Page.ToString(CultureInfo.InvariantCulture)]);
        }

        if (!Without.IsEmpty)
        {
            yield return ("without", [string.Join('.', Without.Select(number => number.ToString(CultureInfo.InvariantCulture)))]);
        }
    }

    private static int? Number(string? text) =>
        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : null;
}
