using System.Collections.Immutable;
using System.Data.Common;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>Statements of builders that change data.</summary>
internal static class SqlStatement
{
    /// <summary>A statement with its values as parameters.</summary>
    public static SqlText Of(
        SqlEngine engine,
        DatasetQuery query,
        ImmutableDictionary<string, object?> given,
        Grants grants,
        FormulaContext context
    )
    {
        var sql = new SqlText(engine);
        return sql.Add(new TableSql(new DatasetCatalogue([]), grants, sql, context, given).Filled(query));
    }

    /// <summary>Runs a statement in a transaction of its own; gives the number of rows that it changed.</summary>
    /// <param name="engine">The database's language.</param>
    /// <param name="connection">A connection.</param>
    /// <param name="sql">The statement.</param>
    /// <param name="keep">Keep what it changed; otherwise it is rolled back.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public static async Task<int> RunAsync(
        SqlEngine engine,
        DbConnection connection,
        SqlText sql,
        bool keep,
        CancellationToken cancellation
    )
    {
        await using var transaction = await connection.BeginTransactionAsync(engine.Isolation, cancellation);
        await using var command = sql.Command(connection, transaction);
        var rows = await command.ExecuteNonQueryAsync(cancellation);
        if (keep)
        {
            await EndUncertainException.CommitAsync(engine, transaction);
        }
        else
        {
            await transaction.RollbackAsync(cancellation);
        }

        return Math.Max(rows, 0);
    }
}
