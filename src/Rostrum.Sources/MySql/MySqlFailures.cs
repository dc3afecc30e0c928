using System.Collections.Immutable;
using System.Data.Common;
using System.Net;
using System.Net.Sockets;
using System.Text.RegularExpressions;
using MySqlConnector;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.MySql;

/// <summary>What went wrong at a MySQL or MariaDB server, in words that say what to do.</summary>
internal static partial class MySqlFailures
{
    private const int CheckFailed = 3819;
    private const int MariaCheckFailed = 4025;
    private const int Signalled = 1644;

    [GeneratedRegex("for key '(?:[^']*\\.)?(?<key>[^'.]+)'", RegexOptions.CultureInvariant, 1000)]
    private static partial Regex Key { get; }

    [GeneratedRegex("(?:[Cc]olumn|Field) '(?:[^']*\\.)?(?<column>[^'.]+)'", RegexOptions.CultureInvariant, 1000)]
    private static partial Regex Column { get; }

    [GeneratedRegex(@"`(?<table>[^`]+)`, CONSTRAINT `[^`]*` FOREIGN KEY \((?<columns>[^)]*)\)", RegexOptions.CultureInvariant, 1000)]
    private static partial Regex Reference { get; }

    [GeneratedRegex("(?:CONSTRAINT|[Cc]heck constraint) [`'](?:[^`']*\\.)?(?<name>[^`'.]+)[`']", RegexOptions.CultureInvariant, 1000)]
    private static partial Regex Constraint { get; }

    public static bool IsExpected(Exception exception) =>
        exception is MySqlException or SocketException or TimeoutException or IOException or MySqlProtocolException;

    public static bool IsAboutValues(MySqlException exception) =>
        exception.ErrorCode
            is MySqlErrorCode.DuplicateKeyEntry
                or MySqlErrorCode.ColumnCannotBeNull
                or MySqlErrorCode.NoDefaultForField
                or MySqlErrorCode.RowIsReferenced2
                or MySqlErrorCode.NoReferencedRow2
                or MySqlErrorCode.DataTooLong
                or MySqlErrorCode.WarningDataOutOfRange
                or MySqlErrorCode.TruncatedWrongValue
                or MySqlErrorCode.TruncatedWrongValueForField
                or MySqlErrorCode.WarningDataTruncated
        || exception.Number is CheckFailed or MariaCheckFailed or Signalled;

    public static SourceFailure Of(Exception exception, SourceSettings settings) =>
        exception switch
        {
            MySqlException { ErrorCode: MySqlErrorCode.AccessDenied } => ServerFailures.WrongPassword(settings),
            MySqlException { ErrorCode: MySqlErrorCode.UnknownDatabase } => new(
                FailureReason.UnknownDatabase,
                $"The server at {settings.Host} has no database “{settings.Database}”. Check its spelling."
            ),
            MySqlException
            {
                ErrorCode: MySqlErrorCode.DatabaseAccessDenied or MySqlErrorCode.TableAccessDenied or MySqlErrorCode.ColumnAccessDenied
            } refused => ServerFailures.NoRight(settings, refused.Message),
            MySqlException { ErrorCode: MySqlErrorCode.NoSuchTable or MySqlErrorCode.BadFieldError } gone => ServerFailures.Changed(
                settings,
                gone.Message
            ),
            MySqlException
            {
                ErrorCode: MySqlErrorCode.CommandTimeoutExpired or MySqlErrorCode.QueryInterrupted or MySqlErrorCode.LockWaitTimeout
            } => ServerFailures.TooSlow(settings),
            MySqlException { ErrorCode: MySqlErrorCode.ConnectionCountError or MySqlErrorCode.ServerShutdown } => ServerFailures.Full(
                settings
            ),
            _ when ServerFailures.Unreached(exception, settings) is { } unreached => unreached,
            MySqlException { ErrorCode: MySqlErrorCode.UnableToConnectToHost } => IsUnknown(settings.Host)
                ? ServerFailures.UnknownHost(settings)
                : new(
                    FailureReason.Refused,
                    $"Nothing answers at {settings.Host}, port {settings.Port}. Is the server running, and is this its port?"
                ),
            MySqlException { SqlState: "08S01" or null } => new(
                FailureReason.TimedOut,
                $"{settings.Host}, port {settings.Port}, did not answer as such a server does. Is it reachable from here, "
                    + (settings.Encrypted ? "and can it encrypt?" : "and is this its port?")
            ),
            MySqlException other => ServerFailures.Refuses(settings, other.Message),
            _ => ServerFailures.Broken(settings),
        };

