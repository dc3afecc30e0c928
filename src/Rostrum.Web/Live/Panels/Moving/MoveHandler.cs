using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Panels.Moving;

/// <summary>What becomes of one field when a record is moved.</summary>
/// <param name="Field">The field.</param>
/// <param name="From">What it held when the record was lifted, in canonical text; null for a blank.</param>
/// <param name="To">What it holds from now on; null for a blank. Only where neither a distance nor neighbours are given.</param>
/// <param name="Days">So many days later by the workspace's clocks, whatever they do in between.</param>
/// <param name="Minutes">So many minutes later by those clocks.</param>
/// <param name="Between">It stands between these two, of which one may be null.</param>
internal sealed record Movement(string Field, string? From, string? To, int? Days, int? Minutes, string?[]? Between);

/// <summary>Moves a record about in a board, a calendar or a timeline: saves what its new place says, as a form would.</summary>
[Handles("POST", "Move")]
internal sealed class MoveHandler(Undoing undoing, CurrentPerson person) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        await page.PrepareAsync(cancellation);
        if (
            page.Named is not ListPanel panel
            || !await new PageReading(page.Run).IsThereAsync(panel, cancellation)
            || page.App.Datasets.Find(panel.Dataset) is not { } dataset
            || RecordKey.Parse(dataset, page.Value("record")) is not { } key
            || KindJson.Read<Movement[]>(page.Value("moves")) is not { Length: > 0 and <= 4 } moves
            || moves.Any(move => !panel.MovedFields.Contains(new FieldName(move.Field)) || dataset.Find(new FieldName(move.Field)) is null)
        )
        {
            return page.BadRequest();
        }

        var (original, values) = (FieldValues.None, FieldValues.None);
        ImmutableArray<Change> pushed = [];
        foreach (var move in moves)
        {
            var field = dataset[new FieldName(move.Field)];
            if (Read(field, move.From) is not { } from)
            {
                return await SaidAsync(page, panel, "Not moved: there is no such place.", cancellation);
            }

            var to = After(page.Run, field, from.Is, move);
            if (
                to is null
                && panel is BoardPanel board
                && Low(field, move) is { } low
                && await ColumnAsync(page.Run, board, dataset, key, moves, cancellation) is { } column
                && await OrderMaking.PushedAsync(page.Run, board, dataset, column.Is, key, low, cancellation) is { } others
            )
            {
                (to, pushed) = (new Parsed.Value(OrderMaking.Of(field, low + OrderMaking.Step(field))), others);
            }

            if (to is null)
            {
                return await SaidAsync(page, panel, "Not moved: there is no such place.", cancellation);
            }

            (original, values) = (original.With(field.Name, from.Is), values.With(field.Name, to.Is));
        }

        var changes = new ChangeSet(dataset.Id, [new Change.Update(key, original, values), .. pushed]);
        Task<SaveResult> SaveAsync(ImmutableArray<string> seen) =>
            page.Run.Gate.SaveAsync(page.App.Datasets, changes with { SeenWarnings = seen }, page.Run.Writing, cancellation);

        // What only warns does not stop a move, which can be taken back; it is said with it.
        var (result, warning) = (await SaveAsync([]), "");
        if (result is SaveResult.Warned warned)
        {
            warning = " " + FieldProblem.Said(dataset, warned.Problems);
            result = await SaveAsync([.. warned.Problems.Select(problem => problem.Message)]);
        }

        switch (result)
        {
            case SaveResult.Saved { Changes: [var one, ..] saved }:
                var noun = char.ToUpper(dataset.RecordLabel[0], page.Run.Format.Culture) + dataset.RecordLabel[1..];
                var said = $"{noun} “{one.Title}” moved.{warning}";
                page.Said = new AppPageModel.Message(said, await undoing.KeepAsync(person.KeepsAs, dataset, saved, said, cancellation));
                return await page.NowAsync(
                    page.Run.State,
                    [dataset.Id],
                    one.Key is { } now ? (dataset.Id, now) : null,
                    [panel.Name],
                    cancellation
                );
            case SaveResult.Invalid invalid:
                return await SaidAsync(page, panel, $"Not moved: {FieldProblem.Said(dataset, invalid.Problems)}", cancellation);
            case SaveResult.Warned again:
                return await SaidAsync(page, panel, $"Not moved: {FieldProblem.Said(dataset, again.Problems)}", cancellation);
            case SaveResult.Conflict:
                return await SaidAsync(
                    page,
                    panel,
                    $"Not moved: somebody changed this {dataset.RecordLabel} meanwhile. It is shown as it is now.",
                    cancellation
                );
            case SaveResult.Denied denied:
                return await SaidAsync(page, panel, $"Not moved: {denied.Reason}", cancellation);
            case SaveResult.Failed failed:
                return await SaidAsync(page, panel, $"Not moved: {page.Run.Words(failed.Failure)}", cancellation);
            case SaveResult.Uncertain:
                return await SaidAsync(page, panel, SaveResult.Uncertain.Words, cancellation);
            default:
                throw new InvalidOperationException("one change was asked for");
        }
    }

    // What was lifted is put back where it is.
    private static Task<IActionResult> SaidAsync(AppPageModel page, ListPanel panel, string said, CancellationToken cancellation)
    {
        page.Said = new AppPageModel.Message(said);
        return page.NowAsync(page.Run.State, [], null, [panel.Name], cancellation);
    }

    private static Parsed.Value? Read(Field field, string? text) =>
        text is null ? new Parsed.Value(null) : FieldText.FromCanonical(field.Type, text) as Parsed.Value;

    // The number of the card after which one is put.
    private static decimal? Low(Field field, Movement move) =>
        move.Between is [{ } before, _] && Read(field, before) is { Is: { } low }
            ? Convert.ToDecimal(low, System.Globalization.CultureInfo.InvariantCulture)
            : null;

    // The value of the column into which a card goes, or in which it stays.
    private static async Task<Parsed.Value?> ColumnAsync(
        PageRun run,
        BoardPanel board,
        Dataset dataset,
        RecordKey key,
        Movement[] moves,
        CancellationToken cancellation
    )
    {
        var by = board.By!.Value;
        if (moves.FirstOrDefault(move => move.Field == by.Value) is { } across)
        {
            return Read(dataset[by], across.To);
        }

        var request = ReadRequest.Of(dataset, key) with { Fields = [by], Now = run.Context.Now };
        return
            await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation) is ReadResult.Rows { Records: [var record] }
            && record.Has(by)
            ? new Parsed.Value(record[by])
            : null;
    }

    private static Parsed.Value? After(PageRun run, Field field, object? from, Movement move)
    {
        if (move.Between is [var before, var next])
        {
            return Read(field, before) is { } low && Read(field, next) is { } high ? Middle(field, low.Is, high.Is) : null;
        }

        if (move is { Days: null, Minutes: null })
        {
            return Read(field, move.To);
        }

        var by =
            TimeSpan.FromDays(Math.Clamp(move.Days ?? 0, -36_600, 36_600))
            + TimeSpan.FromMinutes(Math.Clamp(move.Minutes ?? 0, -1_440, 1_440));
        try
        {
            return from switch
            {
                null => new Parsed.Value(null),
                DateOnly day => new Parsed.Value(day.AddDays(by.Days)),
                DateTime local => new Parsed.Value(local + by),
                DateTimeOffset instant => new Parsed.Value(
                    DayRange.Instant(TimeZoneInfo.ConvertTime(instant, run.Format.Zone).DateTime + by, run.Format.Zone)
                ),
                _ => null,
            };
        }
        catch (ArgumentOutOfRangeException)
        {
            return null;
        }
    }

    // A number between two: half way, or a step beyond the only one. Null where whole numbers leave no room.
    private static Parsed.Value? Middle(Field field, object? before, object? next)
    {
        decimal? low = before is null ? null : Convert.ToDecimal(before, System.Globalization.CultureInfo.InvariantCulture);
        decimal? high = next is null ? null : Convert.ToDecimal(next, System.Globalization.CultureInfo.InvariantCulture);
        var middle = (low, high) switch
        {
            ({ } one, { } other) => one + ((other - one) / 2),
            ({ } one, null) => one + 10,
            (null, { } other) => other - 10,
            _ => 0,
        };
        if (field.Type is FieldType.Integer)
        {
            middle = decimal.Floor(middle);
        }
        else if (field.Type is FieldType.Number { Scale: { } scale })
        {
            middle = decimal.Round(middle, scale);
        }

        return middle == low || middle == high ? null : new Parsed.Value(OrderMaking.Of(field, middle));
    }
}
