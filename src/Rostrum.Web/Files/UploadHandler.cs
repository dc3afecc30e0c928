using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live;

namespace Rostrum.Web.Files;

/// <summary>Takes a file for a field that whoever sends it may fill. It belongs to the record once that is saved.</summary>
[Handles("POST", "Upload")]
internal sealed class UploadHandler(Uploads uploads) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        var name = new FieldName(page.Value("field"));
        if (
            page.Asked is not { Of: { } of }
            || page.App.Datasets.Find(of) is not { } dataset
            || dataset.Find(name) is not { ReadOnlyBecause: null } field
            || FormFiles.LimitsOf(field) is not { } limits
        )
        {
            return page.NotFound();
        }

        var grant = page.Run.Writing.For(dataset.Id);
        if (
            page.Run.Writing.ReadOnlyBecause is not null
            || !((grant.Allows(Verbs.Update) && grant.Writable.Has(name)) || (grant.Allows(Verbs.Create) && grant.WritableInNew.Has(name)))
        )
        {
            return page.StatusCode(StatusCodes.Status403Forbidden);
        }

        return UploadAnswer.Of(await uploads.TakeAsync(page.Request.Body, page.Value("name"), limits, cancellation));
    }
}
