using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>What Rostrum makes of PostgreSQL's types.</summary>
internal static class PostgresTypes
{
    /// <param name="type">The type's name in pg_type, of a domain its base type's.</param>
    /// <param name="modifier">atttypmod: -1 where there is none.</param>
    /// <param name="labels">The labels of an enum, or of those in an array.</param>
    /// <param name="isArray">It is an array.</param>
    public static FieldType FieldTypeOf(string type, int modifier, ImmutableArray<string> labels, bool isArray = false) =>
        type switch
        {
            _ when !labels.IsDefaultOrEmpty => isArray ? new FieldType.List(new FieldType.Choice(labels)) : new FieldType.Choice(labels),
            "int2" => new FieldType.Integer(short.MinValue, short.MaxValue),
            "int4" => new FieldType.Integer(int.MinValue, int.MaxValue),
            "int8" => new FieldType.Integer(),
            "oid" => new FieldType.Integer(0, uint.MaxValue),
            "numeric" when modifier >= 4 => new FieldType.Number((modifier - 4) >> 16, ScaleOf(modifier)),
            "numeric" => new FieldType.Number(),
            "float4" or "float8" => new FieldType.Floating(),
            "bool" => new FieldType.YesNo(),
            "date" => new FieldType.Date(),
            "time" => new FieldType.Time(),
            "timestamptz" => new FieldType.Instant(),
            "timestamp" => new FieldType.LocalDateTime(),
            "uuid" => new FieldType.Uuid(),
            "bytea" => new FieldType.Bytes(),
            "varchar" or "bpchar" when modifier >= 4 => new FieldType.Text(modifier - 4),
            "text" or "varchar" or "bpchar" or "citext" or "name" => new FieldType.Text(),
            "json" or "jsonb" => new FieldType.Json(),
            "interval" => new FieldType.Duration(),
            "inet" or "cidr" => new FieldType.NetworkAddress(),
            "macaddr" or "macaddr8" => new FieldType.NetworkAddress(OfCard: true),
            "_text" or "_varchar" or "_bpchar" or "_int2" or "_int4" or "_int8" or "_numeric" or "_bool" or "_date" or "_uuid" =>
                new FieldType.List(FieldTypeOf(type[1..], modifier, [])),
            _ => new FieldType.Native(),
        };

    // The scale is a signed 11-bit number in the low bits of the modifier.
    private static int ScaleOf(int modifier) => (((modifier - 4) & 0x7ff) ^ 1024) - 1024;
}
