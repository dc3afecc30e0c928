using System.Collections.Immutable;
using System.Data;
using System.Data.Common;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>
/// How one database is reached, read and written, where databases differ: what <see cref="SqlDialect"/> is for formulas, for whole
/// statements. A kind of database is one class that derives from it, its dialect, its codecs and its structure reader.
/// </summary>
internal abstract class SqlEngine : SourceProvider
{
    /// <inheritdoc/>
    public sealed override SqlEngine Language => this;

    /// <inheritdoc/>
    public override ISource Reach(SourceSettings settings, SourceServices services) => new SqlPool(this, settings);

    /// <summary>What a foreign key says of deletion, in the words of SQL.</summary>
    public static DeleteAction DeleteActionOf(string words) =>
        words switch
        {
            "CASCADE" => DeleteAction.Delete,
            "SET NULL" or "SET DEFAULT" => DeleteAction.Clear,
            _ => DeleteAction.Refuse,
        };

    /// <summary>How it says formulas.</summary>
    public abstract SqlDialect Dialect { get; }

    /// <summary>The connections to one database.</summary>
    public abstract DbDataSource Open(SourceSettings settings);

    /// <summary>A database of its own in memory, not yet opened; null where there is no such.</summary>
    public virtual DbConnection? OpenMemory() => null;

    /// <summary>Readies a connection that was just opened.</summary>
    public virtual void Prepare(DbConnection connection) { }

    /// <summary>How far transactions are kept from one another: each statement sees what others have ended before it.</summary>
    public virtual IsolationLevel Isolation => IsolationLevel.Unspecified;

    /// <summary>How values of a field type go there and come from there.</summary>
    public abstract SqlCodec CodecOf(FieldType type);

    /// <summary>A parameter for a formula's value: a text, a whole number, a decimal, a truth value, a day, a time or an instant.</summary>
    public abstract DbParameter Parameter(object value);

    /// <summary>The same parameter, to be sent once more.</summary>
    public abstract DbParameter Copy(DbParameter parameter);

    /// <summary>How a parameter stands in a statement, by its number from 1.</summary>
    public virtual string Placeholder(int number) => $"${number}";

    /// <summary>A parameter's own name, by its number; blank where parameters go by their order.</summary>
    public virtual string NameOf(int number) => "";

    /// <summary>A placeholder with the type of a column, where the database could not know which is meant.</summary>
    public virtual string Typed(string placeholder, Field field) => placeholder;

    /// <summary>A value as one of a column's type, where it stands for the column.</summary>
    public virtual string AsColumn(string value, Field field) => value;

    /// <summary>The native type of a formula's values.</summary>
    public virtual string TypeName(FormulaType type) => "";

    /// <summary>A number as the nearest binary one.</summary>
    public abstract string AsFloating(string number);

    /// <summary>Whether a text has a pattern in it, whatever its capitals.</summary>
    public abstract string Like(Field field, string column, string pattern);

    /// <summary>Whether a column's value is one of some, to the letter.</summary>
    /// <param name="field">The field.</param>
    /// <param name="column">Its column.</param>
    /// <param name="values">Placeholders, one at least.</param>
    public virtual string Equals(Field field, string column, IReadOnlyList<string> values) =>
        values.Count == 1 ? $"{column} = {values[0]}" : $"{column} IN ({string.Join(", ", values)})";

    /// <summary>Whether a column's value is one of several.</summary>
    public virtual string IsIn(SqlText sql, Field field, string column, object[] values) =>
        Equals(field, column, [.. values.Select(value => sql.Value(field, value))]);

    /// <summary>Whether a column that is a key is one of some values, as the key’s own order and index have it.</summary>
    /// <param name="sql">Takes the values.</param>
    /// <param name="field">The field.</param>
    /// <param name="column">The column.</param>
    /// <param name="values">The values.</param>
    public virtual string KeyIsIn(SqlText sql, Field field, string column, object[] values) =>
        $"{column} IN ({string.Join(", ", values.Select(value => sql.Value(field, value)))})";

    /// <summary>The first rows of each of some values, each with a look of its own; null where the database has no such.</summary>
    /// <param name="sql">Takes the values.</param>
    /// <param name="field">The field.</param>
    /// <param name="values">The values.</param>
    /// <param name="rows">The rows for a value, which stands as an expression.</param>
    public virtual string? EachOf(SqlText sql, Field field, object[] values, Func<string, string> rows) => null;

    /// <summary>One term of an order.</summary>
    /// <param name="term">What is ordered by.</param>
    /// <param name="descending">From the greatest.</param>
    /// <param name="nullable">It may be blank.</param>
    /// <param name="blanksFirst">Blanks come first, else last.</param>
    public virtual string Ordered(string term, bool descending, bool nullable, bool blanksFirst) =>
        term
        + (descending ? " DESC" : "")
        + (
            !nullable ? ""
            : blanksFirst ? " NULLS FIRST"
            : " NULLS LAST"
        );

