using Rostrum.Core.Datasets;
using Rostrum.Sources.Memory;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Workflows;

/// <summary>The workspace's own workflows as a source: each that finishes with a list is a table.</summary>
internal sealed class WorkflowProvider : SourceProvider
{
    public override SourceKind Describes { get; } =
        new("workflows", "Workflows of this workspace", [])
        {
            Empty = "No workflow gives rows yet. Publish one that is on demand, runs as a role, and finishes with a list as its result.",
        };

    public override SqlEngine Language => MemoryTable.Engine;

    public override Dataset Drafted(Dataset dataset, SourceSettings settings) =>
        OnlyRead(dataset, "A workflow gives these: they can only be read.");

    public override ISource Reach(SourceSettings settings, SourceServices services) => new WorkflowSource(services.Workflows);
}
