using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Workflows;

namespace Rostrum.Web.Build.Composer.Settings;

/// <summary>Times are picked from lists, or written as cron has them.</summary>
internal sealed class CronTimesInput : SettingInput<SettingKind.CronTimes>
{
    protected override string Text(object of, Setting setting, IFormCollection form)
    {
        string Part(string name) => form[$"{setting.Key}.{name}"].ToString();
        return Part("by") == "picks" && Enum.TryParse<CronRepeat>(Part("repeat"), out var repeat)
            ? Picked(repeat, CronPick.Of(base.Text(of, setting, form)), Part, form[$"{setting.Key}.on"]).Text
            : base.Text(of, setting, form);
    }

    // What another way to repeat has no input for stays as it is, or begins as it usually is.
    private static CronPick Picked(CronRepeat repeat, CronPick? before, Func<string, string> part, IEnumerable<string?> days)
    {
        var pick = (before ?? new CronPick(repeat)) with { Repeat = repeat };
        if (int.TryParse(part("every"), NumberStyles.None, CultureInfo.InvariantCulture, out var every) && every is >= 1 and <= 59)
        {
            pick = pick with { Every = every };
        }

        if (int.TryParse(part("day"), NumberStyles.None, CultureInfo.InvariantCulture, out var day) && day is >= CronPick.LastDay and <= 31)
        {
            pick = pick with { Day = day };
        }

        if (TimeOnly.TryParse(part("at"), CultureInfo.InvariantCulture, out var at))
        {
            pick = pick with { At = new TimeOnly(at.Hour, at.Minute) };
        }
        else if (int.TryParse(part("past"), NumberStyles.None, CultureInfo.InvariantCulture, out var past) && past <= 59)
        {
            pick = pick with { At = new TimeOnly(pick.At.Hour, past) };
        }

        ImmutableSortedSet<DayOfWeek> on =
        [
            .. days.Select(text => Enum.TryParse<DayOfWeek>(text, out var one) ? one : (DayOfWeek?)null).OfType<DayOfWeek>(),
        ];
        return on.IsEmpty ? pick : pick with { On = on };
    }
}