    /// <summary>What a value is ordered by so that texts stand by their code points, as they do in memory.</summary>
    public abstract string ByCodePoints(string column, Field field);

    /// <summary>What keeps the rows that a statement reads from being changed by others.</summary>
    public virtual string Lock(string alias) => $" FOR UPDATE OF {alias}";

    /// <summary>An INSERT gives back what the database made of the key.</summary>
    public virtual bool ReturnsKeys => true;

    /// <summary>The values of a row that has none of its own.</summary>
    public virtual string NoValues => "DEFAULT VALUES";

    /// <summary>What allows a value in a column that is counted up by itself.</summary>
    public virtual string WithOwnIdentity => "";

    /// <summary>The number that a row got which was just inserted; null where the database gives it back itself.</summary>
    public virtual string? LastIdentity => null;

    /// <summary>
    /// Waits until nobody else is about to save records that must differ from one another; null where it need not be said.
    /// </summary>
    public virtual string? WaitForOthers(SqlText sql, TableName table) => null;

    /// <summary>What makes a text of a total, so that no digit of it is lost on the way.</summary>
    public virtual string TotalCast => "";

    /// <summary>Whether totals over a field's values are exact.</summary>
    public virtual bool TotalsExactly(Field field) => true;

    /// <summary>The median of a number over rows, to its last digit; null where the database has no such.</summary>
    public virtual string? Median(string number) => null;

    /// <summary>The database knows about how many rows a table has, without counting them.</summary>
    public virtual bool KnowsSizes => false;

    /// <summary>A condition that holds while a table is so small that it is read from end to end anyway, where sizes are known.</summary>
    public virtual string IsSmall(SqlText sql, string table, int rows) => throw new NotSupportedException("sizes are not known");

    /// <summary>A number of rows: as it is up to a bound, beyond by the database's estimate, then negative. Null where it counts.</summary>
    public virtual string? CountOrEstimate(SqlText sql, TableName table, string from, int exactlyBelow) => null;

    /// <summary>The statement that asks how many rows the database expects; null where it says none.</summary>
    public virtual string? EstimateOf(string select) => null;

    /// <summary>The number in the answer to that.</summary>
    public virtual long ReadEstimate(DbDataReader row) => 0;

    /// <summary>The statement that asks how another would be carried out.</summary>
    public abstract string Explain(string statement, bool run);

    /// <summary>The statement that makes an index; null where the database has none for such an order.</summary>
    public virtual string? IndexOn(TableName table, IReadOnlyList<IndexColumn> columns)
    {
        string?[] terms = [.. columns.Select(Indexed)];
        var name = Quote($"{table.Name}_by_{string.Join('_', columns.Select(column => column.Field.Column))}");
        return terms.Length == 0 || terms.Contains(null) ? null : $"CREATE INDEX {name} ON {Quote(table)} ({string.Join(", ", terms)})";
    }

    /// <summary>A column as an index has it, so that it serves the order that a request asks for; null where it cannot.</summary>
    protected virtual string? Indexed(IndexColumn column) =>
        column.Order is not { } order ? Quote(column.Field.Column)
        : column.Field.Required ? Ordered(Quote(column.Field.Column), order.Descending, nullable: false, blanksFirst: false)
        : null;

    /// <summary>Whether that answer says that a table is read from its first row to its last.</summary>
    public abstract bool ReadsAll(IEnumerable<string> explained, TableName table);

    /// <summary>A line of the answer to that.</summary>
    public abstract string ReadExplained(DbDataReader row);

    /// <summary>Several statements go there in one round trip.</summary>
    public virtual bool CanBatch => true;

    /// <summary>Rows can be read for minutes without keeping anybody from writing.</summary>
    public virtual bool ReadsBesideWrites => true;

    /// <summary>What names a transaction, so that one can ask later whether it ended; null where the database has no such name.</summary>
    public virtual string? TransactionName => null;

    /// <summary>The statement that asks whether a transaction ended; null where one cannot ask.</summary>
    public virtual string? TransactionStatus => null;

    /// <summary>Whether an exception is the server's or the network's, and so is expected to happen.</summary>
    public abstract bool IsExpected(Exception exception);

    /// <summary>Whether the connection was lost, so that it is not known what became of what was asked last.</summary>
    public abstract bool IsLoss(Exception exception);

    /// <summary>Whether it ran out of time.</summary>
    public abstract bool IsTimeout(Exception exception);

    /// <summary>Whether it is the values that are refused, and not the call.</summary>
    public abstract bool IsAboutValues(DbException exception);

    /// <summary>What went wrong, in words that say what to do.</summary>
    public abstract SourceFailure FailureOf(Exception exception, SourceSettings settings);

