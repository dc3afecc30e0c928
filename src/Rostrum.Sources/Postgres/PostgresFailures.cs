using System.Net.Sockets;
using Npgsql;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>What went wrong at a PostgreSQL server, in words that say what to do.</summary>
internal static class PostgresFailures
{
    /// <summary>Whether an exception is the server's or the network's, and so is expected to happen.</summary>
    public static bool IsExpected(Exception exception) =>
        exception is NpgsqlException or SocketException or TimeoutException or IOException or ArgumentException { Source: "Npgsql" };

    /// <summary>Whether the connection was lost, so that it is not known what became of what was asked last.</summary>
    public static bool IsLoss(Exception exception) =>
        IsExpected(exception)
        && exception is not PostgresException { SqlState: not (PostgresErrorCodes.AdminShutdown or PostgresErrorCodes.CrashShutdown) };

    public static SourceFailure Of(Exception exception, SourceSettings settings) =>
        exception switch
        {
            PostgresException { SqlState: PostgresErrorCodes.InvalidPassword or PostgresErrorCodes.InvalidAuthorizationSpecification } =>
                new(
                    FailureReason.WrongPassword,
                    $"The server at {settings.Host} does not accept this user and password. Check both; user is “{settings.User}”."
                ),
            PostgresException { SqlState: PostgresErrorCodes.InvalidCatalogName } => new(
                FailureReason.UnknownDatabase,
                $"The server at {settings.Host} has no database “{settings.Database}”. Check its spelling; capitals count."
            ),
            PostgresException { SqlState: PostgresErrorCodes.InsufficientPrivilege } refused => new(
                FailureReason.NoRight,
                $"User “{settings.User}” may not do this in “{settings.Database}”: {refused.MessageText}. Ask the database's "
                    + "owner for the right."
            ),
            PostgresException { SqlState: PostgresErrorCodes.QueryCanceled } => new(
                FailureReason.TimedOut,
                $"“{settings.Database}” took too long to answer. Narrow the question with a filter, or try again."
            ),
            PostgresException { SqlState: PostgresErrorCodes.UndefinedTable or PostgresErrorCodes.UndefinedColumn } gone => new(
                FailureReason.StructureChanged,
                $"“{settings.Database}” is not built as it was when Rostrum read it: {gone.MessageText}."
            ),
            PostgresException
            {
                SqlState: PostgresErrorCodes.TooManyConnections
                    or PostgresErrorCodes.CannotConnectNow
                    or PostgresErrorCodes.AdminShutdown
                    or PostgresErrorCodes.CrashShutdown
            } => new(FailureReason.Refused, $"The server at {settings.Host} takes no connections at the moment. Try again shortly."),
            PostgresException other => new(FailureReason.Other, $"“{settings.Database}” refuses: {other.MessageText}."),
            _ when Inner<SocketException>(exception)
                    is { SocketErrorCode: SocketError.HostNotFound or SocketError.TryAgain or SocketError.NoData } => new(
                FailureReason.UnknownHost,
                $"No machine is known by the name “{settings.Host}”. Check its spelling."
            ),
            _ when Inner<SocketException>(exception) is { SocketErrorCode: SocketError.ConnectionRefused } => new(
                FailureReason.Refused,
                $"Nothing listens at {settings.Host}, port {settings.Port}. Is the server running, and is this its port?"
            ),
            _ when Inner<SocketException>(exception) is { SocketErrorCode: SocketError.TimedOut }
                    || Inner<TimeoutException>(exception) is not null => new(
                FailureReason.TimedOut,
                $"{settings.Host}, port {settings.Port}, did not answer in time. Is it reachable from here?"
            ),
            _ => new(
                FailureReason.Other,
                $"The connection to {settings.Host}, port {settings.Port}, broke. Try again; if it keeps happening, ask whoever "
                    + "runs that server."
            ),
        };

    private static T? Inner<T>(Exception? exception)
        where T : Exception
    {
        while (exception is not null and not T)
        {
            exception = exception is AggregateException aggregate
                ? aggregate.InnerExceptions.OfType<T>().FirstOrDefault() ?? aggregate.InnerException
                : exception.InnerException;
        }

        return exception as T;
    }
}
