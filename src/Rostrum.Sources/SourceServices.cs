using Rostrum.Sources.Http;
using Rostrum.Sources.People;
using Rostrum.Sources.Workflows;

namespace Rostrum.Sources;

/// <summary>What sources need of the workspace around them.</summary>
/// <param name="Tokens">Keeps the tokens that APIs give.</param>
/// <param name="Workflows">Gives the rows of workflows; null where there are none.</param>
public sealed record SourceServices(IApiTokens Tokens, IWorkflowRows? Workflows = null)
{
    /// <summary>Gives the people of the workspace; null where there are none.</summary>
    public IWorkspacePeople? People { get; init; }

    /// <summary>The database in which own tables are; null where there are none.</summary>
    public SourceSettings? OwnTables { get; init; }

    /// <summary>
    /// Takes out of a formatted text whatever could run, before it is kept, by whichever way it comes; nothing is taken out where null.
    /// </summary>
    public Func<string, string?>? CleanFormatted { get; init; }

    /// <summary>Those of a program without a workspace.</summary>
    public static SourceServices Alone { get; } = new(new TokensInMemory());
}
