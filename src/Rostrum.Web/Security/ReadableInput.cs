using System.Collections.Frozen;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;

namespace Rostrum.Web.Security;

/// <summary>
/// Refuses what no page can answer, before anything is done with it: a method that none has, a form that is none, and a character that
/// no text may hold (U+0000): no database keeps it.
/// </summary>
internal static class ReadableInput
{
    // A large upload is read where it is known who sends it, and how large it may be.
    private const long LargestReadFirst = 1_000_000;

    private static readonly FrozenSet<string> Methods = new[] { HttpMethods.Get, HttpMethods.Head, HttpMethods.Post }.ToFrozenSet(
        StringComparer.OrdinalIgnoreCase
    );

    public static void UseReadableInput(this IApplicationBuilder application) =>
        application.Use(
            async (context, next) =>
            {
                if (!Methods.Contains(context.Request.Method))
                {
                    context.Response.StatusCode = StatusCodes.Status405MethodNotAllowed;
                    context.Response.Headers.Allow = string.Join(", ", Methods);
                    Forget(context);
                }
                else if (context.Request.ContentLength is null or <= LargestReadFirst && !await IsReadableAsync(context))
                {
                    context.Response.StatusCode = StatusCodes.Status400BadRequest;
                    Forget(context);
                }
                else
                {
                    await next(context);
                }
            }
        );

    private static async Task<bool> IsReadableAsync(HttpContext context)
    {
        var request = context.Request;
        if (request.QueryString.Value?.Contains("%00", StringComparison.Ordinal) == true)
        {
            return false;
        }

        if (!request.HasFormContentType)
        {
            return true;
        }

        try
        {
            var form = await request.ReadFormAsync(context.RequestAborted);
            return !form.SelectMany(part => part.Value.Append(part.Key))
                .Any(text => text?.Contains('\0', StringComparison.Ordinal) == true);
        }
        catch (Exception exception) when (exception is InvalidDataException or BadHttpRequestException)
        {
            return false;
        }
    }

    // The page that says so must not read it either.
    private static void Forget(HttpContext context)
    {
        context.Request.Method = HttpMethods.Get;
        context.Features.Set<IFormFeature>(new FormFeature(FormCollection.Empty));
    }

    /// <summary>The same for what was too large to be read first; and for a handler that a page does not have.</summary>
    public sealed class Filter : IAsyncPageFilter
    {
        public Task OnPageHandlerSelectionAsync(PageHandlerSelectedContext context) => Task.CompletedTask;

        public async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
        {
            if (context.HttpContext.Request.ContentLength > LargestReadFirst && !await IsReadableAsync(context.HttpContext))
            {
                context.Result = new StatusCodeResult(StatusCodes.Status400BadRequest);
                return;
            }

            // A page that nobody answers for would be shown without anything having been read for it.
            if (
                context.HandlerMethod is null
                && (HttpMethods.IsPost(context.HttpContext.Request.Method) || context.HttpContext.Request.Query.ContainsKey("handler"))
            )
            {
                context.Result = new NotFoundResult();
                return;
            }

            await next();
        }
    }
}
