using Rostrum.Core.Access;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.People;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Build.Workflows;

/// <summary>
/// Whoever writes a workflow gets no rights by it: it may run with those of a role only where its builder has all of them, or gives rights
/// themselves.
/// </summary>
internal sealed class RunRights(WorkspaceCache workspaces, CurrentPerson person, RunIdentity identity)
{
    /// <summary>Why the signed-in person may not let a workflow run as it says; null where they may.</summary>
    public async Task<string?> RefusalAsync(Workflow workflow, CancellationToken cancellation)
    {
        if (workflow.RunsAs is not { } role || await MaySeeAllAsync(workflow, null, cancellation))
        {
            return null;
        }

        var label = (await workspaces.GetAsync(cancellation)).Roles.FirstOrDefault(known => known.Name == role)?.Label ?? role;
        return $"It would run with rights of the role {label} that you do not have. Whoever manages rights can publish it.";
    }

    /// <summary>Whether the signed-in person may see all that a run of a workflow sees.</summary>
    /// <param name="workflow">The workflow.</param>
    /// <param name="setOffBy">Who set the run off.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<bool> MaySeeAllAsync(Workflow workflow, Guid? setOffBy, CancellationToken cancellation)
    {
        if (
            (setOffBy is not null && setOffBy == person.Id && workflow.RunsAs is null)
            || (workflow.RunsAs is { } role && (await person.RolesAsync(cancellation)).Contains(role))
            || await person.MayAsync(WorkspacePermissions.ManageRights, cancellation)
        )
        {
            return true;
        }

        var workspace = await workspaces.GetAsync(cancellation);
        var (mine, theirs) = (
            await person.GrantsAsync(cancellation),
            await identity.GrantsAsync(workspace, workflow, setOffBy, cancellation)
        );
        return workspace.Datasets.All.All(dataset => mine.For(dataset.Id).Covers(theirs.For(dataset.Id)));
    }
}
