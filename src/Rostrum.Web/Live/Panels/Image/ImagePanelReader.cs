using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Image;

/// <summary>A picture's address and what it is of, or why there is none.</summary>
internal sealed record ImageView(string? Address, string Of, string? Caption, string? Because);

internal sealed class ImagePanelReader() : PanelReader<ImagePanel>("Image")
{
    protected override async Task<object?> ReadAsync(PageRun run, ImagePanel panel, CancellationToken cancellation)
    {
        if (
            run.App.Datasets.Find(panel.Dataset) is not { } dataset
            || panel.Picture is not { } picture
            || dataset.Find(picture) is not { IsPicture: true }
        )
        {
            return Nothing("This picture is no longer there.");
        }

        if (run.Record(panel, panel.Record) is not { } one)
        {
            return Nothing($"Choose a {dataset.RecordLabel} to see its picture.");
        }

        return await run.Gate.ReadAsync(
            run.App.Datasets,
            ReadRequest.Of(dataset, one.Key) with
            {
                Fields = [picture],
                Now = run.Context.Now,
            },
            run.Grants,
            cancellation
        ) switch
        {
            ReadResult.Rows { Records: [var record] } when record.Has(picture) && record[picture] is not null => new ImageView(
                $"{run.Path}?handler=Image&panel={panel.Name}&field={picture}&record={Uri.EscapeDataString(one.Key.ToText(dataset))}",
                $"{dataset.LabelOf(picture)} of {record.Title}",
                run.Text(panel, panel.Caption),
                null
            ),
            ReadResult.Rows { Records: [_] } => Nothing($"This {dataset.RecordLabel} has no picture."),
            ReadResult.Rows => Nothing($"This {dataset.RecordLabel} was deleted, or it is not open to you."),
            var result => Nothing(run.Because(result)!),
        };
    }

    private static ImageView Nothing(string because) => new(null, "", null, because);
}
