using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Moving;

/// <summary>Makes room in a column's order, where the numbers of two neighbours leave none between them.</summary>
internal static class OrderMaking
{
    private const int MostPushed = 500;

    /// <summary>By how much a card stands after another where there is no number between the two: the least that the field keeps.</summary>
    public static decimal Step(Field field) => field.Type is FieldType.Number { Scale: { } scale } ? (decimal)Math.Pow(10, -scale) : 1;

    /// <summary>The changes by which the cards after one make room for another: as few as there are up to the next gap.</summary>
    /// <param name="run">The look at the page.</param>
    /// <param name="board">The board.</param>
    /// <param name="dataset">Its dataset.</param>
    /// <param name="column">The value of the column.</param>
    /// <param name="moved">The record that is moved: it takes the place after <paramref name="low"/>.</param>
    /// <param name="low">The number of the card after which it stands.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <returns>The changes; null where there are too many, or they cannot be read.</returns>
    public static async Task<ImmutableArray<Change>?> PushedAsync(
        PageRun run,
        BoardPanel board,
        Dataset dataset,
        object? column,
        RecordKey moved,
        decimal low,
        CancellationToken cancellation
    )
    {
        var field = dataset[board.OrderField!.Value];
        var step = Step(field);
        var request = new ReadRequest(dataset.Id)
        {
            Fields = [field.Name],
            Filter = new Filter.And([
                new Filter.OneOf(board.By!.Value, [column]),
                new Filter.Compare(field.Name, Comparison.More, Of(field, low)),
            ]),
            Sort = [new SortBy(field.Name)],
            Window = new PageWindow.FromStart(0, MostPushed),
            Now = run.Context.Now,
        };
        if (await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation) is not ReadResult.Rows rows)
        {
            return null;
        }

        var changes = ImmutableArray.CreateBuilder<Change>();
        var taken = low + step;
        foreach (var record in rows.Records.Where(record => record.Key is not null && !record.Key.Equals(moved)))
        {
            if (
                record[field.Name] is not { } value
                || Convert.ToDecimal(value, CultureInfo.InvariantCulture) is var number && number > taken
            )
            {
                return changes.ToImmutable();
            }

            taken += step;
            changes.Add(
                new Change.Update(
                    record.Key!,
                    FieldValues.None.With(field.Name, value),
                    FieldValues.None.With(field.Name, Of(field, taken))
                )
            );
        }

        return rows.HasLater ? null : changes.ToImmutable();
    }

    /// <summary>A number as the field keeps it.</summary>
    public static object Of(Field field, decimal number) =>
        field.Type switch
        {
            FieldType.Integer => (long)number,
            FieldType.Floating => (double)number,
            _ => number,
        };
}
