using System.Collections.Frozen;
using System.Data.Common;
using System.Globalization;
using MySqlConnector;
using Rostrum.Core;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.MySql;

/// <summary>
/// How values of one field type go to a MySQL or MariaDB server and come from it. A class that derives from <see cref="MySqlCodec{T}"/> is
/// found by being there.
/// </summary>
internal abstract class MySqlCodec : SqlCodec
{
    private static readonly FrozenDictionary<Type, MySqlCodec> Known = FoundClasses
        .Of<MySqlCodec>()
        .ToFrozenDictionary(codec => codec.Type);

    public static MySqlCodec Of(FieldType type) => Known[type.GetType()];

    public sealed override DbParameter Parameter(object? value) =>
        new MySqlParameter { Value = value is null ? DBNull.Value : Write(value) };

    protected virtual object Write(object value) => value;
}

/// <inheritdoc/>
internal abstract class MySqlCodec<T> : MySqlCodec
    where T : FieldType
{
    public sealed override Type Type => typeof(T);
}

/// <summary>Values that are read as texts.</summary>
internal abstract class MySqlTexts<T> : MySqlCodec<T>
    where T : FieldType
{
    public override object Read(DbDataReader reader, int index) => reader.GetString(index);
}

internal sealed class MySqlText : MySqlTexts<FieldType.Text>;

internal sealed class MySqlChoice : MySqlTexts<FieldType.Choice>;

internal sealed class MySqlNative : MySqlTexts<FieldType.Native>
{
    public override string Selected(string column) => $"CAST({column} AS CHAR)";
}

internal sealed class MySqlJson : MySqlTexts<FieldType.Json>
{
    public override string Selected(string column) => $"CAST({column} AS CHAR)";
}

internal sealed class MySqlFiles : MySqlCodec<FieldType.Files>
{
    public override Unreadable Unfit { get; } = new("no list of files");

    public override string Selected(string column) => $"CAST({column} AS CHAR)";

    public override object Read(DbDataReader reader, int index) => FilesText.Read(reader.GetString(index)) ?? Unfit;

    protected override object Write(object value) => FilesText.Write(value);
}

internal sealed class MySqlNetworkAddress : MySqlTexts<FieldType.NetworkAddress>;

/// <summary>A SET: its members with commas between them, of which none has a comma in it.</summary>
internal sealed class MySqlList : MySqlCodec<FieldType.List>
{
    public override string Selected(string column) => $"CAST({column} AS CHAR)";

    public override object Read(DbDataReader reader, int index) =>
        new ListValue(reader.GetString(index) is { Length: > 0 } text ? [.. text.Split(',')] : []);

    protected override object Write(object value) => string.Join(',', ((ListValue)value).Items);
}

internal sealed class MySqlDuration : MySqlCodec<FieldType.Duration>
{
    public override object Read(DbDataReader reader, int index) => reader.GetFieldValue<TimeSpan>(index);
}

internal sealed class MySqlInteger : MySqlCodec<FieldType.Integer>
{
    public override object Read(DbDataReader reader, int index) => Convert.ToInt64(reader.GetValue(index), CultureInfo.InvariantCulture);
}

internal sealed class MySqlNumber : MySqlCodec<FieldType.Number>
{
    public override Unreadable Unfit { get; } = new("number out of range");

    public override object Read(DbDataReader reader, int index) => Convert.ToDecimal(reader.GetValue(index), CultureInfo.InvariantCulture);
}

internal sealed class MySqlFloating : MySqlCodec<FieldType.Floating>
{
    public override Unreadable Unfit { get; } = new("number out of range");

    // By the shortest text that gives the same number back.
    public override object Read(DbDataReader reader, int index) =>
        decimal.Parse(
            Convert.ToString(reader.GetValue(index), CultureInfo.InvariantCulture)!,
            NumberStyles.Float,
            CultureInfo.InvariantCulture
        );

    protected override object Write(object value) => decimal.ToDouble((decimal)value);
}

internal sealed class MySqlYesNo : MySqlCodec<FieldType.YesNo>
{
    public override object Read(DbDataReader reader, int index) => Convert.ToBoolean(reader.GetValue(index), CultureInfo.InvariantCulture);
}

internal sealed class MySqlDate : MySqlCodec<FieldType.Date>
{
    // A date of zeros, in whole or in part.
    public override Unreadable Unfit { get; } = new("no date");

    public override object Read(DbDataReader reader, int index) => reader.GetFieldValue<DateOnly>(index);
}

internal sealed class MySqlTime : MySqlCodec<FieldType.Time>
{
    // A time may be a span of days there.
    public override Unreadable Unfit { get; } = new("no time of a day");

    public override object Read(DbDataReader reader, int index) => TimeOnly.FromTimeSpan(reader.GetFieldValue<TimeSpan>(index));

    protected override object Write(object value) => ((TimeOnly)value).ToTimeSpan();
}

internal sealed class MySqlInstant : MySqlCodec<FieldType.Instant>
{
    // A date of zeros, in whole or in part.
    public override Unreadable Unfit { get; } = new("no date");

    public override object Read(DbDataReader reader, int index) =>
        new DateTimeOffset(DateTime.SpecifyKind(reader.GetDateTime(index), DateTimeKind.Utc));

    protected override object Write(object value) => ((DateTimeOffset)value).UtcDateTime;
}

internal sealed class MySqlLocalDateTime : MySqlCodec<FieldType.LocalDateTime>
{
    // A date of zeros, in whole or in part.
    public override Unreadable Unfit { get; } = new("no date");

    public override object Read(DbDataReader reader, int index) =>
        DateTime.SpecifyKind(reader.GetDateTime(index), DateTimeKind.Unspecified);
}

internal sealed class MySqlUuid : MySqlCodec<FieldType.Uuid>
{
    public override object Read(DbDataReader reader, int index) =>
        reader.GetValue(index) switch
        {
            Guid id => id,
            var text => Guid.Parse(Convert.ToString(text, CultureInfo.InvariantCulture)!),
        };

    protected override object Write(object value) => ((Guid)value).ToString("D");
}

/// <summary>Values that are bytes.</summary>
internal abstract class MySqlBinary<T> : MySqlCodec<T>
    where T : FieldType
{
    public override object Read(DbDataReader reader, int index) => reader.GetFieldValue<byte[]>(index);
}

internal sealed class MySqlImage : MySqlBinary<FieldType.Image>;

internal sealed class MySqlBytes : MySqlBinary<FieldType.Bytes>;
