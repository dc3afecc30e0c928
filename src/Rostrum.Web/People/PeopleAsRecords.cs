using Rostrum.Sources.People;
using Rostrum.Store;

namespace Rostrum.Web.People;

/// <summary>The people of the workspace for whoever refers to them: as they are at hand.</summary>
internal sealed class PeopleAsRecords(IServiceProvider services) : IWorkspacePeople
{
    public async ValueTask<WorkspacePeople> GetAsync(CancellationToken cancellation)
    {
        var workspace = await services.GetRequiredService<WorkspaceCache>().GetAsync(cancellation);
        return new WorkspacePeople(
            workspace.Attributes,
            workspace.People.Select(person => new WorkspacePerson(
                person.Key,
                person.Value.Name,
                person.Value.Email,
                person.Value.Groups,
                person.Value.IsActive,
                person.Value.Attributes
            ))
        );
    }
}
