using System.Collections.Immutable;
using System.Data.Common;
using Microsoft.Data.Sqlite;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Sqlite;

/// <summary>SQLite, as a file on the server.</summary>
internal sealed class SqliteEngine : SqlEngine
{
    private const string Fold = "rostrum_fold";

    public override SourceKind Describes { get; } =
        new(
            "sqlite",
            "SQLite file",
            [
                new SourceSetting("Database", "File", SettingInput.File)
                {
                    Example = "dues.db",
                    Missing = "Write the name of the file.",
                    Help = "Its name in the folder that the administrator has set aside for files.",
                },
            ]
        );

    public override SqlDialect Dialect { get; } = new SqliteDialect();

    public override bool TypesAreOfValues => true;

    public override FieldType TypeOf(string native, Type carrier) =>
        native.ToUpperInvariant() is "TEXT" or "INTEGER" or "REAL" or "BLOB" or ""
            ? base.TypeOf("", carrier)
            : SqliteStructureReader.TypeOf(native) ?? base.TypeOf("", carrier);

    public override DbDataSource Open(SourceSettings settings)
    {
        var text = new SqliteConnectionStringBuilder
        {
            DataSource = settings.Database,
            Mode = settings.ReadsOnly ? SqliteOpenMode.ReadOnly : SqliteOpenMode.ReadWrite,
            ForeignKeys = true,
            DefaultTimeout = 15,

            // A connection that is kept open goes on reading a file that was replaced or removed.
            Pooling = false,
        };
        return SqliteFactory.Instance.CreateDataSource(text.ConnectionString);
    }

    public override DbConnection OpenMemory() => new SqliteConnection("Data Source=:memory:;Pooling=False");

    // Its own lower() knows the letters of English alone.
    public override void Prepare(DbConnection connection) =>
        ((SqliteConnection)connection).CreateFunction(Fold, (string? text) => text?.ToLowerInvariant(), isDeterministic: true);

    public override SqlCodec CodecOf(FieldType type) => SqliteCodec.Of(type);

    public override DbParameter Parameter(object value) => new SqliteParameter { Value = value };

    public override DbParameter Copy(DbParameter parameter) =>
        new SqliteParameter { ParameterName = parameter.ParameterName, Value = parameter.Value };

    public override string Placeholder(int number) => $"@p{number}";

    public override string NameOf(int number) => $"@p{number}";

    public override string AsFloating(string number) => $"CAST({number} AS REAL)";

    public override string Like(Field field, string column, string pattern) => $"{Fold}({column}) LIKE {Fold}({pattern}) ESCAPE '\\'";

    public override string ByCodePoints(string column, Field field) => $"{column} COLLATE BINARY";

    // A transaction that writes has the file for itself.
    public override string Lock(string alias) => "";

    // It adds as binary numbers do.
    public override bool TotalsExactly(Field field) => field.Type is FieldType.Integer;

    public override string Explain(string statement, bool run) => $"EXPLAIN QUERY PLAN {statement}";

    // The name there is the one that the table has in the statement.
    public override bool ReadsAll(IEnumerable<string> explained, TableName table) =>
        explained.Any(line => line.StartsWith("SCAN ", StringComparison.Ordinal) && !line.Contains(" USING ", StringComparison.Ordinal));

    public override string ReadExplained(DbDataReader row) => row.GetString(3);

    public override bool CanBatch => false;

    public override bool ReadsBesideWrites => false;

    public override bool IsExpected(Exception exception) => exception is SqliteException or IOException or TimeoutException;

    public override bool IsLoss(Exception exception) => false;

    public override bool IsTimeout(Exception exception) => exception is SqliteException { SqliteErrorCode: SqliteFailures.Busy };

    public override bool IsAboutValues(DbException exception) =>
        exception is SqliteException { SqliteErrorCode: SqliteFailures.Constraint };

    public override SourceFailure FailureOf(Exception exception, SourceSettings settings) => SqliteFailures.Of(exception, settings);

    public override Task<ImmutableArray<FieldProblem>> ExplainAsync(
        DbConnection connection,
        DbTransaction? transaction,
        DatasetCatalogue catalogue,
        Dataset dataset,
        Change change,
        DbException exception,
        CancellationToken cancellation
    ) => Task.FromResult(SqliteFailures.Explain(dataset, change, (SqliteException)exception));

    public override Task<SourceStructure> ReadStructureAsync(DbConnection connection, CancellationToken cancellation) =>
        SqliteStructureReader.ReadAsync(connection, cancellation);
}
