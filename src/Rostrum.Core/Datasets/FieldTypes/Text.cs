using System.Globalization;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>Text, carried as <see cref="string"/>.</summary>
    /// <param name="MaxLength">In Unicode code points; no limit where null.</param>
    /// <param name="Long">Written in several lines.</param>
    public sealed record Text(int? MaxLength = null, bool Long = false) : FieldType
    {
        /// <inheritdoc/>
        public override string Word => Long ? "long text" : "text";

        /// <inheritdoc/>
        public override bool IsTextual => true;

        /// <inheritdoc/>
        public override bool IsLong => Long;

        /// <inheritdoc/>
        public override FormulaType InFormulas => new FormulaType.Text();

        internal override string ToCanonical(object value) => value as string ?? throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) => new Parsed.Value(text);

        // Blanks around a text belong to it.
        internal override Parsed FromInput(string text, TimeZoneInfo zone) =>
            text.Contains('\0', StringComparison.Ordinal)
                ? new Parsed.Problem("This text has a character in it that cannot be kept.")
                : new Parsed.Value(text.Length == 0 ? null : text.ReplaceLineEndings("\n"));

        internal override string Display(object value, RecordFormat format) => (string)value;

        internal override bool CanHold(FormulaType of) => of is FormulaType.Text or FormulaType.Choice;

        internal override Parsed? FromFormula(object value, TimeZoneInfo zone) => value is string ? new Parsed.Value(value) : null;

        internal override string? Problem(object value, CultureInfo culture)
        {
            var length = value is string text ? text.EnumerateRunes().Count() : 0;
            return MaxLength is { } limit && length > limit
                ? string.Create(culture, $"This is {length:#,##0} characters long; {limit:#,##0} fit.")
                : null;
        }
    }
}
