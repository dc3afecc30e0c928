using System.Globalization;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    private static readonly string[] TypedMoments =
    [
        "yyyy-MM-dd'T'HH:mm",
        "yyyy-MM-dd'T'HH:mm:ss",
        "yyyy-MM-dd'T'HH:mm:ss.FFFFFFF",
        "yyyy-MM-dd HH:mm",
        "yyyy-MM-dd HH:mm:ss",
    ];

    /// <summary>What instants, and dates and times without a zone, have in common.</summary>
    public abstract record Moment : FieldType
    {
        private protected Moment() { }

        /// <inheritdoc/>
        public sealed override string Word => "date and time";

        /// <inheritdoc/>
        public sealed override bool IsTemporal => true;

        /// <inheritdoc/>
        public sealed override bool HasDay => true;

        /// <inheritdoc/>
        public sealed override FormulaType InFormulas => new FormulaType.DateTime();

        internal sealed override bool CanHold(FormulaType of) => of is FormulaType.Date or FormulaType.DateTime;

        private protected sealed override Parsed FromTyped(string text, TimeZoneInfo zone) =>
            DateTime.TryParseExact(text, TypedMoments, Invariant, DateTimeStyles.None, out var local)
                ? At(local, zone)
                : NotOne(text, "a date and time. Write it as 2026-03-31T14:30.");

        internal sealed override Parsed FromForm(string text, RecordFormat format)
        {
            ArgumentNullException.ThrowIfNull(format);
            return text.Trim() is not { Length: > 0 } typed ? new Parsed.Value(null)
                : TypedMoment.Moment(typed, format.Culture, format.Now) is { } local ? At(local, format.Zone)
                : NotOne(text, $"a date and time. Write it as {Shown(format.Now, format)}.");
        }

        internal sealed override Parsed? FromFormula(object value, TimeZoneInfo zone) =>
            value switch
            {
                DateTimeOffset instant => new Parsed.Value(Of(instant, zone)),
                DateOnly date => At(date.ToDateTime(TimeOnly.MinValue), zone),
                _ => null,
            };

        /// <summary>An instant as a value of the type.</summary>
        private protected abstract object Of(DateTimeOffset instant, TimeZoneInfo zone);

        /// <summary>What the clocks of a zone show as a value of the type.</summary>
        private protected abstract Parsed At(DateTime local, TimeZoneInfo zone);

        // Inputs of browsers are blank where there are parts finer than thousandths.
        private protected static string InInput(DateTime local) =>
            local.ToString(local.Ticks % TimeSpan.TicksPerMinute == 0 ? "yyyy-MM-dd'T'HH:mm" : "yyyy-MM-dd'T'HH:mm:ss.FFF", Invariant);

        // As it is shown, with what is finer than that where there is any.
        private protected static string InForm(DateTime local, RecordFormat format) =>
            local.Ticks % TimeSpan.TicksPerMinute == 0
                ? Shown(local, format)
                : local.ToString("dd MMM yyyy HH:mm:ss.FFFFFFF", format.Culture);

        private protected static string Shown(DateTime local, RecordFormat format) => local.ToString("dd MMM yyyy HH:mm", format.Culture);
    }

    /// <summary>An instant, carried as <see cref="DateTimeOffset"/> in UTC.</summary>
    public sealed record Instant : Moment
    {
        private const string Canonical = "yyyy-MM-dd'T'HH:mm:ss.fffffff'Z'";

        internal override string ToCanonical(object value) =>
            value is DateTimeOffset instant ? instant.UtcDateTime.ToString(Canonical, Invariant) : throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) =>
            DateTimeOffset.TryParseExact(text, Canonical, Invariant, DateTimeStyles.AssumeUniversal, out var instant)
                ? new Parsed.Value(instant)
                : NotA(Word);

        internal override string ToInput(object value, TimeZoneInfo zone) =>
            InInput(TimeZoneInfo.ConvertTime((DateTimeOffset)value, zone).DateTime);

        internal override string InForm(object value, RecordFormat format) =>
            InForm(TimeZoneInfo.ConvertTime((DateTimeOffset)value, format.Zone).DateTime, format);

        internal override string Display(object value, RecordFormat format)
        {
            ArgumentNullException.ThrowIfNull(format);
            return Shown(TimeZoneInfo.ConvertTime((DateTimeOffset)value, format.Zone).DateTime, format);
        }

        private protected override object Of(DateTimeOffset instant, TimeZoneInfo zone) => instant;

        private protected override Parsed At(DateTime local, TimeZoneInfo zone)
        {
            if (zone.IsInvalidTime(local))
            {
                return new Parsed.Problem("The clocks are put forward then: that time does not exist.");
            }

            var offset = zone.GetUtcOffset(local);
            return local.Ticks < offset.Ticks || local.Ticks - offset.Ticks > DateTime.MaxValue.Ticks
                ? new Parsed.Problem("That is too far away.")
                : new Parsed.Value(new DateTimeOffset(local, offset).ToUniversalTime());
        }
    }

    /// <summary>A date and a time that name no zone, carried as <see cref="DateTime"/> of unspecified kind.</summary>
    public sealed record LocalDateTime : Moment
    {
        private const string Canonical = "yyyy-MM-dd'T'HH:mm:ss.fffffff";

        internal override string ToCanonical(object value) =>
            value is DateTime local ? local.ToString(Canonical, Invariant) : throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) =>
            DateTime.TryParseExact(text, Canonical, Invariant, DateTimeStyles.None, out var local) ? new Parsed.Value(local) : NotA(Word);

        internal override string ToInput(object value, TimeZoneInfo zone) => InInput((DateTime)value);

        internal override string InForm(object value, RecordFormat format) => InForm((DateTime)value, format);

        internal override string Display(object value, RecordFormat format) => Shown((DateTime)value, format);

        private protected override object Of(DateTimeOffset instant, TimeZoneInfo zone) => TimeZoneInfo.ConvertTime(instant, zone).DateTime;

        private protected override Parsed At(DateTime local, TimeZoneInfo zone) => new Parsed.Value(local);
    }
}
