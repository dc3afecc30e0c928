using System.Collections.Immutable;
using System.Text.Json;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Sheet;

namespace Rostrum.Web.Live.Panels.Calendar.Import;

/// <summary>An event of a calendar file as it would stand in a record: its texts are canonical.</summary>
internal sealed record ImportedEvent(string Title, string Start, string? End);

/// <summary>What would come of one event.</summary>
internal sealed record ImportedLine(string Title, string When, string? Because, ImmutableArray<string> Warnings);

/// <summary>What is about to be added from a calendar file.</summary>
internal sealed record ImportView(string Action, Dataset Dataset, ImmutableArray<ImportedEvent> Events, RecordFormView.Open Form)
{
    /// <summary>The fields into which titles can go, that into which they do first.</summary>
    public ImmutableArray<Field> Titles { get; init; } = [];

    /// <summary>What would come of each; null where it has not been tried.</summary>
    public ImmutableArray<ImportedLine>? Lines { get; init; }

    /// <summary>How many events of the file say in no readable way when they are: they are left out.</summary>
    public int LeftOut { get; init; }

    /// <summary>What keeps all of it from being added.</summary>
    public string? Problem { get; init; }

    public int Possible => Lines?.Count(line => line.Because is null) ?? 0;

    public string Noun(int count) => count == 1 ? Dataset.RecordLabel : Dataset.LabelInSentence;

    public string EventsText => JsonSerializer.Serialize(Events);
}

/// <summary>Adds the events of a calendar file (RFC 5545) to a calendar, once it was shown what would come of it.</summary>
internal sealed class CalendarImport(PageRun run, CalendarPanel panel, Dataset dataset, Field start, Field? end)
{
    /// <summary>So large may a file be, in bytes.</summary>
    public const int LargestFile = 1024 * 1024;

    private const int MostEvents = 500;
    private const int DaysOfRecurring = 366;
    private const int LongestTitle = 500;

    /// <summary>The fields into which an event's title can go: those that name a record, then those with room for more words.</summary>
    public static IEnumerable<Field> TitleFields(CalendarPanel panel, Dataset dataset, Grant grant)
    {
        FieldName[] naming = [.. dataset.Title.Where(part => part.Relations.IsEmpty).Select(part => part.Field)];
        return naming
            .Concat(panel.SheetFields)
            .Distinct()
            .Select(dataset.Find)
            .OfType<Field>()
            .Where(field =>
                field is { Type: FieldType.Text, IsWritten: true }
                && dataset.RelationOf(field.Name) is null
                && grant.WritableInNew.Has(field.Name)
            )
            .OrderByDescending(field => naming.Contains(field.Name))
            .ThenByDescending(field => field.Type.IsLong);
    }

    private readonly Grant _grant = run.Grants.For(dataset.Id);

    private ImmutableArray<Field> Titles => _titles ??= [.. TitleFields(panel, dataset, _grant)];

    private ImmutableArray<Field>? _titles;

    /// <summary>The name of the field that was chosen for titles.</summary>
    public string? Into { get; init; }

    private Field Title => Titles.FirstOrDefault(known => known.Name.Value == Into) ?? Titles[0];

    /// <summary>The events of a file, with how many are left out as they say in no readable way when they are; or what is wrong.</summary>
    public (ImmutableArray<ImportedEvent> Events, int LeftOut, string? Problem) Read(string text)
    {
        Ical.Net.CalendarCollection calendars;
        try
        {
            calendars = Ical.Net.CalendarCollection.Load(text);
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            return ([], 0, "The file is no calendar: it must be an iCalendar file, as calendar programs export it (.ics).");
        }

        var events = ImmutableArray.CreateBuilder<ImportedEvent>();
        var last = run.Context.Today.AddDays(DaysOfRecurring);
        var occurrences =
            from of in calendars.SelectMany(calendar => calendar.Events)
            from one in of.GetOccurrences().TakeWhile(one => of.RecurrenceRule is null || one.Period.StartTime.Date <= last)
            select (of, one);
        foreach (var (of, occurrence) in occurrences)
        {
            if (events.Count == MostEvents)
            {
                return ([], 0, $"The file has more than {MostEvents} events: export a shorter time.");
            }

            var title = string.IsNullOrWhiteSpace(of.Summary) ? "Untitled" : of.Summary.Trim();
            events.Add(
                new ImportedEvent(
                    title.Length > LongestTitle ? title[..LongestTitle] : title,
                    FieldText.ToCanonical(start.Type, ValueOf(start, occurrence.Period.StartTime, isEnd: false)),
                    end is not null && occurrence.Period.EffectiveEndTime is { } until
                        ? FieldText.ToCanonical(end.Type, ValueOf(end, until, isEnd: true))
                        : null
                )
            );
        }

        var leftOut = calendars.Sum(calendar => calendar.Events.Count(of => !of.GetOccurrences().Any()));
        return events.Count == 0 ? ([], leftOut, "There are no events in the file.") : (events.ToImmutable(), leftOut, null);
    }

