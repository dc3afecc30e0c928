using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Panels.Schedules;

/// <summary>Records that have a place in time, in whatever way they are shown.</summary>
public abstract record SchedulePanel : ListPanel
{
    /// <summary>The field that says when a record begins.</summary>
    public FieldName? Start { get; init; }

    /// <summary>The field that says when it ends, of the same kind; null where none says it.</summary>
    public FieldName? End { get; init; }

    /// <summary>The choice whose colour each has.</summary>
    public FieldName? ColourBy { get; init; }

    /// <inheritdoc/>
    public override IEnumerable<FieldName> MovedFields => new[] { Start, End }.OfType<FieldName>();

    /// <summary>The fields by which the records of a dataset have their place; null where there is no such start.</summary>
    public (Field Start, Field? End)? Places(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return Start is { } begins && dataset.Find(begins) is { Type.HasDay: true } start
            ? (start, End is { } ends && dataset.Find(ends) is { } end && end.Type.GetType() == start.Type.GetType() ? end : null)
            : null;
    }

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

        var places = Places(dataset);
        if (places is null)
        {
            yield return Lacks("start", "It needs the date field at which a record begins: choose which.");
        }

        if (End is not null && places is not { End: not null })
        {
            yield return Lacks("end", "The end must be a field of the same type as the start.");
        }

        if (ColourBy is { } colour && dataset.Find(colour) is not { Type: FieldType.Choice })
        {
            yield return Lacks("colourBy", "Colours come from a choice field.");
        }
    }

    /// <summary>The settings that say when a record begins and ends.</summary>
    private protected static ImmutableArray<Setting> When { get; } =
    [
        SettingsOf<SchedulePanel>.Field(
            "start",
            "Start",
            new SettingKind.OneField { Dates = true },
            panel => panel.Start,
            (panel, field) => panel with { Start = field }
        ),
        SettingsOf<SchedulePanel>.Field(
            "end",
            "End",
            new SettingKind.OneField { Dates = true },
            panel => panel.End,
            (panel, field) => panel with { End = field }
        ) with
        {
            Help = "Blank where a record is a moment or a day.",
        },
    ];

    /// <summary>The setting of what gives each its colour.</summary>
    private protected static Setting Colour { get; } =
        SettingsOf<SchedulePanel>.Field(
            "colourBy",
            "Colour by",
            new SettingKind.OneField(),
            panel => panel.ColourBy,
            (panel, field) => panel with { ColourBy = field }
        );

    /// <summary>The fields that say when a dataset's records begin and end: its first date, and the next of the same kind.</summary>
    private protected static (FieldName? Start, FieldName? End) Ends(Dataset dataset)
    {
        Field[] dates = [.. dataset.Fields.Where(field => field is { Hidden: false, Formula: null, Type.HasDay: true })];
        var start = dates.OrderByDescending(field => field.Required).FirstOrDefault();
        return (start?.Name, dates.FirstOrDefault(field => field != start && field.Type.GetType() == start?.Type.GetType())?.Name);
    }
}
