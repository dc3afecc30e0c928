using System.Collections.Frozen;
using System.Data.Common;
using System.Globalization;
using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using Rostrum.Core;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>
/// How values of one field type go to a PostgreSQL server and come from it. A class that derives from <see cref="PostgresCodec{T}"/> is
/// found by being there.
/// </summary>
internal abstract class PostgresCodec : SqlCodec
{
    private static readonly FrozenDictionary<Type, PostgresCodec> Known = FoundClasses
        .Of<PostgresCodec>()
        .ToFrozenDictionary(codec => codec.Type);

    /// <summary>The type of parameters that carry its values.</summary>
    public abstract NpgsqlDbType DbType { get; }

    /// <summary>A placeholder is cast to the column's own type, as the server could not know which is meant.</summary>
    public virtual bool NeedsCast => false;

    /// <summary>The codec of a field type.</summary>
    public static PostgresCodec Of(FieldType type) => Known[type.GetType()];

    /// <summary>A value as a parameter carries it.</summary>
    public virtual object Write(object value) => value;

    public sealed override DbParameter Parameter(object? value) =>
        new NpgsqlParameter { Value = value is null ? DBNull.Value : Write(value), NpgsqlDbType = DbType };

    /// <summary>A parameter that carries several values.</summary>
    public NpgsqlParameter Several(object[] values)
    {
        var raw = values.Select(Write).ToArray();
        var array = Array.CreateInstance(raw[0].GetType(), raw.Length);
        raw.CopyTo(array, 0);
        return new NpgsqlParameter { Value = array, NpgsqlDbType = NpgsqlDbType.Array | DbType };
    }
}

/// <inheritdoc/>
internal abstract class PostgresCodec<T>(NpgsqlDbType type) : PostgresCodec
    where T : FieldType
{
    public sealed override Type Type => typeof(T);

    public sealed override NpgsqlDbType DbType => type;
}

/// <summary>Values that are read as the server's text for them.</summary>
internal abstract class PostgresTexts<T>() : PostgresCodec<T>(NpgsqlDbType.Text)
    where T : FieldType
{
    public override string Selected(string column) => $"{column}::text";

    public override object Read(DbDataReader reader, int index) => reader.GetString(index);
}

internal sealed class PostgresText : PostgresTexts<FieldType.Text>;

internal sealed class PostgresChoice : PostgresTexts<FieldType.Choice>
{
    public override bool NeedsCast => true;
}

internal sealed class PostgresNative : PostgresTexts<FieldType.Native>
{
    public override bool NeedsCast => true;
}

internal sealed class PostgresJson : PostgresTexts<FieldType.Json>
{
    public override bool NeedsCast => true;
}

internal sealed class PostgresFiles() : PostgresCodec<FieldType.Files>(NpgsqlDbType.Text)
{
    public override bool NeedsCast => true;

    public override Unreadable Unfit { get; } = new("no list of files");

    public override string Selected(string column) => $"{column}::text";

    public override object Read(DbDataReader reader, int index) => FilesText.Read(reader.GetString(index)) ?? Unfit;

    public override object Write(object value) => FilesText.Write(value);
}

// A cast to text would add the length of the network to each address.
internal sealed class PostgresNetworkAddress : PostgresTexts<FieldType.NetworkAddress>
{
    public override bool NeedsCast => true;

    public override string Selected(string column) => $"format('%s', {column})";
}

internal sealed class PostgresList() : PostgresCodec<FieldType.List>(NpgsqlDbType.Array | NpgsqlDbType.Text)
{
    public override bool NeedsCast => true;

    public override Unreadable Unfit { get; } = new("lists within a list");

    public override string Selected(string column) => $"to_json({column}::text[])::text";

    public override object Read(DbDataReader reader, int index)
    {
        using var list = JsonDocument.Parse(reader.GetString(index));
        return list.RootElement.EnumerateArray().Any(one => one.ValueKind is JsonValueKind.Array)
            ? Unfit
            : new ListValue([.. list.RootElement.EnumerateArray().Select(one => one.GetString())]);
    }

