using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Web.Security;

namespace Rostrum.Web.People;

/// <summary>Whose role asks for a second factor turns it on before anything else.</summary>
internal sealed class SecondFactorFirst(CurrentPerson person) : IAsyncPageFilter
{
    private static readonly string[] Open =
    [
        "/People/Account/",
        "/People/SignIn",
        "/People/Problem",
        "/People/Joining/",
        "/People/SignOn/With",
    ];

    public Task OnPageHandlerSelectionAsync(PageHandlerSelectedContext context) => Task.CompletedTask;

    public async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        var path = ((CompiledPageActionDescriptor)context.ActionDescriptor).ViewEnginePath;
        if (
            Open.Any(open => path.StartsWith(open, StringComparison.Ordinal))
            || !await person.LacksSecondFactorAsync(context.HttpContext.RequestAborted)
        )
        {
            await next();
        }
        else if (context.HttpContext.Request.IsPartial())
        {
            context.HttpContext.Response.Headers["HX-Redirect"] = "/account";
            context.Result = new EmptyResult();
        }
        else
        {
            context.Result = new RedirectResult("/account");
        }
    }
}
