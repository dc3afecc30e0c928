using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>Formulas' values as columns of a statement.</summary>
internal static class ComputedLeaf
{
    /// <summary>The column that a translated formula makes.</summary>
    /// <remarks>A quotient has no last digit: it is given, sorted and paged by as the nearest binary number, which keeps 15 digits and is
    /// the same each time.</remarks>
    public static Leaf Of(SqlEngine engine, FieldName name, SqlValue value) =>
        value.Type is FormulaType.Number && value.Exactness is not Exactness.Exact
            ? new Leaf(engine.AsFloating(value.Text), FieldOf(name, new FieldType.Floating(), "float8"), Nullable: true)
            : new Leaf(
                value.Text.StartsWith("CASE ", StringComparison.Ordinal) ? $"({value.Text})" : value.Text,
                FieldOf(name, DatasetShapes.FieldTypeOf(value.Type), engine.TypeName(value.Type)),
                Nullable: true
            );

    /// <summary>A field of the type that a formula's values have, so that they are shown, sorted and paged by as a field's are.</summary>
    public static Field FieldOf(FieldName name, FormulaType type) => FieldOf(name, DatasetShapes.FieldTypeOf(type), "");

    /// <summary>What formulas see of a value that a source gave: what they cannot carry is blank.</summary>
    public static object? Carried(Field field, object? value, TimeZoneInfo zone) =>
        value is DateTime local ? Instant(local, zone) : DatasetShapes.Carried(field, value);

    // A time that the clocks skip is taken by the offset before they do.
    private static DateTimeOffset Instant(DateTime local, TimeZoneInfo zone) =>
        new DateTimeOffset(
            local,
            zone.IsInvalidTime(local) ? zone.GetUtcOffset(local.AddDays(-1)) : zone.GetUtcOffset(local)
        ).ToUniversalTime();

    /// <summary>A field that is of no dataset.</summary>
    public static Field FieldOf(FieldName name, FieldType type, string native) =>
        new()
        {
            Name = name,
            Column = "",
            NativeType = native,
            Label = name.Value,
            Type = type,
        };
}