    public override object Write(object value) => ((ListValue)value).Items.ToArray();
}

internal sealed class PostgresDuration() : PostgresCodec<FieldType.Duration>(NpgsqlDbType.Interval)
{
    public override Unreadable Unfit { get; } = new("a duration of months");

    public override object Read(DbDataReader reader, int index) =>
        reader.GetFieldValue<NpgsqlInterval>(index) is { Months: 0 } interval
            ? TimeSpan.FromDays(interval.Days) + TimeSpan.FromMicroseconds(interval.Time)
            : Unfit;
}

internal sealed class PostgresInteger() : PostgresCodec<FieldType.Integer>(NpgsqlDbType.Bigint)
{
    public override string Selected(string column) => $"{column}::int8";

    public override object Read(DbDataReader reader, int index) => reader.GetInt64(index);
}

internal sealed class PostgresNumber() : PostgresCodec<FieldType.Number>(NpgsqlDbType.Numeric)
{
    public override Unreadable Unfit { get; } = new("number out of range");

    public override object Read(DbDataReader reader, int index) => reader.GetDecimal(index);
}

internal sealed class PostgresFloating() : PostgresCodec<FieldType.Floating>(NpgsqlDbType.Double)
{
    public override bool NeedsCast => true;

    public override Unreadable Unfit { get; } = new("number out of range");

    public override string Selected(string column) => $"{column}::text";

    // The server's text is the shortest that gives the same number back, so nothing is lost where a decimal can hold it.
    public override object Read(DbDataReader reader, int index)
    {
        var text = reader.GetString(index);
        return
            decimal.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
            && double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var exact)
            && AsDouble(number).Equals(exact)
            ? number
            : Unfit;
    }

    public override object Write(object value) => AsDouble((decimal)value);

    private static double AsDouble(decimal number) =>
        double.Parse(number.ToString(CultureInfo.InvariantCulture), CultureInfo.InvariantCulture);
}

internal sealed class PostgresYesNo() : PostgresCodec<FieldType.YesNo>(NpgsqlDbType.Boolean)
{
    public override object Read(DbDataReader reader, int index) => reader.GetBoolean(index);
}

internal sealed class PostgresDate() : PostgresCodec<FieldType.Date>(NpgsqlDbType.Date)
{
    public override object Read(DbDataReader reader, int index) => reader.GetFieldValue<DateOnly>(index);
}

internal sealed class PostgresTime() : PostgresCodec<FieldType.Time>(NpgsqlDbType.Time)
{
    public override object Read(DbDataReader reader, int index) => reader.GetFieldValue<TimeOnly>(index);
}

internal sealed class PostgresInstant() : PostgresCodec<FieldType.Instant>(NpgsqlDbType.TimestampTz)
{
    public override object Read(DbDataReader reader, int index) => new DateTimeOffset(reader.GetDateTime(index));

    public override object Write(object value) => ((DateTimeOffset)value).UtcDateTime;
}

internal sealed class PostgresLocalDateTime() : PostgresCodec<FieldType.LocalDateTime>(NpgsqlDbType.Timestamp)
{
    public override object Read(DbDataReader reader, int index) => reader.GetDateTime(index);
}

internal sealed class PostgresUuid() : PostgresCodec<FieldType.Uuid>(NpgsqlDbType.Uuid)
{
    public override object Read(DbDataReader reader, int index) => reader.GetGuid(index);
}

/// <summary>Values that are bytes.</summary>
internal abstract class PostgresBinary<T>() : PostgresCodec<T>(NpgsqlDbType.Bytea)
    where T : FieldType
{
    public override object Read(DbDataReader reader, int index) => reader.GetFieldValue<byte[]>(index);
}

internal sealed class PostgresImage : PostgresBinary<FieldType.Image>;

internal sealed class PostgresBytes : PostgresBinary<FieldType.Bytes>;
