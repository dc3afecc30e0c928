using System.Globalization;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>What the kinds of numbers have in common.</summary>
    public abstract record Numeric : FieldType
    {
        private protected Numeric() { }

        /// <inheritdoc/>
        public sealed override bool IsNumeric => true;

        /// <inheritdoc/>
        public sealed override FormulaType InFormulas => new FormulaType.Number();

        internal override string ToCanonical(object value) =>
            value switch
            {
                long number => number.ToString(Invariant),
                decimal number => number.ToString(Invariant),
                _ => throw CannotCarry(value),
            };

        internal override Parsed FromCanonical(string text) =>
            decimal.TryParse(text, NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint, Invariant, out var number)
                ? new Parsed.Value(number)
                : NotA(Word);

        private protected override Parsed FromTyped(string text, TimeZoneInfo zone) =>
            FromCanonical(text.Replace(" ", "", StringComparison.Ordinal)) is Parsed.Value value
                ? value
                : NotOne(text, "a number. Write digits, with a point for decimals.");

        // Totals of whole numbers are decimals.
        internal override string Display(object value, RecordFormat format)
        {
            ArgumentNullException.ThrowIfNull(format);
            return value is long whole
                ? whole.ToString("#,##0", format.Culture)
                : ((decimal)value).ToString("#,##0.############################", format.Culture);
        }

        internal sealed override bool CanHold(FormulaType of) => of is FormulaType.Number;

        internal override Parsed? FromFormula(object value, TimeZoneInfo zone) => value is decimal ? new Parsed.Value(value) : null;
    }

    /// <summary>A whole number between two bounds, carried as <see cref="long"/>.</summary>
    public sealed record Integer(long Minimum = long.MinValue, long Maximum = long.MaxValue) : Numeric
    {
        /// <inheritdoc/>
        public override string Word => "whole number";

        internal override Parsed FromCanonical(string text) =>
            long.TryParse(text, NumberStyles.AllowLeadingSign, Invariant, out var number) ? new Parsed.Value(number) : NotA(Word);

        private protected override Parsed FromTyped(string text, TimeZoneInfo zone) =>
            base.FromTyped(text, zone) switch
            {
                Parsed.Problem when decimal.TryParse(text, NumberStyles.Number, Invariant, out _) => NotA(Word),
                var typed => typed,
            };

        internal override Parsed? FromFormula(object value, TimeZoneInfo zone) =>
            value switch
            {
                decimal number when decimal.IsInteger(number) && number is >= long.MinValue and <= long.MaxValue => new Parsed.Value(
                    (long)number
                ),
                decimal => new Parsed.Problem("The formula gives a number with decimals, and the field holds whole ones."),
                _ => null,
            };

        internal override string? Problem(object value, CultureInfo culture) =>
            value is long number && (number < Minimum || number > Maximum)
                ? string.Create(culture, $"This must lie between {Minimum:#,##0} and {Maximum:#,##0}.")
                : null;
    }

    /// <summary>A decimal number, carried as <see cref="decimal"/>.</summary>
    /// <param name="Precision">All digits; no limit but .NET's 28 where null.</param>
    /// <param name="Scale">Digits after the point.</param>
    public sealed record Number(int? Precision = null, int? Scale = null) : Numeric
    {
        /// <inheritdoc/>
        public override string Word => "number";

        internal override string Display(object value, RecordFormat format)
        {
            ArgumentNullException.ThrowIfNull(format);
            return value is decimal number && Scale is { } scale
                ? number.ToString($"N{scale}", format.Culture)
                : base.Display(value, format);
        }

        internal override string? Problem(object value, CultureInfo culture)
        {
            if (value is not decimal number)
            {
                return null;
            }

            if (Scale is { } scale && decimal.Round(number, Math.Clamp(scale, 0, 28)) != number)
            {
                return scale == 0 ? "This must be a whole number." : $"This has room for {scale} decimal places.";
            }

            return
                Precision is { } precision
                && precision - (Scale ?? 0) is > 0 and <= 28 and var digits
                && decimal.Truncate(Math.Abs(number)) >= Power(digits)
                ? $"This has room for {digits} digits before the point."
                : null;
        }

        private static decimal Power(int digits)
        {
            var power = 1m;
            for (var i = 0; i < digits; i++)
            {
                power *= 10;
            }

            return power;
        }
    }

    /// <summary>A binary floating-point number, carried as the <see cref="decimal"/> of its shortest notation.</summary>
    public sealed record Floating : Numeric
    {
        /// <inheritdoc/>
        public override string Word => "number";
    }
}
