using System.Text.Json;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>A JSON text (RFC 8259), carried as <see cref="string"/>.</summary>
    /// <param name="Schema">Which members it has, as a JSON Schema; null where that is not known.</param>
    public sealed record Json(string? Schema = null) : FieldType
    {
        /// <summary>Which members it has; null where that is not known.</summary>
        public JsonSchema? Shape { get; } = Schema is null ? null : JsonSchema.Read(Schema).Shape;

        /// <inheritdoc/>
        public override string Word => "JSON";

        /// <inheritdoc/>
        public override bool IsSortable => false;

        /// <inheritdoc/>
        public override FormulaType InFormulas => new FormulaType.Json();

        internal override string ToCanonical(object value) => value as string ?? throw CannotCarry(value);

        internal override Parsed FromCanonical(string text)
        {
            try
            {
                using var document = JsonDocument.Parse(text);
                return new Parsed.Value(text);
            }
            catch (JsonException exception)
            {
                return new Parsed.Problem(
                    $"This is not JSON: line {(exception.LineNumber ?? 0) + 1}, character {(exception.BytePositionInLine ?? 0) + 1}."
                );
            }
        }

        internal override string? Problem(object value, System.Globalization.CultureInfo culture) => Shape?.Problem((string)value);

        internal override string Display(object value, RecordFormat format) => NativeWords.Of("json", (string)value);
    }
}
