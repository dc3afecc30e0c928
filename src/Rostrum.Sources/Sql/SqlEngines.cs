using System.Collections.Frozen;
using Rostrum.Core;

namespace Rostrum.Sources.Sql;

/// <summary>The kinds of databases. A class that derives from <see cref="SqlEngine"/> is one by being there.</summary>
internal static class SqlEngines
{
    private static readonly FrozenDictionary<string, SqlEngine> Known = FoundClasses
        .Of<SqlEngine>()
        .ToFrozenDictionary(engine => engine.Describes.Name, StringComparer.Ordinal);

    /// <summary>All of them.</summary>
    public static IEnumerable<SqlEngine> All => Known.Values;

    /// <summary>A kind of database by its name in settings.</summary>
    public static SqlEngine Of(string kind) => Known[kind];
}
