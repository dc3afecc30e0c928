using Npgsql;
using NpgsqlTypes;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Postgres;

/// <summary>Values between a PostgreSQL server and the types of Core.</summary>
internal static class PostgresValues
{
    /// <summary>The expression that a SELECT gives for a column, so that <see cref="Read"/> can read it.</summary>
    public static string Selected(FieldType type, string column) => PostgresCodec.Of(type).Selected(column);

    /// <summary>Reads one value; a value that the type cannot carry is said to be unreadable, never turned into another.</summary>
    public static object? Read(NpgsqlDataReader reader, int index, FieldType type)
    {
        if (reader.IsDBNull(index))
        {
            return null;
        }

        var codec = PostgresCodec.Of(type);
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

    /// <summary>A parameter that carries a value of a field's type.</summary>
    public static NpgsqlParameter Parameter(FieldType type, object? value)
    {
        var codec = PostgresCodec.Of(type);
        return new NpgsqlParameter { Value = value is null ? DBNull.Value : codec.Write(value), NpgsqlDbType = codec.DbType };
    }

    /// <summary>A parameter that carries several values of a field's type.</summary>
    public static NpgsqlParameter Parameter(FieldType type, object[] values)
    {
        var codec = PostgresCodec.Of(type);
        var raw = values.Select(codec.Write).ToArray();
        var array = Array.CreateInstance(raw[0].GetType(), raw.Length);
        raw.CopyTo(array, 0);
        return new NpgsqlParameter { Value = array, NpgsqlDbType = NpgsqlDbType.Array | codec.DbType };
    }

    /// <summary>What a parameter's placeholder is cast to, where the server could not know.</summary>
    public static string Cast(Field field) =>
        PostgresCodec.Of(field.Type).NeedsCast || field.NativeType is "citext" ? $"::{field.NativeType}" : "";
}
