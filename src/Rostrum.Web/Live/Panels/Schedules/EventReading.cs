using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Panels.Moving;

namespace Rostrum.Web.Live.Panels.Schedules;

/// <summary>A record with its place in time.</summary>
/// <param name="Record">The record.</param>
/// <param name="Key">Its key.</param>
/// <param name="Title">What names it here.</param>
/// <param name="From">When it begins, by the workspace's clocks.</param>
/// <param name="Until">When it is over; the same moment where it is one.</param>
/// <param name="Stays">Why it stays where it is; null where it can be moved.</param>
internal sealed record Event(Record Record, string? Key, string Title, DateTime From, DateTime Until, string? Stays)
{
    /// <summary>The number of its option's colour; null where it has none.</summary>
    public int? Colour { get; init; }

    /// <summary>What its colour says.</summary>
    public string? ColourSays { get; init; }

    /// <summary>When it begins and ends, in canonical text.</summary>
    public string? Start { get; init; }

    /// <summary>When it ends, in canonical text; null where it does not say.</summary>
    public string? End { get; init; }

    /// <summary>It says on which days it is, and not at which hours.</summary>
    public bool IsWholeDay { get; init; }

    /// <summary>The last day on which it is.</summary>
    public DateOnly LastDay => DateOnly.FromDateTime(Until > From && Until.TimeOfDay == TimeSpan.Zero ? Until.AddDays(-1) : Until);
}

/// <summary>Records that lie in a stretch of time.</summary>
/// <param name="view">The panel's view, before its records are read.</param>
/// <param name="start">The field that says when each begins.</param>
/// <param name="end">The field that says when it ends; null where none does.</param>
internal sealed class EventReading(ScheduleView view, Field start, Field? end)
{
    private readonly PageRun _run = view.Run;
    private readonly SchedulePanel _panel = view.Schedule;
    private readonly Dataset _dataset = view.Dataset;

    /// <summary>What is said where no field gives the records their place.</summary>
    public const string NoPlace = "Choose the date field at which a record begins.";

    /// <summary>The fields that are read beside those of the place in time.</summary>
    public ImmutableArray<FieldName> Fields { get; init; } = [];

    /// <summary>What names each; its title where blank.</summary>
    public string? Title { get; init; }

    /// <summary>So many are read and no more.</summary>
    public int Most { get; init; } = 1_000;

    /// <summary>Records that lie in a stretch of the calendar, in part at least.</summary>
    public async Task<(ReadResult Result, ImmutableArray<Event> Events)> ReadAsync(
        Filter narrowed,
        DateOnly from,
        DateOnly until,
        CancellationToken cancellation
    )
    {
        var formulas = new RecordFormulas(_run, _panel, "event");
        var title = formulas.Setting(Title);
        var colour = _panel.ColourBy is { } by ? _dataset.Find(by) : null;
        FieldName[] fields =
        [
            .. Fields
                .Append(start.Name)
                .Concat(end is null ? [] : [end.Name])
                .Concat(colour is null ? [] : [colour.Name])
                .Where(name => _dataset.Find(name) is not null)
                .Distinct(),
        ];
        var request = new ReadRequest(_dataset.Id)
        {
            Fields = [.. fields],
            Titles = _dataset.RelationsAt(fields),
            Computed = formulas.Columns,
            Filter = Filter.Both(narrowed, Within(from, until)),
            Search = view.State.Search,
            Sort = view.Grant.Readable.Has(start.Name) ? [new SortBy(start.Name)] : [],
            Window = new PageWindow.FromStart(0, Most),
            Counted = true,
            Names = _run.Names,
            Now = _run.Context.Now,
        };
        var result = await _run.Gate.ReadAsync(_run.App.Datasets, request, _run.Grants, cancellation);
        if (result is not ReadResult.Rows rows)
        {
            return (result, []);
        }

        var rights = await MoveRights.OfAsync(_run, _panel, _dataset, _panel.MovedFields, rows.Records, cancellation);
        return (rows, [.. rows.Records.Select(record => Of(record, title, colour, rights)).OfType<Event>()]);
    }

    /// <summary>Those that begin before the stretch is over and are not over before it begins.</summary>
    public Filter Within(DateOnly from, DateOnly until)
    {
        var inIt = DayRange.Between(start, from, until, _run.Format.Zone);
        if (end is null)
        {
            return inIt;
        }

        var before = ((Filter.Compare)inIt.Parts[1]).Value;
        var after = ((Filter.Compare)inIt.Parts[0]).Value;
        return new Filter.Or([
            inIt,
            new Filter.And([
                new Filter.Compare(start.Name, Comparison.Less, before),
                new Filter.Compare(end.Name, Comparison.AtLeast, after),
            ]),
        ]);
    }

    private Event? Of(Record record, RecordValue title, Field? colour, MoveRights rights)
    {
        if (!record.Has(start.Name) || Local(record[start.Name]) is not { } from)
        {
            return null;
        }

        var isWholeDay = start.Type is FieldType.Date;
        var ends = end is not null && record.Has(end.Name) ? Local(record[end.Name]) : null;
        var until =
            ends is { } known ? (isWholeDay ? known.AddDays(1) : known)
            : isWholeDay ? from.AddDays(1)
            : from;
        var option = colour is not null && record.Has(colour.Name) ? record[colour.Name] as string : null;
        string? Canonical(Field field) =>
            record.Has(field.Name) && record[field.Name] is { } value and not Unreadable ? FieldText.ToCanonical(field.Type, value) : null;
        return new Event(
            record,
            record.Key?.ToText(_dataset),
            Title is not null && title.Shown(record) is { Length: > 0 } own ? own : record.Title,
            from,
            until < from ? from : until,
            rights.Stays(_dataset, record.Key)
        )
        {
            Colour = option is null ? null : colour!.Look(option)?.Colour,
            ColourSays = option is null ? null : colour!.LabelOf(option),
            Start = Canonical(start),
            End = end is null ? null : Canonical(end),
            IsWholeDay = isWholeDay,
        };
    }

    /// <summary>What the workspace's clocks show; null for a blank.</summary>
    public DateTime? Local(object? value) =>
        value switch
        {
            DateOnly day => day.ToDateTime(TimeOnly.MinValue),
            DateTime local => local,
            DateTimeOffset instant => TimeZoneInfo.ConvertTime(instant, _run.Format.Zone).DateTime,
            _ => null,
        };
}
