using System.Collections.Immutable;
using System.Data.Common;
using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>PostgreSQL, from version 14 on.</summary>
internal class PostgresEngine : SqlEngine
{
    // Npgsql would else read infinities as the ends of .NET's calendar, and those ends as infinities.
    static PostgresEngine() => AppContext.SetSwitch("Npgsql.DisableDateTimeInfinityConversions", isEnabled: true);

    public override SourceKind Describes { get; } = new(SourceKind.Usual, "PostgreSQL", SourceKind.Server(5432));

    public override SqlDialect Dialect { get; } = new PostgresDialect();

    public override DbDataSource Open(SourceSettings settings)
    {
        var certificate = ServerCertificate.Of(settings);
        var text = new NpgsqlConnectionStringBuilder
        {
            Host = settings.Host,
            Port = settings.Port,
            Database = settings.Database,
            Username = settings.User,
            Password = settings.Password,
            SslMode = certificate.IsDemanded ? SslMode.Require : SslMode.Prefer,
            Timeout = 5,
            CommandTimeout = 15,
            MaxPoolSize = TableTurns.Connections,
            MaxAutoPrepare = 100,
            AutoPrepareMinUsages = 2,

            // Nothing that we do outlives its transaction, so that a connection comes back as it went.
            NoResetOnClose = true,
            ApplicationName = "Rostrum",
            Options = settings.ReadsOnly ? "-c default_transaction_read_only=on -c statement_timeout=15s" : null,
            IncludeErrorDetail = false,
        };
        return new NpgsqlDataSourceBuilder(text.ConnectionString)
            .UseSslClientAuthenticationOptionsCallback(options => options.RemoteCertificateValidationCallback = certificate.Accepts)
            .Build();
    }

    public override SqlCodec CodecOf(FieldType type) => PostgresCodec.Of(type);

    public override DbParameter Parameter(object value) =>
        value switch
        {
            DateTimeOffset instant => new NpgsqlParameter { Value = instant.UtcDateTime, NpgsqlDbType = NpgsqlDbType.TimestampTz },
            string => new NpgsqlParameter { Value = value, NpgsqlDbType = NpgsqlDbType.Text },
            long => new NpgsqlParameter { Value = value, NpgsqlDbType = NpgsqlDbType.Bigint },
            _ => new NpgsqlParameter { Value = value },
        };

    public override DbParameter Copy(DbParameter parameter) => ((NpgsqlParameter)parameter).Clone();

    public override string Typed(string placeholder, Field field) => placeholder + Cast(field);

    public override string AsColumn(string value, Field field) => $"{value}::{field.NativeType}";

    public override string TypeName(FormulaType type) => PostgresDialect.TypeName(type);

    public override string AsFloating(string number) => $"({number})::float8";

    public override string Like(Field field, string column, string pattern) =>
        $"{column}{(field.Type is FieldType.Text && field.NativeType is not "citext" ? "" : "::text")} ILIKE {pattern}";

    public override string IsIn(SqlText sql, Field field, string column, object[] values) =>
        $"{column} = ANY({Several(sql, field, values)})";

    public override string KeyIsIn(SqlText sql, Field field, string column, object[] values) => IsIn(sql, field, column, values);

    public override string EachOf(SqlText sql, Field field, object[] values, Func<string, string> rows) =>
        $"SELECT r.* FROM unnest({Several(sql, field, values)}) AS e(value) CROSS JOIN LATERAL ({rows("e.value")}) r";

    public override string ByCodePoints(string column, Field field) => $"{column}::text COLLATE \"C\"";

    public override string WithOwnIdentity => " OVERRIDING SYSTEM VALUE";

    public override string WaitForOthers(SqlText sql, TableName table) =>
        $"SELECT pg_advisory_xact_lock(hashtextextended({sql.Text($"rostrum {table}")}, 0))";

    public override string TotalCast => "::text";

    // percentile_cont computes with binary numbers; the two in the middle are as they are.
    public override string Median(string number) =>
        $"((percentile_disc(0.5) WITHIN GROUP (ORDER BY {number}) + percentile_disc(0.5) WITHIN GROUP (ORDER BY {number} DESC)) * 0.5)";

