using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Core.Files;
using Rostrum.Store;
using Rostrum.Web.Files;
using Rostrum.Web.Live.Panels.Table;

namespace Rostrum.Web.Live.Panels.Image;

/// <summary>A picture of a record. It is served so that nothing in it can run.</summary>
[Handles("GET", "Image")]
internal sealed class ImageHandler(FileStore files) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        var field = new FieldName(page.Value("field"));
        if (
            (page.ProposedOf ?? page.Asked?.Of) is not { } of
            || page.App.Datasets.Find(of) is not { } dataset
            || dataset.Find(field) is not { IsPicture: true }
            || RecordKey.Parse(dataset, page.Value("record")) is not { } key
            || await page.Run.OneAsync(ReadRequest.Of(dataset, key) with { Fields = [field] }, cancellation) is not { } record
        )
        {
            return page.NotFound();
        }

        if (record[field] is FileList { Files: [var first, ..] })
        {
            return await page.ServeAsync(files, first, small: page.Value("small").Length > 0, download: false, cancellation);
        }

        if (
            record[field] is not byte[] bytes
            || MediaTypes.Of(bytes.AsSpan(0, Math.Min(bytes.Length, MediaTypes.Looked)), "") is not { } type
            || !(MediaTypes.IsPicture(type) || type is MediaTypes.Drawing)
        )
        {
            return page.NotFound();
        }

        page.Response.Headers.ContentSecurityPolicy = "default-src 'none'; style-src 'unsafe-inline'; sandbox";
        page.Response.Headers.CacheControl = "private, max-age=60";
        return page.File(bytes, type);
    }
}
