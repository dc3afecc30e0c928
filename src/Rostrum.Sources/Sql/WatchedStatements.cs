using System.Collections.Immutable;
using System.Data.Common;
using System.Diagnostics;
using System.Globalization;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>Carries out statements as others do, and tells of each what it took.</summary>
internal sealed class WatchedStatements(Statements statements, SourceId source, Action<SourceCall> told) : Statements
{
    private const int LongestValue = 200;

    public override SqlEngine Engine => statements.Engine;

    public override SourceExperience Experience => statements.Experience;

    public override async Task<List<T>> RowsAsync<T>(SqlText sql, Func<DbDataReader, T> row, CancellationToken cancellation)
    {
        var began = Stopwatch.GetTimestamp();
        var rows = await statements.RowsAsync(sql, row, cancellation);
        told(new SourceCall(source, sql.ToString(), [.. sql.Parameters.Select(Value)], Stopwatch.GetElapsedTime(began), rows.Count));
        return rows;
    }

    private static string Value(DbParameter parameter) =>
        parameter.Value switch
        {
            null or DBNull => "blank",
            Array values =>
                $"[{string.Join(", ", values.Cast<object?>().Take(20))}{(values.Length > 20 ? $", … {values.Length} in all" : "")}]",
            var value when Convert.ToString(value, CultureInfo.InvariantCulture) is { } text => text.Length > LongestValue
                ? text[..LongestValue] + "…"
                : text,
            _ => "",
        };
}
