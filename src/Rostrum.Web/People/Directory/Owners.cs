using Rostrum.Store;

namespace Rostrum.Web.People.Directory;

/// <summary>There is always an owner who can sign in.</summary>
internal static class Owners
{
    /// <summary>Why a change of a person cannot be; null where it can.</summary>
    /// <param name="workspace">The workspace as it is.</param>
    /// <param name="person">The person.</param>
    /// <param name="isActive">Whether the person could sign in afterwards.</param>
    /// <param name="roles">The roles that the person would hold afterwards.</param>
    public static string? Problem(Workspace workspace, Guid person, bool isActive, IReadOnlySet<string> roles) =>
        (isActive && roles.Contains(Role.Owner))
        || workspace.People.Any(other => other.Key != person && other.Value is { IsActive: true } entry && entry.Roles.Contains(Role.Owner))
        || workspace.People.GetValueOrDefault(person) is not { IsActive: true } known
        || !known.Roles.Contains(Role.Owner)
            ? null
            : "This is the last owner. Make somebody else an owner first.";
}
