using System.Net.Sockets;
using System.Security.Authentication;

namespace Rostrum.Sources.Sql;

/// <summary>What goes wrong at every server of databases, in words that say what to do.</summary>
internal static class ServerFailures
{
    public static SourceFailure WrongPassword(SourceSettings settings) =>
        new(
            FailureReason.WrongPassword,
            $"The server at {settings.Host} does not accept this user and password. Check both; user is “{settings.User}”."
        );

    public static SourceFailure NoRight(SourceSettings settings, string said) =>
        new(
            FailureReason.NoRight,
            $"User “{settings.User}” may not do this in “{settings.Database}”: {said}. Ask the database's owner for the right."
        );

    public static SourceFailure TooSlow(SourceSettings settings) =>
        new(FailureReason.TimedOut, $"“{settings.Database}” took too long to answer. Narrow the question with a filter, or try again.");

    public static SourceFailure Changed(SourceSettings settings, string said) =>
        new(FailureReason.StructureChanged, $"“{settings.Database}” is not built as it was when Rostrum read it: {said}.");

    public static SourceFailure Full(SourceSettings settings) =>
        new(FailureReason.Refused, $"The server at {settings.Host} takes no connections at the moment. Try again shortly.");

    public static SourceFailure Refuses(SourceSettings settings, string said) =>
        new(FailureReason.Other, $"“{settings.Database}” refuses: {said}.");

    public static SourceFailure UnknownHost(SourceSettings settings) =>
        new(FailureReason.UnknownHost, $"No machine is known by the name “{settings.Host}”. Check its spelling.");

    public static SourceFailure Broken(SourceSettings settings) =>
        new(
            FailureReason.Other,
            $"The connection to {settings.Host}, port {settings.Port}, broke. Try again; if it goes on, ask whoever runs the server."
        );

    /// <summary>What the network, or the encryption, says of the machine, where it is that; null where the reason is another.</summary>
    public static SourceFailure? Unreached(Exception exception, SourceSettings settings) =>
        Inner<SocketException>(exception)?.SocketErrorCode switch
        {
            _ when Inner<AuthenticationException>(exception) is not null => new(
                FailureReason.Other,
                $"The certificate of {settings.Host} is not valid: it is for another name, out of date, or not signed by the authority "
                    + "that counts here."
            ),
            _ when exception.Message.Contains("SSL", StringComparison.Ordinal) => new(
                FailureReason.Other,
                $"The server at {settings.Host} does not encrypt, and this connection demands it. Have TLS switched on there, or do "
                    + "without it here."
            ),
            SocketError.HostNotFound or SocketError.TryAgain or SocketError.NoData => UnknownHost(settings),
            SocketError.ConnectionRefused => new(
                FailureReason.Refused,
                $"Nothing listens at {settings.Host}, port {settings.Port}. Is the server running, and is this its port?"
            ),
            _ => null,
        };

    /// <summary>An exception of a kind among those that caused another, or itself; null where there is none.</summary>
    public static T? Inner<T>(Exception? exception)
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
