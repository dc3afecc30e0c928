using System.Globalization;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>A day, carried as <see cref="DateOnly"/>.</summary>
    public sealed record Date : FieldType
    {
        /// <inheritdoc/>
        public override string Word => "date";

        /// <inheritdoc/>
        public override bool IsTemporal => true;

        /// <inheritdoc/>
        public override bool HasDay => true;

        /// <inheritdoc/>
        public override FormulaType InFormulas => new FormulaType.Date();

        internal override string ToCanonical(object value) =>
            value is DateOnly date ? date.ToString("yyyy-MM-dd", Invariant) : throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) =>
            DateOnly.TryParseExact(text, "yyyy-MM-dd", Invariant, DateTimeStyles.None, out var date) ? new Parsed.Value(date) : NotA(Word);

        private protected override Parsed FromTyped(string text, TimeZoneInfo zone) =>
            FromCanonical(text) is Parsed.Value date ? date : NotOne(text, "a date. Write it as 2026-03-31.");

        internal override string InForm(object value, RecordFormat format) => Display(value, format);

        internal override Parsed FromForm(string text, RecordFormat format)
        {
            ArgumentNullException.ThrowIfNull(format);
            return text.Trim() is not { Length: > 0 } typed ? new Parsed.Value(null)
                : TypedMoment.Day(typed, format.Culture, DateOnly.FromDateTime(format.Now)) is { } date ? new Parsed.Value(date)
                : NotOne(text, $"a date. Write it as {Display(DateOnly.FromDateTime(format.Now), format)}.");
        }

        internal override string Display(object value, RecordFormat format)
        {
            ArgumentNullException.ThrowIfNull(format);
            return ((DateOnly)value).ToString("dd MMM yyyy", format.Culture);
        }

        internal override bool CanHold(FormulaType of) => of is FormulaType.Date or FormulaType.DateTime;

        internal override Parsed? FromFormula(object value, TimeZoneInfo zone) =>
            value switch
            {
                DateOnly => new Parsed.Value(value),
                DateTimeOffset instant => new Parsed.Value(DateOnly.FromDateTime(TimeZoneInfo.ConvertTime(instant, zone).DateTime)),
                _ => null,
            };
    }
}
