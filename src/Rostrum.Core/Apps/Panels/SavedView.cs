using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Panels;

/// <summary>How a table is shown under a name: what it is narrowed to and ordered by, its columns, how high its rows are.</summary>
/// <param name="Name">What people read.</param>
/// <param name="Query">What is searched, narrowed and ordered, as the page's address says it.</param>
public sealed record SavedView(string Name, string Query)
{
    /// <summary>The longest name.</summary>
    public const int LongestName = 40;

    /// <summary>Columns of the table that are not shown.</summary>
    public ImmutableArray<FieldName> Hidden { get; init; } = [];

    /// <summary>How high rows are; as the table has it where null.</summary>
    public Density? Density { get; init; }
}
