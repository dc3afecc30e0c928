using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>Reads the records behind a mark of a chart.</summary>
internal static class RecordsReading
{
    private const int AtOnce = 50;
    private const int MostColumns = 5;

    public static async Task<ChartRecords> ReadAsync(
        ChartView view,
        Filter narrowed,
        FigurePeriod? period,
        CancellationToken cancellation
    )
    {
        var (run, dataset, state, by) = (view.Run, view.Dataset, view.State, view.By!);
        var isRest = state.Group == ChartView.Rest;
        var key = by.Parse(state.Group!);
        var filter = Filter.Both(narrowed, isRest ? Others(view) : by.Is(key, run.Format.Zone));
        if (period is not null)
        {
            filter = Filter.Both(filter, DayRange.Between(by.Field, period.From, period.Until.AddDays(1), run.Format.Zone));
        }

        var split = state.Series is { } series && view.Split is { } known ? known.Parse(series) : null;
        if (state.Series is not null && view.Split is not null)
        {
            filter = Filter.Both(filter, view.Split.Is(split, run.Format.Zone));
        }

        ImmutableArray<FieldName> columns =
        [
            .. AppDrafting
                .Table("records", dataset)
                .Columns.Where(column => dataset.Title.All(part => part.Field != column || !part.Relations.IsEmpty))
                .Take(MostColumns),
        ];
        var request = new ReadRequest(dataset.Id)
        {
            Fields = columns,
            Titles = dataset.RelationsAt(columns),
            Filter = filter,
            Sort = AppDrafting.UsualOrder(dataset),
            Window = new PageWindow.FromStart((long)(state.Page - 1) * AtOnce, AtOnce),
            Counted = true,
            Names = run.Names,
            Now = run.Context.Now,
        };
        var label = string.Join(
            " · ",
            new[]
            {
                isRest ? "Others" : Label(view.Figures.Categories.FirstOrDefault(category => Equals(category.Key, key) && !category.IsRest)?.Label, by, key),
                state.Series is null || view.Split is null
                    ? null
                    : Label(view.Figures.Series.FirstOrDefault(of => Equals(of.Key, split))?.Label, view.Split, split),
            }.OfType<string>()
        );
        string Label(string? shown, Dimension dimension, object? of) => shown ?? dimension.Label(of, null, run.Format);
        var none = new ChartRecords(label, [.. columns.Select(dataset.LabelOf)], [], "", null);
        switch (await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation))
        {
            case ReadResult.Rows rows:
                var first = ((long)(state.Page - 1) * AtOnce) + 1;
                return none with
                {
                    Rows =
                    [
                        .. rows.Records.Select(record =>
                            (record.Title, run.AddressOf(dataset, record.Key), ShownField.Of(run.Format, dataset, columns, record))
                        ),
                    ],
                    Count = rows.Count is not { } count ? ""
                        : rows.Records.IsEmpty || (state.Page == 1 && !rows.HasLater) ? count.Said(run.Format.Culture)
                        : $"{Whole(first)}–{Whole(first + rows.Records.Length - 1)} of {count.Said(run.Format.Culture)}",
                    Earlier = state.Page > 1 ? view.Address(state with { Page = state.Page - 1 }) : null,
                    Later = rows.HasLater ? view.Address(state with { Page = state.Page + 1 }) : null,
                };
            case ReadResult.Denied denied:
                return none with { Because = denied.Reason };
            case ReadResult.Failed failed:
                return none with { Because = run.Words(failed.Failure) };
            case ReadResult.Invalid invalid:
                return none with { Because = run.ForPeople(invalid.Problem) };
            default:
                throw new InvalidOperationException("unknown result");
        }

        string Whole(long number) => number.ToString("#,##0", run.Format.Culture);
    }

    // Those that have no place of their own: a blank has one, or is not shown at all.
    private static Filter.Not Others(ChartView view) =>
        new(
            new Filter.OneOf(
                view.By!.Field.Name,
                [.. view.Figures.Categories.Where(category => !category.IsRest).Select(category => category.Key).Append(null).Distinct()]
            )
        );
}
