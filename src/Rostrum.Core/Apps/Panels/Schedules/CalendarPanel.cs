using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Panels.Schedules;

/// <summary>How much of a calendar is seen at once.</summary>
public enum CalendarSpan
{
    /// <summary>A month, in weeks.</summary>
    Month,

    /// <summary>A week, by the hours of its days.</summary>
    Week,

    /// <summary>A day, by its hours.</summary>
    Day,

    /// <summary>What comes, day after day.</summary>
    Agenda,
}

/// <summary>Records on the days, or at the hours, that their fields say.</summary>
public sealed record CalendarPanel : SchedulePanel, IPanelKind
{
    /// <summary>The spans, and what people read.</summary>
    public static ImmutableArray<(CalendarSpan Span, string Label)> Spans { get; } =
    [(CalendarSpan.Month, "month"), (CalendarSpan.Week, "week"), (CalendarSpan.Day, "day"), (CalendarSpan.Agenda, "agenda")];

    /// <summary>What stands at each, or a formula over the record; its title where null.</summary>
    public string? EventTitle { get; init; }

    /// <summary>How much is seen until a person chooses otherwise.</summary>
    public CalendarSpan Span { get; init; }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Calendar",
            "Records by month, week and day",
            "calendar-week",
            (name, dataset) => Usual(name, dataset!),
            [
                .. Records,
                .. When,
                SettingsOf<CalendarPanel>.Text(
                    "eventTitle",
                    "Title",
                    SettingPart.Content,
                    panel => panel.EventTitle,
                    (panel, text) => panel with { EventTitle = text },
                    overRecord: true
                ) with
                {
                    Help = "Blank: the record's title. Begin with = to compute it.",
                },
                Colour,
                SettingsOf<CalendarPanel>.Choice(
                    "span",
                    "First shows",
                    SettingPart.Content,
                    Spans,
                    panel => panel.Span,
                    (panel, span) => panel with { Span = span }
                ),
                .. Behaviour,
            ]
        )
        {
            NeedsDataset = true,
        };

    /// <summary>A calendar of a dataset by its first date, and the date after that of the same kind.</summary>
    public static CalendarPanel Usual(string name, Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        var table = AppDrafting.Table(name, dataset);
        var (start, end) = Ends(dataset);
        return new CalendarPanel
        {
            Name = name,
            Dataset = dataset.Id,
            Start = start,
            End = end,
            ColourBy = dataset.Fields.FirstOrDefault(field => field is { Hidden: false, Type: FieldType.Choice })?.Name,
            SheetFields = table.SheetFields,
        };
    }
}
