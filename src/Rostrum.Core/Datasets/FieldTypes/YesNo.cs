using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>Yes or no, carried as <see cref="bool"/>.</summary>
    public sealed record YesNo : FieldType
    {
        /// <inheritdoc/>
        public override string Word => "yes or no";

        /// <inheritdoc/>
        public override FormulaType InFormulas => new FormulaType.Boolean();

        internal override string ToCanonical(object value) =>
            value is bool yes
                ? yes
                    ? "true"
                    : "false"
                : throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) => bool.TryParse(text, out var yes) ? new Parsed.Value(yes) : NotA(Word);

        private protected override Parsed FromTyped(string text, TimeZoneInfo zone) =>
            text switch
            {
                "true" or "yes" or "Yes" or "on" => new Parsed.Value(true),
                "false" or "no" or "No" => new Parsed.Value(false),
                _ => NotA(Word),
            };

        internal override string Display(object value, RecordFormat format) => (bool)value ? "Yes" : "No";

        internal override bool CanHold(FormulaType of) => of is FormulaType.Boolean;

        internal override Parsed? FromFormula(object value, TimeZoneInfo zone) => value is bool ? new Parsed.Value(value) : null;
    }
}
