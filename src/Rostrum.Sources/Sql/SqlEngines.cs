namespace Rostrum.Sources.Sql;

/// <summary>The kinds of databases among the kinds of sources.</summary>
internal static class SqlEngines
{
    /// <summary>All of them.</summary>
    public static IEnumerable<SqlEngine> All => SourceProvider.All.OfType<SqlEngine>();

    /// <summary>A kind of database by its name in settings.</summary>
    public static SqlEngine Of(string kind) => (SqlEngine)SourceProvider.Of(kind);
}
