using System.Collections.Immutable;
using System.Data.Common;
using System.Diagnostics;
using System.Globalization;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Carries out statements as others do, and tells of each what it took; of one that is slow also which index would help, where the database
/// says that it reads a whole table for it.
/// </summary>
internal sealed class WatchedStatements(Statements statements, Wanted wanted) : Statements
{
    private const int LongestValue = 200;
    private static readonly TimeSpan Slow = TimeSpan.FromMilliseconds(100);

    public override SqlEngine Engine => statements.Engine;

    public override SourceExperience Experience => statements.Experience;

    public override async Task<List<T>> RowsAsync<T>(SqlText sql, Func<DbDataReader, T> row, CancellationToken cancellation)
    {
        var began = Stopwatch.GetTimestamp();
        var rows = await statements.RowsAsync(sql, row, cancellation);
        var took = Stopwatch.GetElapsedTime(began);
        wanted.Told!(
            new SourceCall(wanted.Dataset.Source, sql.ToString(), [.. sql.Parameters.Select(Shown)], took, rows.Count)
            {
                Index = took < Slow ? null : await IndexAsync(sql, cancellation),
            }
        );
        return rows;
    }

    private async Task<string?> IndexAsync(SqlText sql, CancellationToken cancellation)
    {
        var (dataset, statement) = (wanted.Dataset, sql.ToString());
        var columns = IndexProposal.Columns(dataset, wanted.Request, wanted.Seen);
        if (
            dataset is not { Query: null, Join: null }
            || Engine.IndexOn(dataset.Table, columns) is not { } index
            || !statement.StartsWith("SELECT", StringComparison.Ordinal)
        )
        {
            return null;
        }

        var explained = await statements.RowsAsync(
            sql.Copy().Add(Engine.Explain(statement, run: false)),
            Engine.ReadExplained,
            cancellation
        );
        return Engine.ReadsAll(explained, dataset.Table) ? index : null;
    }

    /// <summary>A value that is sent, for builders: long ones are cut.</summary>
    public static string Shown(DbParameter parameter) =>
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
