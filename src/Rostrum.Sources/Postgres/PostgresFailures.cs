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
                ServerFailures.WrongPassword(settings),
            PostgresException { SqlState: PostgresErrorCodes.InvalidCatalogName } => new(
                FailureReason.UnknownDatabase,
                $"The server at {settings.Host} has no database “{settings.Database}”. Check its spelling; capitals count."
            ),
            PostgresException { SqlState: PostgresErrorCodes.InsufficientPrivilege } refused => ServerFailures.NoRight(
                settings,
                refused.MessageText
            ),
            PostgresException { SqlState: PostgresErrorCodes.QueryCanceled } => ServerFailures.TooSlow(settings),
            PostgresException { SqlState: PostgresErrorCodes.UndefinedTable or PostgresErrorCodes.UndefinedColumn } gone =>
                ServerFailures.Changed(settings, gone.MessageText),
            PostgresException
            {
                SqlState: PostgresErrorCodes.TooManyConnections
                    or PostgresErrorCodes.CannotConnectNow
                    or PostgresErrorCodes.AdminShutdown
                    or PostgresErrorCodes.CrashShutdown
            } => ServerFailures.Full(settings),
            PostgresException other => ServerFailures.Refuses(settings, other.MessageText),
            _ when ServerFailures.Unreached(exception, settings) is { } unreached => unreached,
            _ when ServerFailures.Inner<SocketException>(exception) is { SocketErrorCode: SocketError.TimedOut }
                    || ServerFailures.Inner<TimeoutException>(exception) is not null => new(
                FailureReason.TimedOut,
                $"{settings.Host}, port {settings.Port}, did not answer in time. Is it reachable from here?"
            ),
            _ => ServerFailures.Broken(settings),
        };
}
