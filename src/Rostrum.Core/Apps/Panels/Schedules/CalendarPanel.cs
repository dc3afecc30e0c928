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
public sealed record CalendarPanel : ListPanel, IPanelKind
{
    /// <summary>The spans, and what people read.</summary>
    public static ImmutableArray<(CalendarSpan Span, string Label)> Spans { get; } =
    [(CalendarSpan.Month, "month"), (CalendarSpan.Week, "week"), (CalendarSpan.Day, "day"), (CalendarSpan.Agenda, "agenda")];

    /// <summary>The field that says when it begins.</summary>
    public FieldName? Start { get; init; }

    /// <summary>The field that says when it ends, of the same kind; a day, or half an hour, after it begins where null.</summary>
    public FieldName? End { get; init; }

    /// <summary>What stands at each, or a formula over the record; its title where null.</summary>
    public string? EventTitle { get; init; }

    /// <summary>The choice whose colour each has.</summary>
    public FieldName? ColourBy { get; init; }

    /// <summary>How much is seen until a person chooses otherwise.</summary>
    public CalendarSpan Span { get; init; }

    /// <inheritdoc/>
    public override IEnumerable<FieldName> MovedFields => new[] { Start, End }.OfType<FieldName>();

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        [.. base.Problems(place), .. Spanning(place, Start, End, ColourBy).Select(lack => Lacks(lack.Setting, lack.Message))];

    /// <summary>What keeps records from having a place in time.</summary>
    internal static IEnumerable<(string Setting, string Message)> Spanning(
        PanelPlace place,
        FieldName? start,
        FieldName? end,
        FieldName? colourBy
    )
    {
        ArgumentNullException.ThrowIfNull(place);
        if (place.Dataset is not { } dataset)
        {
            yield break;
        }

        var from = start is { } begins ? dataset.Find(begins) : null;
        if (from is not { Type.HasDay: true })
        {
            yield return ("start", "It needs the date field at which a record begins: choose which.");
        }

        if (end is { } ends && dataset.Find(ends)?.Type.GetType() != from?.Type.GetType())
        {
            yield return ("end", "The end must be a field of the same type as the start.");
        }

        if (colourBy is { } colour && dataset.Find(colour) is not { Type: FieldType.Choice })
        {
            yield return ("colourBy", "Colours come from a choice field.");
        }
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Calendar",
            "Records by month, week and day",
            "calendar-week",
            (name, dataset) => Usual(name, dataset!),
            [
                .. Records,
                .. When<CalendarPanel>(
                    panel => panel.Start,
                    (panel, field) => panel with { Start = field },
                    panel => panel.End,
                    (panel, field) => panel with { End = field }
                ),
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
                SettingsOf<CalendarPanel>.Field(
                    "colourBy",
                    "Colour by",
                    new SettingKind.OneField(),
                    panel => panel.ColourBy,
                    (panel, field) => panel with { ColourBy = field }
                ),
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

    /// <summary>The settings that say when a record begins and ends.</summary>
    internal static IEnumerable<Setting> When<T>(
        Func<T, FieldName?> start,
        Func<T, FieldName?, T> setStart,
        Func<T, FieldName?> end,
        Func<T, FieldName?, T> setEnd
    )
        where T : class =>
        [
            SettingsOf<T>.Field("start", "Start", new SettingKind.OneField { Dates = true }, start, setStart),
            SettingsOf<T>.Field("end", "End", new SettingKind.OneField { Dates = true }, end, setEnd) with
            {
                Help = "Blank where a record is a moment or a day.",
            },
        ];

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
            Start = start?.Name,
            End = end?.Name,
            ColourBy = dataset.Fields.FirstOrDefault(field => field is { Hidden: false, Type: FieldType.Choice })?.Name,
            SheetFields = table.SheetFields,
        };
    }

    /// <summary>The fields that say when a dataset's records begin and end.</summary>
    internal static (Field? Start, Field? End) Ends(Dataset dataset)
    {
        Field[] dates = [.. dataset.Fields.Where(field => field is { Hidden: false, Formula: null, Type.HasDay: true })];
        var start = dates.OrderByDescending(field => field.Required).FirstOrDefault();
        return (start, dates.FirstOrDefault(field => field != start && field.Type.GetType() == start?.Type.GetType()));
    }
}
