using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Visuals;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>Reads the points of a scatter: one for each record, in its own request, and not grouped.</summary>
internal static class ScatterReading
{
    private const int MostPoints = 1_000;
    private const double UsualRadius = 4;
    private const double GreatestRadius = 16;

    public static async Task<ChartView> ReadAsync(ChartView view, Filter filter, CancellationToken cancellation)
    {
        var (run, panel, dataset) = (view.Run, view.Panel, view.Dataset);
        Field? Number(FieldName? name) => name is { } known && dataset.Find(known) is { Type.IsNumeric: true } field ? field : null;
        if (Number(panel.Field) is not { } x || Number(panel.SecondField) is not { } y)
        {
            return view with { Because = "Choose the two fields with numbers that the points stand by." };
        }

        var size = Number(panel.SizeField);
        var readable = run.Grants.For(dataset.Id).Readable;
        if (new[] { x, y, size }.OfType<Field>().FirstOrDefault(field => !readable.Has(field.Name)) is { } hidden)
        {
            return view with { Because = $"{dataset.LabelOf(hidden.Name)} is not there for you, so the chart is not either." };
        }

        var request = new ReadRequest(dataset.Id)
        {
            Fields = [.. new[] { x.Name, y.Name }.Union(size is null ? [] : [size.Name])],
            Filter = Filter.Both(
                filter,
                new Filter.Not(new Filter.Or([new Filter.OneOf(x.Name, [null]), new Filter.OneOf(y.Name, [null])]))
            ),
            Window = new PageWindow.FromStart(0, MostPoints),
            Counted = true,
            Names = run.Names,
            Now = run.Context.Now,
        };
        var result = await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation);
        return result is ReadResult.Rows rows
            ? view with
            {
                Scatter = Of(view, rows, x, y, size),
            }
            : view with
            {
                Because = run.Because(result),
            };
    }

    private static ScatterView Of(ChartView view, ReadResult.Rows rows, Field x, Field y, Field? size)
    {
        var run = view.Run;
        Record[] records = [.. rows.Records.Where(record => NumberOf(record, x) is not null && NumberOf(record, y) is not null)];
        var xs = ValueAxis.Of(records.Select(record => NumberOf(record, x)!.Value), withZero: false);
        var ys = ValueAxis.Of(records.Select(record => NumberOf(record, y)!.Value), withZero: false);
        var largest = size is null ? 0 : records.Max(record => Math.Abs(NumberOf(record, size) ?? 0));
        string Whole(int number) => number.ToString("#,##0", run.Format.Culture);
        string Shown(Record record, Field field) => run.Format.Display(field, record[field.Name]);
        return new ScatterView(
            new ScatterAxis(x, xs, new ChartWords(run.Format, x, Total.Sum, isShare: false)),
            new ScatterAxis(y, ys, new ChartWords(run.Format, y, Total.Sum, isShare: false)),
            [
                .. records.Select(record => new ScatterPoint(
                    xs.At(NumberOf(record, x)!.Value),
                    ys.At(NumberOf(record, y)!.Value),
                    size is null || largest == 0
                        ? UsualRadius
                        : Math.Max(2, GreatestRadius * Math.Sqrt(Math.Abs(NumberOf(record, size) ?? 0) / largest)),
                    $"{record.Title}: {Wording.InSentence(x.Label)} {Shown(record, x)}, {Wording.InSentence(y.Label)} {Shown(record, y)}"
                        + (size is null ? "" : $", {Wording.InSentence(size.Label)} {Shown(record, size)}"),
                    run.IsPublic ? null : run.AddressOf(view.Dataset, record.Key),
                    [record.Title, Shown(record, x), Shown(record, y), .. size is null ? [] : new[] { Shown(record, size) }]
                )),
            ],
            rows.HasLater && rows.Count is { } count
                ? $"The first {Whole(MostPoints)} of {count.Said(run.Format.Culture)} {view.Dataset.LabelInSentence}."
                : null
        );
    }

    private static double? NumberOf(Record record, Field field) =>
        record.Has(field.Name) && record[field.Name] is { } value and not Unreadable
            ? Convert.ToDouble(value, CultureInfo.InvariantCulture)
            : null;
}
