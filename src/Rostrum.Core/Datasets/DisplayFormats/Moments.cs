using System.Globalization;

namespace Rostrum.Core.Datasets;

public abstract partial record DisplayFormat
{
    /// <summary>Of a moment its day alone.</summary>
    public sealed record DayOnly : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "date only";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Moment;

        internal override string? Display(object value, RecordFormat format) =>
            value is DateTimeOffset or DateTime ? format.Display(new FieldType.Date(), DateOnly.FromDateTime(format.Here(value))) : null;
    }

    /// <summary>A day or a moment by its distance from now: "3 days ago".</summary>
    public sealed record Relative : DisplayFormat
    {
        private static readonly (double Days, string One, string Many)[] Units =
        [
            (365.25, "year", "years"),
            (30.44, "month", "months"),
            (7, "week", "weeks"),
            (1, "day", "days"),
            (1 / 24.0, "hour", "hours"),
            (1 / 1440.0, "minute", "minutes"),
        ];

        /// <inheritdoc/>
        public override string Word => "relative to now";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type.HasDay;

        internal override string? Display(object value, RecordFormat format) =>
            value switch
            {
                DateOnly date => DaysAway(date.DayNumber - DateOnly.FromDateTime(format.Now).DayNumber),
                DateTimeOffset or DateTime => Distance((format.Here(value) - format.Now).TotalDays),
                _ => null,
            };

        private static string DaysAway(int days) =>
            days switch
            {
                0 => "today",
                1 => "tomorrow",
                -1 => "yesterday",
                _ => Distance(days),
            };

        private static string Distance(double days)
        {
            var unit = Units.FirstOrDefault(unit => Math.Abs(days) >= unit.Days);
            if (unit.One is null)
            {
                return "now";
            }

            var number = Math.Floor(Math.Abs(days) / unit.Days);
            var words = string.Create(CultureInfo.InvariantCulture, $"{number} {(number == 1 ? unit.One : unit.Many)}");
            return days > 0 ? $"in {words}" : $"{words} ago";
        }
    }
}
