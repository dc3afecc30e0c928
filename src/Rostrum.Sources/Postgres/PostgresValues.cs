using System.Globalization;
using Npgsql;
using NpgsqlTypes;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Postgres;

/// <summary>Values between a PostgreSQL server and the types of Core.</summary>
internal static class PostgresValues
{
    /// <summary>The expression that a SELECT gives for a column, so that <see cref="Read"/> can read it.</summary>
    public static string Selected(FieldType type, string column) => type switch
    {
        FieldType.Native or FieldType.Choice or FieldType.Floating or FieldType.Text => $"{column}::text",
        FieldType.Integer => $"{column}::int8",
        _ => column,
    };

    /// <summary>Reads one value; a value that the type cannot carry is said to be unreadable, never turned into another.</summary>
    public static object? Read(NpgsqlDataReader reader, int index, FieldType type)
    {
        if (reader.IsDBNull(index))
        {
            return null;
        }

        try
        {
            return type switch
            {
                FieldType.Text or FieldType.Choice or FieldType.Native => reader.GetString(index),
                FieldType.Integer => reader.GetInt64(index),
                FieldType.Number => reader.GetDecimal(index),
                FieldType.Floating => ReadFloating(reader.GetString(index)),
                FieldType.YesNo => reader.GetBoolean(index),
                FieldType.Date => reader.GetFieldValue<DateOnly>(index),
                FieldType.Time => reader.GetFieldValue<TimeOnly>(index),
                FieldType.Instant => new DateTimeOffset(reader.GetDateTime(index)),
                FieldType.LocalDateTime => reader.GetDateTime(index),
                FieldType.Uuid => reader.GetGuid(index),
                FieldType.Image or FieldType.Bytes => reader.GetFieldValue<byte[]>(index),
                _ => throw new ArgumentOutOfRangeException(nameof(type), type, "unknown field type"),
            };
        }
        catch (Exception exception) when (exception is OverflowException or InvalidCastException or ArgumentOutOfRangeException or FormatException)
        {
            return type is FieldType.Number ? new Unreadable("number out of range") : TooFar;
        }
    }

    /// <summary>A parameter that carries a value of a field's type.</summary>
    public static NpgsqlParameter Parameter(FieldType type, object? value)
    {
        var parameter = new NpgsqlParameter { Value = DBNull.Value, NpgsqlDbType = DbType(type) };
        if (value is not null)
        {
            parameter.Value = type switch
            {
                FieldType.Floating => double.Parse(((decimal)value).ToString(CultureInfo.InvariantCulture), CultureInfo.InvariantCulture),
                FieldType.Instant => ((DateTimeOffset)value).UtcDateTime,
                _ => value,
            };
        }

        return parameter;
    }

    /// <summary>A parameter that carries several values of a field's type.</summary>
    public static NpgsqlParameter Parameter(FieldType type, object[] values)
    {
        var raw = values.Select(value => Parameter(type, value).Value!).ToArray();
        var array = Array.CreateInstance(raw[0].GetType(), raw.Length);
        raw.CopyTo(array, 0);
        return new NpgsqlParameter { Value = array, NpgsqlDbType = NpgsqlDbType.Array | DbType(type) };
    }

    /// <summary>What a parameter's placeholder is cast to, where the server could not know.</summary>
    public static string Cast(Field field) => field.Type is FieldType.Choice or FieldType.Native or FieldType.Floating || field.NativeType is "citext" ? $"::{field.NativeType}" : "";

    private static Unreadable TooFar { get; } = new("date out of range");

    private static NpgsqlDbType DbType(FieldType type) => type switch
    {
        FieldType.Text or FieldType.Choice or FieldType.Native => NpgsqlDbType.Text,
        FieldType.Integer => NpgsqlDbType.Bigint,
        FieldType.Number => NpgsqlDbType.Numeric,
        FieldType.Floating => NpgsqlDbType.Double,
        FieldType.YesNo => NpgsqlDbType.Boolean,
        FieldType.Date => NpgsqlDbType.Date,
        FieldType.Time => NpgsqlDbType.Time,
        FieldType.Instant => NpgsqlDbType.TimestampTz,
        FieldType.LocalDateTime => NpgsqlDbType.Timestamp,
        FieldType.Uuid => NpgsqlDbType.Uuid,
        FieldType.Image or FieldType.Bytes => NpgsqlDbType.Bytea,
        _ => throw new ArgumentOutOfRangeException(nameof(type), type, "unknown field type"),
    };

    // The server's text is the shortest that gives the same number back, so nothing is lost where a decimal can hold it.
    private static object ReadFloating(string text) =>
        decimal.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
        && double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var exact)
        && double.Parse(number.ToString(CultureInfo.InvariantCulture), CultureInfo.InvariantCulture).Equals(exact)
            ? number
            : new Unreadable("number out of range");
}
