using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>A type of the source's own (JSON, lists, ranges), carried and shown as the source's text for it.</summary>
    public sealed record Native : FieldType
    {
        /// <inheritdoc/>
        public override string Word => "other";

        /// <inheritdoc/>
        public override bool IsSortable => false;

        /// <inheritdoc/>
        public override bool IsEditable => false;

        /// <inheritdoc/>
        public override FormulaType? InFormulasOf(Field field)
        {
            ArgumentNullException.ThrowIfNull(field);
            return field.NativeType is "json" or "jsonb" ? new FormulaType.Json() : null;
        }

        internal override string ToCanonical(object value) => value as string ?? throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) => new Parsed.Value(text);

        internal override string Display(object value, RecordFormat format) => (string)value;
    }
}
