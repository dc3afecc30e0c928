using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>A UUID (RFC 9562), carried as <see cref="Guid"/>.</summary>
    public sealed record Uuid : FieldType
    {
        /// <inheritdoc/>
        public override string Word => "UUID";

        /// <inheritdoc/>
        public override FormulaType InFormulas => new FormulaType.Text();

        internal override string ToCanonical(object value) => value is Guid id ? id.ToString("D") : throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) => Guid.TryParse(text, out var id) ? new Parsed.Value(id) : NotA(Word);

        internal override string Display(object value, RecordFormat format) => ((Guid)value).ToString("D");

        internal override bool CanHold(FormulaType of) => of is FormulaType.Text or FormulaType.Choice;

        internal override Parsed? FromFormula(object value, TimeZoneInfo zone) => value is string text ? FromCanonical(text) : null;
    }
}
