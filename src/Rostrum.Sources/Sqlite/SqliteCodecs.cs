using System.Collections.Frozen;
using System.Data.Common;
using System.Globalization;
using System.Text.Json;
using Microsoft.Data.Sqlite;
using Rostrum.Core;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Sqlite;

/// <summary>
/// How values of one field type stand in a SQLite file, which keeps whole numbers, binary ones, texts and bytes in any column. A class that
/// derives from <see cref="SqliteCodec{T}"/> is found by being there.
/// </summary>
internal abstract class SqliteCodec : SqlCodec
{
    private static readonly FrozenDictionary<Type, SqliteCodec> Known = FoundClasses
        .Of<SqliteCodec>()
        .ToFrozenDictionary(codec => codec.Type);

    public static SqliteCodec Of(FieldType type) => Known[type.GetType()];

    public sealed override DbParameter Parameter(object? value) =>
        new SqliteParameter { Value = value is null ? DBNull.Value : Write(value) };

    protected virtual object Write(object value) => value;

    protected static FormatException Unexpected(object value) => new($"a {value.GetType().Name} is kept where another value is expected");
}

/// <inheritdoc/>
internal abstract class SqliteCodec<T> : SqliteCodec
    where T : FieldType
{
    public sealed override Type Type => typeof(T);
}

/// <summary>Values that are texts there.</summary>
internal abstract class SqliteTexts<T> : SqliteCodec<T>
    where T : FieldType
{
    public override object Read(DbDataReader reader, int index) =>
        reader.GetValue(index) switch
        {
            string text => text,
            long number => number.ToString(CultureInfo.InvariantCulture),
            double number => number.ToString("R", CultureInfo.InvariantCulture),
            var other => throw Unexpected(other),
        };
}

internal sealed class SqliteText : SqliteTexts<FieldType.Text>;

internal sealed class SqliteChoice : SqliteTexts<FieldType.Choice>;

internal sealed class SqliteNative : SqliteTexts<FieldType.Native>;

internal sealed class SqliteJson : SqliteTexts<FieldType.Json>;

internal sealed class SqliteFiles : SqliteCodec<FieldType.Files>
{
    public override Unreadable Unfit { get; } = new("no list of files");

    public override object Read(DbDataReader reader, int index) => FilesText.Read(reader.GetString(index)) ?? Unfit;

    protected override object Write(object value) => FilesText.Write(value);
}

internal sealed class SqliteNetworkAddress : SqliteTexts<FieldType.NetworkAddress>;

internal sealed class SqliteList : SqliteCodec<FieldType.List>
{
    public override Unreadable Unfit { get; } = new("no list");

    public override object Read(DbDataReader reader, int index) =>
        new ListValue([.. JsonSerializer.Deserialize<string?[]>(reader.GetString(index)) ?? []]);

    protected override object Write(object value) => JsonSerializer.Serialize(((ListValue)value).Items.ToArray());
}

internal sealed class SqliteDuration : SqliteCodec<FieldType.Duration>
{
    public override Unreadable Unfit { get; } = new("no duration");

    public override object Read(DbDataReader reader, int index) =>
        TimeSpan.ParseExact(reader.GetString(index), "c", CultureInfo.InvariantCulture);

    protected override object Write(object value) => ((TimeSpan)value).ToString("c", CultureInfo.InvariantCulture);
}

internal sealed class SqliteUuid : SqliteCodec<FieldType.Uuid>
{
    public override Unreadable Unfit { get; } = new("no UUID");

    public override object Read(DbDataReader reader, int index) =>
        reader.GetValue(index) switch
        {
            string text => Guid.Parse(text),
            byte[] { Length: 16 } bytes => new Guid(bytes, bigEndian: true),
            var other => throw Unexpected(other),
        };

    protected override object Write(object value) => ((Guid)value).ToString("D");
}

internal sealed class SqliteInteger : SqliteCodec<FieldType.Integer>
{
    public override Unreadable Unfit { get; } = new("no whole number");

    public override object Read(DbDataReader reader, int index) => reader.GetValue(index) is long number ? number : throw Unexpected("");
}

/// <summary>Numbers, in whichever way they stand there: a binary one is taken by its shortest text.</summary>
internal abstract class SqliteNumbers<T> : SqliteCodec<T>
    where T : FieldType
{
    public override Unreadable Unfit { get; } = new("number out of range");

    public override object Read(DbDataReader reader, int index) =>
        reader.GetValue(index) switch
        {
            long number => (decimal)number,
            double number => decimal.Parse(
                number.ToString("R", CultureInfo.InvariantCulture),
                NumberStyles.Float,
                CultureInfo.InvariantCulture
            ),
            string text => decimal.Parse(text, NumberStyles.Float, CultureInfo.InvariantCulture),
            var other => throw Unexpected(other),
        };

    // A text is turned into a number by a column for numbers, and nothing is lost on the way that the column could keep.
    protected override object Write(object value) => ((decimal)value).ToString(CultureInfo.InvariantCulture);
}

internal sealed class SqliteNumber : SqliteNumbers<FieldType.Number>;

internal sealed class SqliteFloating : SqliteNumbers<FieldType.Floating>
{
    protected override object Write(object value) => decimal.ToDouble((decimal)value);
}

internal sealed class SqliteYesNo : SqliteCodec<FieldType.YesNo>
{
    public override Unreadable Unfit { get; } = new("neither yes nor no");

    public override object Read(DbDataReader reader, int index) =>
        reader.GetValue(index) switch
        {
            0L => false,
            1L => true,
            var other => throw Unexpected(other),
        };

    protected override object Write(object value) => value is true ? 1L : 0L;
}

internal sealed class SqliteDate : SqliteCodec<FieldType.Date>
{
    public override object Read(DbDataReader reader, int index) =>
        DateOnly.ParseExact(reader.GetString(index), "yyyy-MM-dd", CultureInfo.InvariantCulture);

    protected override object Write(object value) => ((DateOnly)value).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
}

internal sealed class SqliteTime : SqliteCodec<FieldType.Time>
{
    public override object Read(DbDataReader reader, int index) => TimeOnly.Parse(reader.GetString(index), CultureInfo.InvariantCulture);

    protected override object Write(object value) => ((TimeOnly)value).ToString("HH:mm:ss.FFFFFF", CultureInfo.InvariantCulture);
}

internal sealed class SqliteLocalDateTime : SqliteCodec<FieldType.LocalDateTime>
{
    public override object Read(DbDataReader reader, int index) =>
        DateTime.Parse(reader.GetString(index), CultureInfo.InvariantCulture, DateTimeStyles.None);

    protected override object Write(object value) => ((DateTime)value).ToString("yyyy-MM-dd HH:mm:ss.FFFFFF", CultureInfo.InvariantCulture);
}

internal sealed class SqliteInstant : SqliteCodec<FieldType.Instant>
{
    public override object Read(DbDataReader reader, int index) =>
        DateTimeOffset.Parse(reader.GetString(index), CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal).ToUniversalTime();

    protected override object Write(object value) =>
        ((DateTimeOffset)value).UtcDateTime.ToString("yyyy-MM-ddTHH:mm:ss.FFFFFF", CultureInfo.InvariantCulture) + "Z";
}

/// <summary>Values that are bytes.</summary>
internal abstract class SqliteBinary<T> : SqliteCodec<T>
    where T : FieldType
{
    public override object Read(DbDataReader reader, int index) => reader.GetFieldValue<byte[]>(index);
}

internal sealed class SqliteImage : SqliteBinary<FieldType.Image>;

internal sealed class SqliteBytes : SqliteBinary<FieldType.Bytes>;
