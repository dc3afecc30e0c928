using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;

namespace Rostrum.Web.Security;

/// <summary>
/// Refuses a request with a character in it that no text may hold (U+0000), before anything is done with it: no database keeps it.
/// </summary>
internal sealed class ReadableInput : IAsyncPageFilter
{
    public Task OnPageHandlerSelectionAsync(PageHandlerSelectedContext context) => Task.CompletedTask;

    public async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        var request = context.HttpContext.Request;
        var texts = request.Query.SelectMany(part => part.Value.Append(part.Key));
        if (request.HasFormContentType)
        {
            texts = texts.Concat(
                (await request.ReadFormAsync(context.HttpContext.RequestAborted)).SelectMany(part => part.Value.Append(part.Key)));
        }

        if (texts.Any(text => text?.Contains('\0', StringComparison.Ordinal) == true))
        {
            context.Result = new StatusCodeResult(StatusCodes.Status400BadRequest);
            return;
        }

        await next();
    }
}
