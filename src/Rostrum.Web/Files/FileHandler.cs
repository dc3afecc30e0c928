using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Core.Files;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.Live.Panels.Table;

namespace Rostrum.Web.Files;

/// <summary>A file of a record, to whoever may read its field. It is served so that nothing in it can run.</summary>
[Handles("GET", "File")]
internal sealed class FileHandler(FileStore files) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        var (field, hash) = (new FieldName(page.Value("field")), page.Value("file"));
        return
            (page.ProposedOf ?? page.Asked?.Of) is { } of
            && page.App.Datasets.Find(of) is { } dataset
            && dataset.Find(field) is { } known
            && (known.Type is FieldType.Files || known.Format is DisplayFormat.RichText)
            && RecordKey.Parse(dataset, page.Value("record")) is { } key
            && await page.Run.OneAsync(ReadRequest.Of(dataset, key) with { Fields = [field] }, cancellation) is { } record
            && Found(record[field], hash) is { } file
            ? await page.ServeAsync(
                files,
                file,
                small: page.Value("small").Length > 0,
                download: page.Value("download").Length > 0,
                cancellation
            )
            : page.NotFound();
    }

    private static FileReference? Found(object? value, string hash) =>
        value switch
        {
            FileList list => list.Files.FirstOrDefault(file => file.Hash == hash),
            string text when RichText.Has(text, hash) => new FileReference("picture", "", 0, hash),
            _ => null,
        };
}
