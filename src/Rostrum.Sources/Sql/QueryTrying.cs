using System.Collections.Immutable;
using System.Data.Common;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>What a query gives: its columns, or why it cannot be run.</summary>
public abstract record QueryShape
{
    private QueryShape() { }

    /// <summary>The columns, in order.</summary>
    public sealed record Columns(ImmutableArray<ColumnStructure> All) : QueryShape;

    /// <summary>The database could not, or refuses.</summary>
    public sealed record Failed(string Message) : QueryShape;
}

/// <summary>What came of trying a statement that changes data.</summary>
public abstract record StatementTrial
{
    private StatementTrial() { }

    /// <summary>The database takes it.</summary>
    /// <param name="Rows">How many rows it changed before that was rolled back; null where it was not run.</param>
    /// <param name="Text">What was sent.</param>
    /// <param name="Values">The values that were sent beside it.</param>
    public sealed record Sound(int? Rows, string Text, ImmutableArray<string> Values) : StatementTrial;

    /// <summary>The database could not, or refuses.</summary>
    public sealed record Failed(string Message) : StatementTrial;
}

/// <summary>Runs queries for the builders who write them.</summary>
public static class QueryTrying
{
    private const int Sampled = 200;

    /// <summary>Whether a source of a kind takes queries.</summary>
    public static bool IsFor(string kind) => SourceProvider.Of(kind) is SqlEngine { Describes.IsBuiltIn: false };

    /// <summary>A name as it stands in a query of a kind of source.</summary>
    public static string Quoted(string kind, string name) => SqlEngines.Of(kind).Quote(name);

    /// <summary>The columns that a query gives, over a connection that cannot write.</summary>
    public static async Task<QueryShape> ShapeAsync(
        SourceSettings settings,
        DatasetQuery query,
        ImmutableDictionary<string, object?> given,
        Grants grants,
        FormulaContext context,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(settings);
        ArgumentNullException.ThrowIfNull(query);
        return await TryAsync<QueryShape>(
            settings with
            {
                ReadsOnly = true,
            },
            async (engine, connection) =>
            {
                var sql = new SqlText(engine);
                var text = new TableSql(new DatasetCatalogue([]), grants, sql, context, given).Of(query);
                sql.Add($"SELECT * FROM {text} q LIMIT {Sampled}");
                await using var command = sql.Command(connection);
                await using var reader = await command.ExecuteReaderAsync(cancellation);
                return await ColumnsAsync(engine, reader, cancellation);
            },
            message => new QueryShape.Failed(message),
            cancellation
        );
    }

    /// <summary>
    /// Lets the database look over a statement that changes data, and runs it where that is wanted; what it changed is rolled back.
    /// </summary>
    public static Task<StatementTrial> TryAsync(
        SourceSettings settings,
        DatasetQuery statement,
        ImmutableDictionary<string, object?> given,
        Grants grants,
        FormulaContext context,
        bool run,
        CancellationToken cancellation
    ) =>
        TryAsync<StatementTrial>(
            settings,
            async (engine, connection) =>
            {
                var sql = SqlStatement.Of(engine, statement, given, grants, context);
                await using (var explain = sql.Copy().Add(engine.Explain(sql.ToString(), run: false)).Command(connection))
                {
                    await explain.ExecuteNonQueryAsync(cancellation);
                }

                int? rows = run ? await SqlStatement.RunAsync(engine, connection, sql, keep: false, cancellation) : null;
                return new StatementTrial.Sound(rows, sql.ToString(), [.. sql.Parameters.Select(WatchedStatements.Shown)]);
            },
            message => new StatementTrial.Failed(message),
            cancellation
        );

    private static async Task<T> TryAsync<T>(
        SourceSettings settings,
        Func<SqlEngine, DbConnection, Task<T>> work,
        Func<string, T> failed,
        CancellationToken cancellation
    )
    {
        var engine = SqlEngines.Of(settings.Kind);
        await using var pool = new SqlPool(engine, settings);
        try
        {
            await using var connection = await pool.OpenConnectionAsync(cancellation);
            return await work(engine, connection);
        }
        catch (SourceFailedException exception)
        {
            return failed(exception.Failure.Message);
        }
        catch (DbException exception) when (!engine.IsLoss(exception) && !engine.IsTimeout(exception))
        {
            // What the database says of a builder's own text is said to the builder.
            return failed($"The database says: {Plain(exception.Message)}");
        }
        catch (Exception exception) when (engine.IsExpected(exception))
        {
            return failed(engine.FailureOf(exception, settings).Message);
        }
    }

    // Without the code before it, and without the place in a text that has other text around it.
    private static string Plain(string message)
    {
        var plain = message.Length > 6 && message[5] == ':' && message[..5].All(char.IsLetterOrDigit) ? message[6..] : message;
        var place = plain.IndexOf("POSITION:", StringComparison.Ordinal);
        return (place > 0 ? plain[..place] : plain).Trim();
    }

    // Some databases number columns that have the same name.
    private static string Own(string name) =>
        name.LastIndexOf(':') is > 0 and var colon && name[(colon + 1)..].All(char.IsAsciiDigit) ? name[..colon] : name;

    private static async Task<QueryShape> ColumnsAsync(SqlEngine engine, DbDataReader reader, CancellationToken cancellation)
    {
        var names = Enumerable.Range(0, reader.FieldCount).Select(at => Own(reader.GetName(at))).ToArray();
        if (names.GroupBy(name => name, StringComparer.OrdinalIgnoreCase).FirstOrDefault(group => group.Count() > 1) is { Key: var twice })
        {
            return new QueryShape.Failed($"There are two columns “{twice}”: give one of them another name with AS.");
        }

        var types = Enumerable.Range(0, names.Length).Select(at => (reader.GetDataTypeName(at), reader.GetFieldType(at))).ToArray();
        var seen = names.Select(_ => new HashSet<Type>()).ToArray();
        while (engine.TypesAreOfValues && await reader.ReadAsync(cancellation))
        {
            for (var at = 0; at < names.Length; at++)
            {
                if (!reader.IsDBNull(at))
                {
                    seen[at].Add(reader.GetValue(at).GetType());
                }
            }
        }

        return new QueryShape.Columns([
            .. names.Select(
                (name, at) =>
                    new ColumnStructure(
                        name,
                        engine.TypeOf(types[at].Item1, seen[at].Count == 1 ? seen[at].First() : types[at].Item2),
                        types[at].Item1,
                        Nullable: true
                    )
            ),
        ]);
    }
}
