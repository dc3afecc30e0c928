using System.Collections.Immutable;

namespace Rostrum.Web.Demo;

/// <summary>What <c>demo/workspace.yaml</c> says: the demo's roles, people and rights.</summary>
internal sealed record DemoWorkspace(
    ImmutableArray<DemoWorkspace.Named> Attributes,
    ImmutableArray<DemoWorkspace.Named> Roles,
    ImmutableArray<DemoWorkspace.Somebody> People,
    ImmutableArray<DemoWorkspace.Right> Rights,
    ImmutableSortedDictionary<string, string> Publish
)
{
    public sealed record Named(string Name, string Label);

    public sealed record Somebody(string SignIn, string Name, string Role)
    {
        public ImmutableDictionary<string, string> Attributes { get; init; } = ImmutableDictionary<string, string>.Empty;
    }

    public sealed record Right(string Role, ImmutableArray<string> Tables, ImmutableArray<string> Verbs)
    {
        public string? Condition { get; init; }

        public string? WriteCondition { get; init; }

        public ImmutableArray<string> HiddenFields { get; init; } = [];
    }
}
