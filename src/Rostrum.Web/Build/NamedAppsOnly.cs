using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Web.People;

namespace Rostrum.Web.Build;

/// <summary>
/// Whose roles name the apps that they build finds these in Build and nothing else: sources, datasets and workflows are everybody's.
/// </summary>
internal sealed class NamedAppsOnly(CurrentPerson person) : IAsyncPageFilter
{
    public Task OnPageHandlerSelectionAsync(PageHandlerSelectedContext context) => Task.CompletedTask;

    public async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        var cancellation = context.HttpContext.RequestAborted;
        var page = ((CompiledPageActionDescriptor)context.ActionDescriptor).ViewEnginePath;
        var isOpen =
            !page.StartsWith("/Build/", StringComparison.Ordinal)
            || page == "/Build/Index"
            || await person.BuildsOnlyAsync(cancellation) is null
            || (
                page.Split('/') is [_, _, "Apps" or "Composer", ..]
                && context.RouteData.Values["address"] is string app
                && await person.MayBuildAsync(app, cancellation)
            );
        if (isOpen)
        {
            await next();
        }
        else
        {
            context.Result = new ForbidResult();
        }
    }
}
