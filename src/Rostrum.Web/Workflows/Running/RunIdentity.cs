using System.Collections.Concurrent;
using System.Collections.Frozen;
using System.Runtime.CompilerServices;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Workflows.Running;

/// <summary>With whose rights a workflow runs.</summary>
internal sealed class RunIdentity(PersonRecords records)
{
    // What was found out about a workflow's formulas holds for everybody with the same rights.
    private readonly ConditionalWeakTable<DatasetShapes, ConcurrentDictionary<object, WorkflowScope>> _scopes = [];

    /// <summary>The rights: those of the role that the workflow names, or else of whoever set it off.</summary>
    /// <param name="workspace">The workspace.</param>
    /// <param name="workflow">The workflow.</param>
    /// <param name="person">Who set it off; null where nobody did.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async ValueTask<Grants> GrantsAsync(Workspace workspace, Workflow workflow, Guid? person, CancellationToken cancellation)
    {
        var entry = person is { } id ? workspace.People.GetValueOrDefault(id) : null;
        if (workflow.RunsAs is { } role)
        {
            var roles = FrozenSet.Create(StringComparer.Ordinal, role);
            var user = (entry?.AsUser ?? workspace.Anybody with { Name = workflow.Label }) with { Roles = [role] };
            return await records.GrantsOfAsync(workspace, roles, user, cancellation);
        }

        // Who set it off and is no longer active has no rights left.
        return entry is { IsActive: true }
            ? await records.GrantsOfAsync(workspace, entry.RolesAtWork, entry.AsUser, cancellation)
            : Grants.Of(FrozenSet<string>.Empty, []);
    }

    /// <summary>The workflow with the names that its formulas have within some rights: kept for live versions.</summary>
    public WorkflowScope ScopeOf(Workspace workspace, Workflow workflow, Grants grants)
    {
        var shapes = DatasetShapes.Of(workspace.Datasets, grants);
        WorkflowScope Made(Workflow known) => new(known, workspace.Datasets, shapes, grants.User);
        return workspace.Workflows.Any(known => ReferenceEquals(known.Live, workflow))
            ? _scopes.GetValue(shapes, _ => new(ReferenceEqualityComparer.Instance)).GetOrAdd(workflow, known => Made((Workflow)known))
            : Made(workflow);
    }
}
