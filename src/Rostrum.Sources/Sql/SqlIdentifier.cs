using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>Names of tables and columns as they stand in a statement. Every name comes from the structure that was read.</summary>
internal static class SqlIdentifier
{
    public static string Quote(string name) => $"\"{name.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";

    public static string Quote(TableName table) => $"{Quote(table.Schema)}.{Quote(table.Name)}";
}