    /// <summary>Why a row's values are refused, at the fields that are concerned; called after the transaction went back.</summary>
    public abstract Task<ImmutableArray<FieldProblem>> ExplainAsync(
        DbConnection connection,
        DbTransaction? transaction,
        DatasetCatalogue catalogue,
        Dataset dataset,
        Change change,
        DbException exception,
        CancellationToken cancellation
    );

    /// <summary>Reads tables, columns, keys and checks.</summary>
    public abstract Task<SourceStructure> ReadStructureAsync(DbConnection connection, CancellationToken cancellation);

    /// <summary>The structure with what a sample of each table's values says.</summary>
    public virtual Task<SourceStructure> WithValuesAsync(
        DbConnection connection,
        SourceStructure structure,
        CancellationToken cancellation
    ) => SampledValues.AddToAsync(this, connection, structure, cancellation);

    /// <summary>How many of a candidate's different values stand in the target's key.</summary>
    public virtual Task<RelationEvidence> WeighAsync(
        DbConnection connection,
        RelationCandidate candidate,
        CancellationToken cancellation
    ) => SampledValues.WeighAsync(this, connection, candidate, cancellation);

    /// <summary>A name as it stands in a statement.</summary>
    public string Quote(string name) => Dialect.Quote(name);

    /// <summary>A table's name as it stands in a statement.</summary>
    public string Quote(TableName table) => Dialect.Quote(table);

    /// <summary>A column of a query has no type but that of its values.</summary>
    public virtual bool TypesAreOfValues => false;

    /// <summary>What the values of a query's column are.</summary>
    /// <param name="native">The database's name of their type.</param>
    /// <param name="carrier">The type that carries them.</param>
    public virtual FieldType TypeOf(string native, Type carrier)
    {
        bool Has(string part) => native.Contains(part, StringComparison.OrdinalIgnoreCase);
        return carrier switch
        {
            _ when Has("json") => new FieldType.Json(),
            _ when carrier == typeof(bool) => new FieldType.YesNo(),
            _ when carrier == typeof(long)
                    || carrier == typeof(int)
                    || carrier == typeof(short)
                    || carrier == typeof(sbyte)
                    || carrier == typeof(byte) => new FieldType.Integer(),
            _ when carrier == typeof(decimal) || carrier == typeof(ulong) || carrier == typeof(uint) => new FieldType.Number(),
            _ when carrier == typeof(double) || carrier == typeof(float) => new FieldType.Floating(),
            _ when carrier == typeof(Guid) => new FieldType.Uuid(),
            _ when carrier == typeof(byte[]) => new FieldType.Bytes(),
            _ when carrier == typeof(TimeSpan) || carrier == typeof(TimeOnly) => Has("interval")
                ? new FieldType.Duration()
                : new FieldType.Time(),
            _ when carrier == typeof(DateOnly)
                    || (carrier == typeof(DateTime) && native.Equals("date", StringComparison.OrdinalIgnoreCase)) => new FieldType.Date(),
            _ when carrier == typeof(DateTime) || carrier == typeof(DateTimeOffset) => IsInstant(native)
                ? new FieldType.Instant()
                : new FieldType.LocalDateTime(),
            _ when carrier == typeof(string) => new FieldType.Text(),
            _ => new FieldType.Native(),
        };
    }

    /// <summary>Whether a type of moments tells instants.</summary>
    protected virtual bool IsInstant(string native) => native.Contains("with time zone", StringComparison.OrdinalIgnoreCase);

    /// <summary>Reads one value; a value that the type cannot carry is said to be unreadable, never turned into another.</summary>
    public object? Read(DbDataReader reader, int index, FieldType type) => Read(reader, index, CodecOf(type));

    /// <summary>The same, by the codec of its type.</summary>
    public static object? Read(DbDataReader reader, int index, SqlCodec codec)
    {
        if (reader.IsDBNull(index))
        {
            return null;
        }

        try
        {
            return codec.Read(reader, index);
        }
        catch (Exception exception)
            when (exception is OverflowException or InvalidCastException or ArgumentOutOfRangeException or FormatException)
        {
            return codec.Unfit;
        }
    }
}

/// <summary>How values of one field type go to a database and come from it.</summary>
internal abstract class SqlCodec
{
    /// <summary>The field type.</summary>
    public abstract Type Type { get; }

    /// <summary>What is read where the database holds a value that the field type cannot carry.</summary>
    public virtual Unreadable Unfit { get; } = new("date out of range");

    /// <summary>The expression that a SELECT gives for a column, so that <see cref="Read"/> can read it.</summary>
    public virtual string Selected(string column) => column;

    /// <summary>Reads a value that is not null.</summary>
    public abstract object Read(DbDataReader reader, int index);

    /// <summary>A parameter that carries a value; blank where null.</summary>
    public abstract DbParameter Parameter(object? value);
}
