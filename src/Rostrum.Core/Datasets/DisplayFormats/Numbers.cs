using System.Globalization;

namespace Rostrum.Core.Datasets;

public abstract partial record DisplayFormat
{
    /// <summary>An amount of money.</summary>
    /// <param name="Currency">Its code by ISO 4217.</param>
    public sealed record Money(string Currency) : DisplayFormat
    {
        private static readonly Dictionary<string, string> Signs = new(StringComparer.Ordinal)
        {
            ["EUR"] = "€",
            ["GBP"] = "£",
            ["ILS"] = "₪",
            ["INR"] = "₹",
            ["JPY"] = "¥",
            ["KRW"] = "₩",
            ["PLN"] = "zł",
            ["UAH"] = "₴",
            ["USD"] = "$",
        };

        // Currencies of ISO 4217 whose unit is not divided.
        private static readonly HashSet<string> WithoutParts = new(StringComparer.Ordinal)
        {
            "CLP",
            "ISK",
            "JPY",
            "KRW",
            "PYG",
            "UGX",
            "VND",
        };

        /// <summary>The currency of a sign that is no other's, by ISO 4217; null where several have it.</summary>
        public static string? OfSign(string sign) => sign is "$" or "¥" ? null : Signs.FirstOrDefault(known => known.Value == sign).Key;

        /// <inheritdoc/>
        public override string Word => "money";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type.IsNumeric;

        /// <inheritdoc/>
        public override DisplayFormat With(FormatSettings settings) => new Money(settings.Currency);

        /// <inheritdoc/>
        public override string? Problem(FormatSettings settings) =>
            settings.Currency.Length == 3 && settings.Currency.All(char.IsAsciiLetterUpper)
                ? null
                : $"“{settings.Currency}” is no currency. Write its three letters, such as EUR.";

        // Where the culture puts the sign: £1,250.00 or 1.250,00 €; the code where the currency has no sign that everybody knows.
        internal override string? Display(object value, RecordFormat format) =>
            NumberIn(value) is { } number ? Display(number, format, WithoutParts.Contains(Currency) ? 0 : 2) : null;

        internal string Display(decimal number, RecordFormat format, int digits)
        {
            var numbers = (NumberFormatInfo)format.Culture.NumberFormat.Clone();
            numbers.CurrencySymbol = Signs.GetValueOrDefault(Currency) ?? Currency + "\u00a0";
            numbers.CurrencyDecimalDigits = digits;
            return number.ToString("C", numbers).Replace("\u00a0 ", "\u00a0", StringComparison.Ordinal).TrimEnd('\u00a0');
        }
    }

    /// <summary>A share.</summary>
    /// <param name="Decimals">Digits after the point.</param>
    /// <param name="OfHundred">25 is 25 %; otherwise 0.25 is.</param>
    public sealed record Percent(int Decimals, bool OfHundred) : DisplayFormat
    {
        // A greater one times a hundred is no decimal any more.
        private const decimal Greatest = 1e24m;

        /// <inheritdoc/>
        public override string Word => "percent";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type.IsNumeric;

        /// <inheritdoc/>
        public override DisplayFormat With(FormatSettings settings) => new Percent(settings.Digits ?? 0, settings.OfHundred);

        /// <inheritdoc/>
        public override string? Problem(FormatSettings settings) => DigitsProblem(settings);

        internal override string? Display(object value, RecordFormat format) =>
            NumberIn(value) is { } number && (OfHundred || Math.Abs(number) < Greatest)
                ? $"{(OfHundred ? number : number * 100).ToString($"N{Decimals}", format.Culture)}\u00a0%"
                : null;
    }

    /// <summary>A number with so many digits after the point.</summary>
    public sealed record Rounded(int Digits) : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "fixed decimals";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type.IsNumeric;

        /// <inheritdoc/>
        public override DisplayFormat With(FormatSettings settings) => new Rounded(settings.Digits ?? 0);

        /// <inheritdoc/>
        public override string? Problem(FormatSettings settings) => DigitsProblem(settings);

        internal override string? Display(object value, RecordFormat format) => NumberIn(value)?.ToString($"N{Digits}", format.Culture);
    }

    private static decimal? NumberIn(object value) =>
        value switch
        {
            long whole => whole,
            decimal number => number,
            _ => null,
        };

    private static string? DigitsProblem(FormatSettings settings) =>
        settings.Digits is null ? "Write the decimals as a number from 0 to 10." : null;
}
