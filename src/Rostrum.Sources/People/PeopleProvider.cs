using Rostrum.Core.Datasets;
using Rostrum.Sources.Memory;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.People;

/// <summary>The workspace's own people as a source of one table. Rights on it are like those on any other.</summary>
internal sealed class PeopleProvider : SourceProvider
{
    public override SourceKind Describes { get; } = new(WorkspacePeople.Kind, "People of this workspace", []);

    public override SqlEngine Language => MemoryTable.Engine;

    public override Dataset Drafted(Dataset dataset, SourceSettings settings) =>
        OnlyRead(dataset, "People are kept under People: here they can only be read.");

    public override ISource Reach(SourceSettings settings, SourceServices services) => new PeopleSource(services.People);
}
