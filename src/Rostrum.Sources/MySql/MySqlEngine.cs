using System.Collections.Immutable;
using System.Data;
using System.Data.Common;
using System.Globalization;
using System.Text.Json.Nodes;
using MySqlConnector;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.MySql;

/// <summary>MySQL from version 8 and MariaDB from 10.6 on.</summary>
internal sealed class MySqlEngine : SqlEngine
{
    private const int SecondsToWait = 10;

    public override SourceKind Describes { get; } = new("mysql", "MySQL or MariaDB", SourceKind.Server(3306));

    public override SqlDialect Dialect { get; } = new MySqlDialect();

    protected override bool IsInstant(string native) => native.Equals("TIMESTAMP", StringComparison.OrdinalIgnoreCase);

    public override DbDataSource Open(SourceSettings settings)
    {
        var certificate = ServerCertificate.Of(settings);
        var text = new MySqlConnectionStringBuilder
        {
            Server = settings.Host,
            Port = (uint)settings.Port,
            Database = settings.Database,
            UserID = settings.User,
            Password = settings.Password,
            SslMode = certificate.IsDemanded ? MySqlSslMode.Required : MySqlSslMode.Preferred,
            ConnectionTimeout = 5,
            DefaultCommandTimeout = 15,
            MaximumPoolSize = TableTurns.Connections,
            GuidFormat = MySqlGuidFormat.None,
            ApplicationName = "Rostrum",
            AllowUserVariables = false,
        };
        return new MySqlDataSourceBuilder(text.ConnectionString)
            .UseRemoteCertificateValidationCallback(certificate.Accepts)
            .UseConnectionOpenedCallback(
                async (context, cancellation) =>
                {
                    // Moments are those of UTC, what does not fit is refused instead of being cut, and no server reads a statement in a way
                    // of its own.
                    await using var command = context.Connection.CreateCommand();
                    command.CommandText =
                        "SET time_zone = '+00:00', "
                        + "sql_mode = 'STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION,ERROR_FOR_DIVISION_BY_ZERO,NO_ZERO_DATE,NO_ZERO_IN_DATE'";
                    await command.ExecuteNonQueryAsync(cancellation);
                    if (settings.ReadsOnly)
                    {
                        command.CommandText = "SET SESSION TRANSACTION READ ONLY";
                        await command.ExecuteNonQueryAsync(cancellation);
                    }
                }
            )
            .Build();
    }

    public override IsolationLevel Isolation => IsolationLevel.ReadCommitted;

    public override SqlCodec CodecOf(FieldType type) => MySqlCodec.Of(type);

    public override DbParameter Parameter(object value) =>
        new MySqlParameter { Value = value is TimeOnly time ? time.ToTimeSpan() : value };

    public override DbParameter Copy(DbParameter parameter) => ((MySqlParameter)parameter).Clone();

    public override string Placeholder(int number) => $"@p{number}";

    public override string NameOf(int number) => $"@p{number}";

    public override string AsFloating(string number) => $"CAST({number} AS DOUBLE)";

    public override string Like(Field field, string column, string pattern) =>
        $"CONVERT({column} USING utf8mb4) COLLATE utf8mb4_general_ci LIKE {pattern}";

    // A collation may take capitals for small letters, and pass over blanks at the end: the bytes have the last word.
    public override string Equals(Field field, string column, IReadOnlyList<string> values) =>
        field.Type is FieldType.Text or FieldType.Choice
            ? $"({base.Equals(field, column, values)} AND "
                + $"{base.Equals(field, MySqlDialect.Bytes(column), [.. values.Select(value => $"BINARY {value}")])})"
            : base.Equals(field, column, values);

    public override string Ordered(string term, bool descending, bool nullable, bool blanksFirst) =>
        $"{(nullable ? $"({term} IS NULL){(blanksFirst ? " DESC" : "")}, " : "")}{term}{(descending ? " DESC" : "")}";

    public override string ByCodePoints(string column, Field field) => MySqlDialect.Bytes(column);

    public override string Lock(string alias) => " FOR UPDATE";

    public override bool ReturnsKeys => false;

    public override string NoValues => "() VALUES ()";

    public override string LastIdentity => "SELECT last_insert_id()";

    public override string WaitForOthers(SqlText sql, TableName table) =>
        $"SELECT get_lock({sql.Text($"rostrum {table}")}, {SecondsToWait})";

    // The server knows how many rows a table has to within a third or so, without looking; of a view it knows nothing.
    public override string CountOrEstimate(SqlText sql, TableName table, string from, int exactlyBelow)
    {
        var schema = table.Schema.Length == 0 ? "database()" : sql.Text(table.Schema);
        return $"SELECT CASE WHEN s.table_rows >= {exactlyBelow} THEN -CAST(s.table_rows AS SIGNED) ELSE (SELECT count(*){from}) END "
            + $"FROM information_schema.tables s WHERE s.table_schema = {schema} AND s.table_name = {sql.Text(table.Name)}";
    }

    public override string Explain(string statement, bool run) => $"{(run ? "ANALYZE" : "EXPLAIN")} FORMAT=JSON {statement}";

    // For an order alone the server may still rather read and sort all of the table.
    public override string? IndexOn(TableName table, IReadOnlyList<IndexColumn> columns) =>
        columns is [{ Order: not null }, ..] ? null : base.IndexOn(table, columns);

    // It is read from its end as well, and with it the keys that stand behind each value.
    protected override string? Indexed(IndexColumn column) =>
        column.Order is null || column.Field.Required ? Quote(column.Field.Column) : null;

    public override bool ReadsAll(IEnumerable<string> explained, TableName table) => ReadsAll(JsonNode.Parse(string.Concat(explained)));

    // What the statement puts together on the way, such as the keys of a page, has a name in brackets: it is read whole, and is short.
    private static bool ReadsAll(JsonNode? plan) =>
        plan switch
        {
            JsonObject part => (
                part["access_type"]?.GetValue<string>() == "ALL" && part["table_name"]?.GetValue<string>().StartsWith('<') == false
            ) || part.Any(member => ReadsAll(member.Value)),
            JsonArray parts => parts.Any(ReadsAll),
            _ => false,
        };

    public override string ReadExplained(DbDataReader row) => Convert.ToString(row.GetValue(0), CultureInfo.InvariantCulture) ?? "";

    public override bool IsExpected(Exception exception) => MySqlFailures.IsExpected(exception);

    public override bool IsLoss(Exception exception) =>
        IsExpected(exception)
        && exception is not MySqlException { ErrorCode: not MySqlErrorCode.UnableToConnectToHost, SqlState: not null };

    public override bool IsTimeout(Exception exception) =>
        exception is MySqlException { ErrorCode: MySqlErrorCode.CommandTimeoutExpired or MySqlErrorCode.QueryInterrupted };

    public override bool IsAboutValues(DbException exception) => exception is MySqlException known && MySqlFailures.IsAboutValues(known);

    public override SourceFailure FailureOf(Exception exception, SourceSettings settings) => MySqlFailures.Of(exception, settings);

    public override Task<ImmutableArray<FieldProblem>> ExplainAsync(
        DbConnection connection,
        DbTransaction? transaction,
        DatasetCatalogue catalogue,
        Dataset dataset,
        Change change,
        DbException exception,
        CancellationToken cancellation
    ) => MySqlFailures.ExplainAsync(connection, transaction, catalogue, dataset, change, (MySqlException)exception, cancellation);

    public override Task<SourceStructure> ReadStructureAsync(DbConnection connection, CancellationToken cancellation) =>
        MySqlStructureReader.ReadAsync(connection, cancellation);
}
