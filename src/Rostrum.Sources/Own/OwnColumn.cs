using System.Collections.Immutable;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Own;

/// <summary>A column of an own table.</summary>
/// <param name="Table">The table.</param>
/// <param name="Column">The column.</param>
/// <param name="Key">The columns of the table's key.</param>
public sealed record OwnColumn(string Table, string Column, ImmutableArray<string> Key)
{
    /// <summary>The key's columns, as SQL has them.</summary>
    internal string KeyColumns => string.Join(", ", Key.Select(SqlIdentifier.Quote));

    /// <summary>The record <c>t</c> and what is kept of it, <c>k</c>, belong together.</summary>
    internal string SameRecord => string.Join(" AND ", Key.Select(SqlIdentifier.Quote).Select(name => $"k.{name} = t.{name}"));
}
