using Rostrum.Store;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Logbook;

/// <summary>Through what a change is made that is under way: an app and its page, or a workflow.</summary>
internal sealed class ChangeOrigin(IHttpContextAccessor requests, WorkspaceCache workspaces)
{
    public async ValueTask<string> SaidAsync(CancellationToken cancellation)
    {
        if (RunAmbient.Current is { Workflow: { } workflow })
        {
            return $"workflow “{workflow}”";
        }

        if (requests.HttpContext?.Request.RouteValues is not { } route || route["app"] is not string app)
        {
            return requests.HttpContext is null ? "in the background" : "";
        }

        var workspace = await workspaces.GetAsync(cancellation);
        var known = workspace.Apps.FirstOrDefault(entry => entry.Address == app);
        var page = route["address"] as string;
        return known is null ? app
            : page is null ? known.Name
            : $"{known.Name}, {page}";
    }
}
