using System.Globalization;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Logbook;

/// <summary>Through what a change is made that is under way: an app and its page, or a workflow.</summary>
internal sealed class ChangeOrigin(IHttpContextAccessor requests, IServiceProvider services, IActor actor)
{
    /// <summary>Who changes something without having signed in.</summary>
    public const string Nobody = "somebody not signed in";

    private static readonly object Press = new();

    /// <summary>
    /// What all has that is saved in the same request, or in the same run; null where it is saved in the background.
    /// </summary>
    public string? Occasion
    {
        get
        {
            if (RunAmbient.Current is { } run)
            {
                return run.Id is { } id ? string.Create(CultureInfo.InvariantCulture, $"run {id}") : null;
            }

            if (requests.HttpContext is not { Items: var items })
            {
                return null;
            }

            if (items.TryGetValue(Press, out var known))
            {
                return (string)known!;
            }

            var occasion = Guid.NewGuid().ToString("N");
            items[Press] = occasion;
            return occasion;
        }
    }

    /// <summary>Who makes it, or in whose name a run does; a name is null where nobody is known.</summary>
    public (Guid? Id, string? Name) Who(Workspace workspace) =>
        RunAmbient.Current is { } run ? (run.PersonId, (string?)run.PersonName)
        : actor.Id is { } id ? (id, workspace.People.GetValueOrDefault(id)?.Name)
        : (null, null);

    public async ValueTask<string> SaidAsync(CancellationToken cancellation)
    {
        if (RunAmbient.Current is { Via: { } via })
        {
            return via;
        }

        if (RunAmbient.Current is { Workflow: { } workflow })
        {
            return $"workflow “{workflow}”";
        }

        if (requests.HttpContext is not { } request)
        {
            return "in the background";
        }

        // A save knows of the app in which it is made, and nothing of what that needs: it is looked for here.
        return
            request.Request.RouteValues["app"] is string address
            && await services.GetRequiredService<PublishedApps>().LiveAsync(address, cancellation) is { Definition: var app }
            ? request.Request.RouteValues["address"] is string page && app.Pages.FirstOrDefault(known => known.Address == page) is { } found
                ? $"{app.Name}, {found.Name}"
                : app.Name
            : "";
    }
}
