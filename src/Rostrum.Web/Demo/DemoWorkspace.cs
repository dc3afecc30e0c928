using System.Collections.Immutable;

namespace Rostrum.Web.Demo;

/// <summary>What <c>demo/workspace.yaml</c> says: the demo's roles, people and rights.</summary>
internal sealed record DemoWorkspace(
    ImmutableArray<DemoWorkspace.Attribute> Attributes,
    ImmutableArray<DemoWorkspace.Named> Roles,
    ImmutableArray<DemoWorkspace.Somebody> People,
    ImmutableArray<DemoWorkspace.Right> Rights,
    ImmutableSortedDictionary<string, string> Publish
)
{
    /// <summary>The sources, in the order in which they are connected.</summary>
    public ImmutableArray<Source> Sources { get; init; } = [];

    public ImmutableArray<Group> Groups { get; init; } = [];

    /// <summary>The names of the files below <c>workflows/</c>.</summary>
    public ImmutableArray<string> Workflows { get; init; } = [];

    /// <summary>Services by which people sign in.</summary>
    public ImmutableArray<Service> SignIn { get; init; } = [];

    /// <summary>An OpenID provider.</summary>
    /// <param name="From">The setting that says where it is.</param>
    public sealed record Service(string Name, string Label, string From, string Client, string Secret)
    {
        public ImmutableArray<Rule> Rules { get; init; } = [];
    }

    public sealed record Rule(string Claim, string Gives, string Name)
    {
        public string Value { get; init; } = "";
    }

    /// <summary>Relations between tables of different sources: what a builder would choose from those that are suggested.</summary>
    public ImmutableArray<Between> Relations { get; init; } = [];

    /// <summary>The sources without which an app is not published.</summary>
    public ImmutableDictionary<string, ImmutableArray<string>> Needs { get; init; } =
        ImmutableDictionary<string, ImmutableArray<string>>.Empty;

    /// <summary>A source.</summary>
    /// <param name="Name">Its name.</param>
    /// <param name="Kind">Its kind.</param>
    public sealed record Source(string Name, string Kind)
    {
        /// <summary>The setting that holds its connection string or address.</summary>
        public string? From { get; init; }

        /// <summary>The file that it is, in the folder of files.</summary>
        public string? File { get; init; }

        public string User { get; init; } = "";

        public string Password { get; init; } = "";

        /// <summary>The file with its requests.</summary>
        public string? Requests { get; init; }

        public ImmutableSortedDictionary<string, string> Options { get; init; } = ImmutableSortedDictionary<string, string>.Empty;
    }

    public sealed record Between(
        string Source,
        string Table,
        string Field,
        string Target,
        string TargetField,
        string Label,
        string Inverse
    );

    public sealed record Named(string Name, string Label)
    {
        public bool NeedsSecondFactor { get; init; }
    }

    /// <summary>An attribute of people.</summary>
    public sealed record Attribute(string Name, string Label)
    {
        /// <summary>The source and the table of whose records it means one; null where it is a text.</summary>
        public string? Source { get; init; }

        public string? Table { get; init; }
    }

    public sealed record Group(string Name, string Label, ImmutableArray<string> People);

    public sealed record Somebody(string SignIn, string Name, string Role)
    {
        public ImmutableDictionary<string, string> Attributes { get; init; } = ImmutableDictionary<string, string>.Empty;

        /// <summary>The key of the authenticator that is the person's second factor; null where they have none.</summary>
        public string? AuthenticatorKey { get; init; }
    }

    public sealed record Right(string Role, ImmutableArray<string> Tables, ImmutableArray<string> Verbs)
    {
        public string? Condition { get; init; }

        public string? WriteCondition { get; init; }

        public ImmutableArray<string> HiddenFields { get; init; } = [];
    }
}
