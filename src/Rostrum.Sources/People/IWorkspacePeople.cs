using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.People;

/// <summary>Gives the people of a workspace, so that records can refer to them.</summary>
public interface IWorkspacePeople
{
    /// <summary>Those who are there at the moment, and what is kept of each.</summary>
    ValueTask<WorkspacePeople> GetAsync(CancellationToken cancellation);
}

/// <summary>The people of a workspace.</summary>
/// <param name="Attributes">What is kept of each beside the usual, without values.</param>
/// <param name="All">The people.</param>
public sealed record WorkspacePeople(ImmutableArray<PersonAttribute> Attributes, IEnumerable<WorkspacePerson> All)
{
    /// <summary>The kind of the source that they are.</summary>
    public const string Kind = "people";

    /// <summary>The column that names a person.</summary>
    public const string Key = "id";

    /// <summary>The column with the name.</summary>
    public const string Name = "name";

    /// <summary>The one table.</summary>
    public static TableName Table { get; } = new("", Kind);
}

/// <summary>One of them.</summary>
/// <param name="Id">The person's identity, the same for ever.</param>
/// <param name="Name">The name.</param>
/// <param name="Email">The address; blank where there is none.</param>
/// <param name="Groups">The names of the person's groups.</param>
/// <param name="IsActive">The person can sign in.</param>
/// <param name="Attributes">The values of the attributes, in their order.</param>
public sealed record WorkspacePerson(
    Guid Id,
    string Name,
    string? Email,
    ImmutableArray<string> Groups,
    bool IsActive,
    ImmutableArray<PersonAttribute> Attributes
);