    /// <summary>The events that a form carries from one step to the next; none where they cannot be read.</summary>
    public static ImmutableArray<ImportedEvent> Carried(string text)
    {
        try
        {
            return JsonSerializer.Deserialize<ImmutableArray<ImportedEvent>?>(text) is { IsDefault: false, Length: <= MostEvents } events
                ? events
                : [];
        }
        catch (JsonException)
        {
            return [];
        }
    }

    // An hour of a program without a zone is one of the workspace's clocks. The end of whole days is the day after the last.
    private object ValueOf(Field field, CalDateTime at, bool isEnd)
    {
        var local =
            !at.HasTime ? at.Date.ToDateTime(TimeOnly.MinValue)
            : at.IsFloating ? at.Value
            : TimeZoneInfo.ConvertTimeFromUtc(at.AsUtc, run.Format.Zone);
        return field.Type switch
        {
            FieldType.Date => DateOnly.FromDateTime(isEnd && !at.HasTime ? local.AddDays(-1) : local),
            FieldType.LocalDateTime => local,
            _ => DayRange.Instant(local, run.Format.Zone),
        };
    }

    /// <summary>The form for what all of them have in common, with nothing in it but defaults.</summary>
    public ImportView Begin(ImmutableArray<ImportedEvent> events)
    {
        FieldName[] given = [Title.Name, start.Name, .. end is null ? [] : new[] { end.Name }];
        return new ImportView(
            run.State.At(run.Path, ("handler", "Import"), ("panel", panel.Name)),
            dataset,
            events,
            new RecordFormView.Open
            {
                Dataset = dataset,
                Grant = _grant,
                Title = "",
                IsNew = true,
                KeyText = null,
                Path = run.Path,
                State = run.State,
                AddressOf = run.AddressOf,
                Panel = panel.Name,
                Form = new RecordForm([
                    .. RecordForm
                        .Of(dataset, panel.SheetFields.Except(given), _grant, null, run.Format, run.Grants.User, "import")
                        .Fields.Where(field => field.ReadOnlyBecause is null && field.Field.Type.IsTyped),
                ]),
            }
        )
        {
            Titles = [Title, .. Titles.Where(other => other != Title)],
        };
    }

    /// <summary>What would come of it, or what is wrong with what was typed.</summary>
    public async Task<ImportView> TryAsync(ImportView view, CancellationToken cancellation)
    {
        var typed = view.Form.Form.Read(run.Format);
        if (!typed.Problems.IsEmpty)
        {
            return view with { Form = view.Form with { Form = view.Form.Form.WithProblems(typed.Problems) } };
        }

        return await run.Gate.SaveEachAsync(
            run.App.Datasets,
            Changes(view, typed.Changed),
            ManyChanges.Tried,
            run.Grants,
            cancellation
        ) switch
        {
            ManyResult.Done done => view with
            {
                Lines = [.. view.Events.Zip(done.Each, (one, each) => new ImportedLine(one.Title, When(one), each.Because, each.Warnings))],
            },
            ManyResult.Denied denied => view with { Problem = denied.Reason },
            ManyResult.Failed failed => view with { Problem = run.Words(failed.Failure) },
            _ => throw new InvalidOperationException("unknown result"),
        };
    }

    /// <summary>Adds those that can be added.</summary>
    /// <returns>What was saved; or null, with the view that says why nothing was.</returns>
    public async Task<(ImmutableArray<SavedChange>? Saved, ImportView View)> AddAsync(ImportView view, CancellationToken cancellation)
    {
        var typed = view.Form.Form.Read(run.Format);
        if (!typed.Problems.IsEmpty || view.Events.IsEmpty)
        {
            return (null, await TryAsync(view, cancellation));
        }

        return await run.Gate.SaveEachAsync(
            run.App.Datasets,
            Changes(view, typed.Changed),
            ManyChanges.ThosePossible,
            run.Writing,
            cancellation
        ) switch
        {
            ManyResult.Done { Written: true } done => ([.. done.Each.Select(one => one.Saved).OfType<SavedChange>()], view),
            ManyResult.Done => (null, await TryAsync(view, cancellation)),
            ManyResult.Denied denied => (null, view with { Problem = denied.Reason }),
            ManyResult.Failed failed => (null, view with { Problem = run.Words(failed.Failure) + " Nothing was added." }),
            _ => throw new InvalidOperationException("unknown result"),
        };
    }

    private ChangeSet Changes(ImportView view, FieldValues common) =>
        new(dataset.Id, [.. view.Events.Select(one => (Change)new Change.Insert(Values(one, common)))]);

    private FieldValues Values(ImportedEvent one, FieldValues common)
    {
        var values = common.With(Title.Name, one.Title);
        foreach (var (field, text) in new[] { (start, one.Start), (end, one.End) })
        {
            if (field is not null && text is not null && FieldText.FromCanonical(field.Type, text) is Parsed.Value value)
            {
                values = values.With(field.Name, value.Is);
            }
        }

        return values;
    }

    private string When(ImportedEvent one)
    {
        string Shown(Field field, string text) =>
            FieldText.FromCanonical(field.Type, text) is Parsed.Value value ? run.Format.Display(field, value.Is) : text;
        return Shown(start, one.Start) + (end is not null && one.End is { } until ? $" to {Shown(end, until)}" : "");
    }
}
