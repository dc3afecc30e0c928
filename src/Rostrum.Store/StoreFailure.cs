using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Npgsql;

namespace Rostrum.Store;

/// <summary>Tells what went wrong with the store.</summary>
public static class StoreFailure
{
    /// <summary>Whether something is there already that may be there once (SQLSTATE 23505).</summary>
    public static bool IsTaken(DbUpdateException failure) =>
        failure?.InnerException is PostgresException { SqlState: PostgresErrorCodes.UniqueViolation };

    /// <summary>
    /// Whether others changed the same at that moment, so that it may be done once more: what was saved is newer, is there already, or two
    /// waited for each other (SQLSTATE 40P01), which EF Core gives as an <see cref="InvalidOperationException"/> around the failure.
    /// </summary>
    public static bool IsCollision(Exception? failure) =>
        failure is DbUpdateException or InvalidOperationException { InnerException: DbUpdateException };

    /// <summary>
    /// Whether work that holds a connection of the store for its whole length was cut off, so that it is to be taken up again: a database
    /// failed, or that connection is lost, of which whatever is asked next tells in its own way.
    /// </summary>
    public static bool IsOutage(Exception failure, RostrumStore store)
    {
        ArgumentNullException.ThrowIfNull(store);
        return failure is DbException or DbUpdateException or TimeoutException
            || IsUnreachable(failure)
            || store.Database.GetDbConnection().State is not System.Data.ConnectionState.Open;
    }

    /// <summary>
    /// Whether the server did not answer or takes no connections: connection exception, insufficient resources and operator intervention
    /// (SQLSTATE classes 08, 53 and 57), a database that is closed (55000) or not there (3D000).
    /// </summary>
    public static bool IsUnreachable(Exception? failure) =>
        failure switch
        {
            null => false,
            PostgresException { SqlState: ['0', '8', ..] or ['5', '3' or '7', ..] or "55000" or "3D000" } => true,
            PostgresException => false,
            NpgsqlException => true,
            _ => IsUnreachable(failure.InnerException),
        };
}
