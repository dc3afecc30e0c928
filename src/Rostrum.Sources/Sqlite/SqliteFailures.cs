using System.Collections.Immutable;
using Microsoft.Data.Sqlite;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Sqlite;

/// <summary>What went wrong with a SQLite file, in words that say what to do. The numbers are SQLite's own result codes.</summary>
internal static class SqliteFailures
{
    public const int Busy = 5;
    public const int Constraint = 19;

    private const int Error = 1;
    private const int Locked = 6;
    private const int ReadOnly = 8;
    private const int Corrupt = 11;
    private const int Full = 13;
    private const int CannotOpen = 14;
    private const int NotADatabase = 26;

    private const int CheckFailed = 275;
    private const int ForeignKeyFailed = 787;
    private const int NotNullFailed = 1299;
    private const int PrimaryKeyFailed = 1555;
    private const int UniqueFailed = 2067;
    private const int RowIdFailed = 2579;

    public static SourceFailure Of(Exception exception, SourceSettings settings)
    {
        var file = Path.GetFileName(settings.Database);
        return exception switch
        {
            SqliteException { SqliteErrorCode: CannotOpen } => new(
                FailureReason.UnknownDatabase,
                $"There is no file “{file}” that can be opened. Check its name, and that Rostrum may read and write it."
            ),
            SqliteException { SqliteErrorCode: NotADatabase or Corrupt } => new(
                FailureReason.UnknownDatabase,
                $"“{file}” is no SQLite database, or it is damaged."
            ),
            SqliteException { SqliteErrorCode: ReadOnly } => new(
                FailureReason.NoRight,
                $"“{file}” can only be read. Give Rostrum the right to write it, and its folder."
            ),
            SqliteException { SqliteErrorCode: Busy or Locked } => new(
                FailureReason.TimedOut,
                $"“{file}” is locked by another program. Try again once that is through."
            ),
            SqliteException { SqliteErrorCode: Full } => new(FailureReason.Other, $"There is no room left where “{file}” is."),
            SqliteException { SqliteErrorCode: Error } gone when gone.Message.Contains("no such", StringComparison.Ordinal) => new(
                FailureReason.StructureChanged,
                $"“{file}” is not built as it was when Rostrum read it: {Said(gone)}."
            ),
            SqliteException other => new(FailureReason.Other, $"“{file}” refuses: {Said(other)}."),
            _ => new(FailureReason.Other, $"“{file}” cannot be read at the moment."),
        };
    }

    /// <summary>
    /// Why a row's values are refused. A constraint's message names its columns: <c>UNIQUE constraint failed: t.a, t.b</c>.
    /// </summary>
    public static ImmutableArray<FieldProblem> Explain(Dataset dataset, Change change, SqliteException exception)
    {
        var said = Said(exception);
        var of = said[(said.IndexOf(": ", StringComparison.Ordinal) is >= 0 and var at ? at + 2 : 0)..];
        ImmutableArray<string> columns =
        [
            .. of.Split(", ").Where(name => name.Contains('.')).Select(name => name[(name.IndexOf('.', StringComparison.Ordinal) + 1)..]),
        ];
        return exception.SqliteExtendedErrorCode switch
        {
            NotNullFailed => Refusals.Blank(dataset, columns.FirstOrDefault("")),
            UniqueFailed or PrimaryKeyFailed or RowIdFailed => Refusals.Twin(dataset, columns),
            ForeignKeyFailed when change is Change.Delete => Refusals.ReferredTo(dataset, "Other records", deleted: true),
            ForeignKeyFailed => Refusals.NoSuchRecord(
                dataset,
                [.. dataset.Relations.Where(relation => relation.Declared).Select(relation => dataset[relation.Field].Column)]
            ),
            CheckFailed => Refusals.Rule(dataset, [], of),
            _ => [new FieldProblem(null, $"The database refuses this: {said}.")],
        };
    }

    // "SQLite Error 19: 'UNIQUE constraint failed: t.a'."
    private static string Said(SqliteException exception)
    {
        var (from, to) = (exception.Message.IndexOf('\'', StringComparison.Ordinal), exception.Message.LastIndexOf('\''));
        return to > from ? exception.Message[(from + 1)..to] : exception.Message;
    }
}
