using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Visuals;

namespace Rostrum.Core.Apps.Panels.Schedules;

/// <summary>Records as bars from their start to their end, in lanes.</summary>
public sealed record TimelinePanel : SchedulePanel, IPanelKind
{
    /// <summary>The spans, and what people read.</summary>
    public static ImmutableArray<(TimelineSpan Span, string Label)> Spans { get; } =
    [
        (TimelineSpan.Day, "day"),
        (TimelineSpan.Week, "week"),
        (TimelineSpan.Month, "month"),
        (TimelineSpan.Quarter, "quarter"),
        (TimelineSpan.Year, "year"),
        (TimelineSpan.FiveYears, "five years"),
    ];

    /// <summary>The field that says when it really began, drawn as a bar below; none where null.</summary>
    public FieldName? ActualStart { get; init; }

    /// <summary>The field that says when it really ended; until today where that is blank.</summary>
    public FieldName? ActualEnd { get; init; }

    /// <summary>The field whose values are the lanes; each record has its own where null.</summary>
    public FieldName? Lanes { get; init; }

    /// <summary>The number that says how much is done, in percent; none where null.</summary>
    public FieldName? Progress { get; init; }

    /// <summary>The relation to the record of the same kind after which it comes, drawn as an arrow; none where null.</summary>
    public FieldName? After { get; init; }

    /// <summary>What stands at each bar, or a formula over the record; its title where null.</summary>
    public string? BarTitle { get; init; }

    /// <summary>How much is seen until a person chooses otherwise.</summary>
    public TimelineSpan Span { get; init; } = TimelineSpan.Year;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        foreach (var problem in base.Problems(place))
        {
            yield return problem;
        }

        if (place.Dataset is not { } dataset)
        {
            yield break;
        }

        if (Progress is { } progress && dataset.Find(progress) is not { Type.IsNumeric: true })
        {
            yield return Lacks("progress", "Progress needs a field with numbers.");
        }

        if (After is { } after && dataset.RelationOf(after)?.Target != dataset.Id)
        {
            yield return Lacks("after", "Arrows need a relation to records of the same kind.");
        }
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Timeline",
            "Records as bars from start to end",
            "bar-chart-steps",
            (name, dataset) => Usual(name, dataset!),
            [
                .. Records,
                .. When,
                Dates("actualStart", "Actual start", panel => panel.ActualStart, (panel, field) => panel with { ActualStart = field }),
                Dates("actualEnd", "Actual end", panel => panel.ActualEnd, (panel, field) => panel with { ActualEnd = field }),
                Field("lanes", "Lanes", panel => panel.Lanes, (panel, field) => panel with { Lanes = field }),
                SettingsOf<TimelinePanel>.Field(
                    "progress",
                    "Progress",
                    new SettingKind.OneField(Number: true),
                    panel => panel.Progress,
                    (panel, field) => panel with { Progress = field }
                ),
                Field("after", "Comes after", panel => panel.After, (panel, field) => panel with { After = field }),
                Colour,
                SettingsOf<TimelinePanel>.Text(
                    "barTitle",
                    "Title",
                    SettingPart.Content,
                    panel => panel.BarTitle,
                    (panel, text) => panel with { BarTitle = text },
                    overRecord: true
                ) with
                {
                    Help = "Blank: the record's title. Begin with = to compute it.",
                },
                SettingsOf<TimelinePanel>.Choice(
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

    private static Setting Dates(
        string key,
        string label,
        Func<TimelinePanel, FieldName?> get,
        Func<TimelinePanel, FieldName?, TimelinePanel> set
    ) => SettingsOf<TimelinePanel>.Field(key, label, new SettingKind.OneField { Dates = true }, get, set);

    private static Setting Field(
        string key,
        string label,
        Func<TimelinePanel, FieldName?> get,
        Func<TimelinePanel, FieldName?, TimelinePanel> set
    ) => SettingsOf<TimelinePanel>.Field(key, label, new SettingKind.OneField(), get, set);

    /// <summary>A timeline of a dataset by its first two dates, a lane for each record of its first relation.</summary>
    public static TimelinePanel Usual(string name, Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        var table = AppDrafting.Table(name, dataset);
        var (start, end) = Ends(dataset);
        return new TimelinePanel
        {
            Name = name,
            Dataset = dataset.Id,
            Start = start,
            End = end,
            Lanes = dataset.Relations.FirstOrDefault(relation => relation.Target != dataset.Id)?.Field,
            SheetFields = table.SheetFields,
            AllowAdding = false,
        };
    }
}
