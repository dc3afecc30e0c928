using System.Globalization;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>A time of day, carried as <see cref="TimeOnly"/>.</summary>
    public sealed record Time : FieldType
    {
        private static readonly string[] Typed = ["HH:mm", "HH:mm:ss", "HH:mm:ss.FFFFFFF"];

        /// <inheritdoc/>
        public override string Word => "time";

        /// <inheritdoc/>
        public override bool IsTemporal => true;

        /// <inheritdoc/>
        public override FormulaType InFormulas => new FormulaType.Time();

        internal override string ToCanonical(object value) =>
            value is TimeOnly time ? time.ToString("HH:mm:ss.fffffff", Invariant) : throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) =>
            TimeOnly.TryParseExact(text, "HH:mm:ss.fffffff", Invariant, DateTimeStyles.None, out var time)
                ? new Parsed.Value(time)
                : NotA(Word);

        // Inputs of browsers are blank where there are parts finer than thousandths.
        internal override string ToInput(object value, TimeZoneInfo zone)
        {
            var time = (TimeOnly)value;
            return time.ToString(time.Ticks % TimeSpan.TicksPerMinute == 0 ? "HH:mm" : "HH:mm:ss.FFF", Invariant);
        }

        private protected override Parsed FromTyped(string text, TimeZoneInfo zone) =>
            TimeOnly.TryParseExact(text, Typed, Invariant, DateTimeStyles.None, out var time)
                ? new Parsed.Value(time)
                : NotOne(text, "a time. Write it as 14:30.");

        internal override Parsed FromForm(string text, RecordFormat format) =>
            TypedMoment.Time(text) is { } time ? new Parsed.Value(time) : FromInput(text, format.Zone);

        internal override string Display(object value, RecordFormat format)
        {
            ArgumentNullException.ThrowIfNull(format);
            var time = (TimeOnly)value;
            return time.ToString(time.Second == 0 ? "HH:mm" : "HH:mm:ss", format.Culture);
        }

        internal override bool CanHold(FormulaType of) => of is FormulaType.Time;

        internal override Parsed? FromFormula(object value, TimeZoneInfo zone) => value is TimeOnly ? new Parsed.Value(value) : null;
    }
}
