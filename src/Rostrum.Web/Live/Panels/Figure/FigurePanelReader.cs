using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Figure;

/// <summary>A figure as people read it, what it is of, or why there is none.</summary>
internal sealed record FigureView(string? Shown, string Of, string? Because);

internal sealed class FigurePanelReader() : PanelReader<FigurePanel>("Figure")
{
    protected override async Task<object?> ReadAsync(PageRun run, FigurePanel panel, CancellationToken cancellation)
    {
        if (run.App.Datasets.Find(panel.Dataset) is not { } dataset)
        {
            return new FigureView(null, "", "These records are no longer there.");
        }

        var (filter, because, _) = run.Narrowed(panel, panel.Within, panel.Filter);
        return filter is null ? new FigureView(null, dataset.LabelInSentence, because)
            : panel.Measure == "count" ? await CountAsync(run, panel, dataset, filter, cancellation)
            : panel.Field is { } field && dataset.Find(field) is { } of ? await TotalAsync(run, panel, dataset, of, filter, cancellation)
            : new FigureView(null, dataset.LabelInSentence, "The field is no longer there.");
    }

    private static async Task<FigureView> CountAsync(PageRun run, FigurePanel panel, Dataset dataset, Filter filter, CancellationToken cancellation)
    {
        var request = new ReadRequest(dataset.Id) { Filter = filter, Counted = true, Window = new PageWindow.FromStart(0, 1), Names = run.Names, Now = run.Context.Now };
        switch (await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation))
        {
            case ReadResult.Rows { Count: { } count }:
                run.Scope.Set(new PageValue(panel.Name, "value"), (decimal)count.Number);
                var words = count.Kind switch { CountKind.About => "about ", CountKind.MoreThan => "more than ", _ => "" };
                return new FigureView(words + count.Number.ToString("#,##0", run.Format.Culture), count.Number == 1 ? dataset.RecordLabel : dataset.LabelInSentence, null);
            case ReadResult.Denied denied:
                return new FigureView(null, dataset.LabelInSentence, denied.Reason);
            case ReadResult.Failed failed:
                return new FigureView(null, dataset.LabelInSentence, failed.Failure.Message);
            case ReadResult.Invalid invalid:
                return new FigureView(null, dataset.LabelInSentence, run.ForPeople(invalid.Problem));
            default:
                return new FigureView(null, dataset.LabelInSentence, "They cannot be counted.");
        }
    }

    private static async Task<FigureView> TotalAsync(PageRun run, FigurePanel panel, Dataset dataset, Field field, Filter filter, CancellationToken cancellation)
    {
        var (total, words) = panel.Measure switch { "sum" => (Total.Sum, "in all"), "average" => (Total.Average, "on average"), "least" => (Total.Least, "at least"), _ => (Total.Most, "at most") };
        var of = $"{field.Label.ToLowerInvariant()} {words}";
        switch (await run.Gate.TotalAsync(run.App.Datasets, new TotalRequest(dataset.Id, field.Name, total, filter) { Names = run.Names }, run.Grants, cancellation))
        {
            case TotalResult.Value value:
                run.Scope.Set(new PageValue(panel.Name, "value"), value.Number);
                var shown = total is Total.Average && value.Number is { } mean ? decimal.Round(mean, 2) : value.Number;
                return new FigureView(shown is null ? "–" : field.Format is null ? run.Format.Display(new FieldType.Number(), shown) : run.Format.Display(field, shown), of, null);
            case TotalResult.Denied denied:
                return new FigureView(null, of, denied.Reason);
            case TotalResult.Failed failed:
                return new FigureView(null, of, failed.Failure.Message);
            case TotalResult.Invalid invalid:
                return new FigureView(null, of, run.ForPeople(invalid.Problem));
            default:
                throw new InvalidOperationException("unknown result");
        }
    }
}
