using System.Globalization;
using System.Text.RegularExpressions;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>A length of time, carried as <see cref="TimeSpan"/>. Formulas have it as days, with a fraction.</summary>
    public sealed partial record Duration : FieldType
    {
        // Written by ISO 8601 it would be P2DT3H20M; people write 2 d 3:20.
        [GeneratedRegex(
            @"^(?<minus>-)?\s*(?:(?<days>\d+(?:\.\d+)?)\s*d(?:ays?)?)?\s*"
                + @"(?:(?<h>\d+):(?<m>[0-5]?\d)(?::(?<s>[0-5]?\d(?:\.\d{1,6})?))?"
                + @"|(?<hours>\d+)\s*h(?:ours?|rs?)?\s*(?<minutes>[0-5]?\d)"
                + @"|(?:(?<hours>\d+(?:\.\d+)?)\s*h(?:ours?|rs?)?)?\s*(?:(?<minutes>\d+(?:\.\d+)?)\s*m(?:in(?:utes?)?)?)?\s*"
                + @"(?:(?<seconds>\d+(?:\.\d{1,6})?)\s*s(?:ec(?:onds?)?)?)?)$",
            RegexOptions.IgnoreCase | RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant,
            1000
        )]
        private static partial Regex Written { get; }

        /// <inheritdoc/>
        public override string Word => "duration";

        /// <inheritdoc/>
        public override FormulaType InFormulas => new FormulaType.Number();

        internal override string ToCanonical(object value) =>
            value is TimeSpan span ? span.ToString("c", Invariant) : throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) =>
            TimeSpan.TryParseExact(text, "c", Invariant, out var span) ? new Parsed.Value(span) : NotA(Word);

        internal override string ToInput(object value, TimeZoneInfo zone) => Short((TimeSpan)value);

        private protected override Parsed FromTyped(string text, TimeZoneInfo zone)
        {
            var match = Written.Match(text);
            decimal Number(string group) =>
                match.Groups[group] is { Success: true } found
                && decimal.TryParse(found.ValueSpan, NumberStyles.AllowDecimalPoint, Invariant, out var number)
                    ? number
                    : 0;
            if (!match.Success || !text.Any(char.IsAsciiDigit) || match.Groups.Values.Skip(1).Any(group => group.Length > 12))
            {
                return NotOne(text, "a duration. Write it as 3:20 (hours and minutes) or 2 d 3:20.");
            }

            var seconds =
                (Number("days") * 86_400)
                + ((Number("h") + Number("hours")) * 3_600)
                + ((Number("m") + Number("minutes")) * 60)
                + Number("s")
                + Number("seconds");
            return seconds > (decimal)TimeSpan.MaxValue.TotalDays * 86_000
                ? new Parsed.Problem("This is longer than can be kept.")
                : new Parsed.Value(
                    TimeSpan.FromTicks((long)(seconds * TimeSpan.TicksPerSecond) * (match.Groups["minus"].Success ? -1 : 1))
                );
        }

        internal override string Display(object value, RecordFormat format) => Short((TimeSpan)value);

        internal override bool CanHold(FormulaType of) => of is FormulaType.Number;

        internal override Parsed? FromFormula(object value, TimeZoneInfo zone) =>
            value is not decimal days ? null
            : Math.Abs(days) > 10_000_000 ? new Parsed.Problem("This is longer than can be kept.")
            : new Parsed.Value(TimeSpan.FromTicks((long)(days * TimeSpan.TicksPerDay)));

        private static string Short(TimeSpan span)
        {
            var (sign, size) = (span < TimeSpan.Zero ? "-" : "", span.Duration());
            var days = size.Days == 0 ? "" : string.Create(Invariant, $"{size.Days} d");
            var seconds =
                size.Ticks % TimeSpan.TicksPerMinute == 0
                    ? ""
                    : ":" + (size.Ticks % TimeSpan.TicksPerMinute / (decimal)TimeSpan.TicksPerSecond).ToString("00.######", Invariant);
            var clock = string.Create(Invariant, $"{size.Hours}:{size.Minutes:00}{seconds}");
            return sign
                + (
                    days.Length == 0 ? clock
                    : size.Ticks % TimeSpan.TicksPerDay == 0 ? days
                    : $"{days} {clock}"
                );
        }
    }
}