    public override bool KnowsSizes => true;

    public override string IsSmall(SqlText sql, string table, int rows) =>
        $"(SELECT c.reltuples BETWEEN 0 AND {rows} FROM pg_class c WHERE c.oid = {sql.Text(table)}::regclass)";

    public override string CountOrEstimate(SqlText sql, TableName table, string from, int exactlyBelow) =>
        $"SELECT CASE WHEN c.reltuples >= {exactlyBelow} THEN -c.reltuples::int8 ELSE (SELECT count(*){from}) END FROM pg_class c "
        + $"WHERE c.oid = {sql.Text(Quote(table))}::regclass";

    public override string EstimateOf(string select) => $"EXPLAIN (FORMAT JSON) {select}";

    public override long ReadEstimate(DbDataReader row)
    {
        using var document = JsonDocument.Parse(row.GetString(0));
        return document.RootElement[0].GetProperty("Plan").GetProperty("Plan Rows").GetInt64();
    }

    public override string Explain(string statement, bool run) => $"EXPLAIN ({(run ? "ANALYZE, TIMING OFF, " : "")}COSTS OFF) {statement}";

    protected override string? Indexed(IndexColumn column) =>
        column.Order is { } order
            ? Ordered(Quote(column.Field.Column), order.Descending, !column.Field.Required, blanksFirst: false)
            : base.Indexed(column);

    public override bool ReadsAll(IEnumerable<string> explained, TableName table) =>
        explained.Any(line => line.Contains($"Seq Scan on {table.Name} ", StringComparison.Ordinal));

    public override string ReadExplained(DbDataReader row) => row.GetString(0);

    public override string TransactionName => "SELECT pg_current_xact_id()::text";

    public override string TransactionStatus => "SELECT pg_xact_status($1::xid8)";

    public override bool IsExpected(Exception exception) => PostgresFailures.IsExpected(exception);

    public override bool IsLoss(Exception exception) => PostgresFailures.IsLoss(exception);

    public override bool IsTimeout(Exception exception) =>
        exception
            is NpgsqlException { InnerException: TimeoutException }
                or PostgresException { SqlState: PostgresErrorCodes.QueryCanceled };

    public override bool IsAboutValues(DbException exception) =>
        exception is PostgresException known && PostgresRefusals.IsAboutValues(known);

    public override SourceFailure FailureOf(Exception exception, SourceSettings settings) => PostgresFailures.Of(exception, settings);

    public override Task<ImmutableArray<FieldProblem>> ExplainAsync(
        DbConnection connection,
        DbTransaction? transaction,
        DatasetCatalogue catalogue,
        Dataset dataset,
        Change change,
        DbException exception,
        CancellationToken cancellation
    ) =>
        PostgresRefusals.ExplainAsync((NpgsqlConnection)connection, catalogue, dataset, change, (PostgresException)exception, cancellation);

    public override Task<SourceStructure> ReadStructureAsync(DbConnection connection, CancellationToken cancellation) =>
        PostgresStructureReader.ReadAsync((NpgsqlConnection)connection, cancellation);

    public override Task<SourceStructure> WithValuesAsync(
        DbConnection connection,
        SourceStructure structure,
        CancellationToken cancellation
    ) => PostgresValueReader.WithValuesAsync(this, (NpgsqlConnection)connection, structure, cancellation);

    public override Task<RelationEvidence> WeighAsync(
        DbConnection connection,
        RelationCandidate candidate,
        CancellationToken cancellation
    ) => PostgresStructureReader.WeighAsync((NpgsqlConnection)connection, candidate, cancellation);

    private static string Several(SqlText sql, Field field, object[] values) =>
        sql.Placeholder(PostgresCodec.Of(field.Type).Several(values)) + (Cast(field) is { Length: > 0 } cast ? $"{cast}[]" : "");

    private static string Cast(Field field) =>
        PostgresCodec.Of(field.Type).NeedsCast || field.NativeType is "citext" ? $"::{field.NativeType}" : "";
}
