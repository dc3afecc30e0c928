using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>One of a fixed list, carried as <see cref="string"/>.</summary>
    public sealed record Choice(ImmutableArray<string> Options) : FieldType
    {
        /// <inheritdoc/>
        public override string Word => "choice";

        /// <inheritdoc/>
        public override bool IsTextual => true;

        /// <inheritdoc/>
        public override FormulaType InFormulasOf(Field field)
        {
            ArgumentNullException.ThrowIfNull(field);
            return new FormulaType.Choice(Options) { Labels = [.. Options.Select(field.LabelOf)] };
        }

        internal override string ToCanonical(object value) => value as string ?? throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) => new Parsed.Value(text);

        internal override string Display(object value, RecordFormat format) => (string)value;

        internal override bool CanHold(FormulaType of) => of is FormulaType.Text or FormulaType.Choice;

        internal override Parsed? FromFormula(object value, TimeZoneInfo zone) => value is string ? new Parsed.Value(value) : null;

        internal override string? Problem(object value, CultureInfo culture) =>
            value is string option && !Options.Contains(option) ? $"“{option}” is not one of the choices." : null;
    }
}