    /// <summary>Why a row's values are refused: the server names keys and columns in what it says.</summary>
    public static async Task<ImmutableArray<FieldProblem>> ExplainAsync(
        DbConnection connection,
        DbTransaction? transaction,
        DatasetCatalogue catalogue,
        Dataset dataset,
        Change change,
        MySqlException exception,
        CancellationToken cancellation
    )
    {
        ImmutableArray<string> column = Column.Match(exception.Message) is { Success: true } named ? [named.Groups["column"].Value] : [];
        var reference = Reference.Match(exception.Message);
        var others = Refusals.OtherTable(catalogue, dataset, reference.Success ? reference.Groups["table"].Value : null);
        return exception switch
        {
            { ErrorCode: MySqlErrorCode.ColumnCannotBeNull or MySqlErrorCode.NoDefaultForField } => Refusals.Blank(
                dataset,
                column.FirstOrDefault("")
            ),
            { ErrorCode: MySqlErrorCode.DuplicateKeyEntry } => Refusals.Twin(
                dataset,
                await ColumnsAsync(connection, transaction, dataset, Key.Match(exception.Message).Groups["key"].Value, cancellation)
            ),
            { ErrorCode: MySqlErrorCode.RowIsReferenced2 } => Refusals.ReferredTo(dataset, others, change is Change.Delete),
            { ErrorCode: MySqlErrorCode.NoReferencedRow2 } => Refusals.NoSuchRecord(
                dataset,
                [.. reference.Groups["columns"].Value.Split(", ").Select(name => name.Trim('`'))]
            ),
            { ErrorCode: MySqlErrorCode.DataTooLong } => Refusals.At(dataset, column, "This text is too long."),
            { ErrorCode: MySqlErrorCode.WarningDataOutOfRange } => Refusals.At(dataset, column, "This is out of range."),
            {
                ErrorCode: MySqlErrorCode.TruncatedWrongValue
                    or MySqlErrorCode.TruncatedWrongValueForField
                    or MySqlErrorCode.WarningDataTruncated
            } => Refusals.At(dataset, column, "The database takes no such value here."),
            { Number: CheckFailed or MariaCheckFailed } => Refusals.Rule(
                dataset,
                [],
                Constraint.Match(exception.Message) is { Success: true } rule ? rule.Groups["name"].Value : null
            ),
            _ => [new FieldProblem(null, $"The database refuses this: {exception.Message}.")],
        };
    }

    private static async Task<ImmutableArray<string>> ColumnsAsync(
        DbConnection connection,
        DbTransaction? transaction,
        Dataset dataset,
        string key,
        CancellationToken cancellation
    )
    {
        await using var command = new MySqlCommand(
            "SELECT column_name FROM information_schema.statistics WHERE table_schema = database() AND table_name = @table "
                + "AND index_name = @key "
                + "ORDER BY seq_in_index",
            (MySqlConnection)connection,
            (MySqlTransaction?)transaction
        )
        {
            Parameters = { new MySqlParameter("@table", dataset.Table.Name), new MySqlParameter("@key", key) },
        };
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        var columns = ImmutableArray.CreateBuilder<string>();
        while (await reader.ReadAsync(cancellation))
        {
            columns.Add(reader.GetString(0));
        }

        return columns.ToImmutable();
    }

    // The driver tries all addresses of a name, and does not say where there was none.
    private static bool IsUnknown(string host)
    {
        try
        {
            return Dns.GetHostAddresses(host).Length == 0;
        }
        catch (SocketException)
        {
            return true;
        }
    }
}
