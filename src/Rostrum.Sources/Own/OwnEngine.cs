using System.Data.Common;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Postgres;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Own;

/// <summary>
/// The tables that builders make: in a schema of their own in the database in which Rostrum has its own records. Of that database nothing
/// else is a table of the source, and no SQL is taken from builders.
/// </summary>
internal sealed class OwnEngine : PostgresEngine
{
    public override SourceKind Describes { get; } =
        new(OwnTableStore.Kind, "Own tables", []) { IsBuiltIn = true, Empty = "There is no own table yet." };

    public override ISource Reach(SourceSettings settings, SourceServices services)
    {
        ArgumentNullException.ThrowIfNull(services);
        return new SqlPool(this, services.OwnTables ?? throw new InvalidOperationException("this program has no tables of its own"));
    }

    public override async Task<SourceStructure> ReadStructureAsync(DbConnection connection, CancellationToken cancellation)
    {
        var structure = await base.ReadStructureAsync(connection, cancellation);
        return new SourceStructure([
            .. structure
                .Tables.Where(table => table.Name.Schema == OwnTableStore.Schema)
                .Select(table =>
                    table with
                    {
                        ForeignKeys = [.. table.ForeignKeys.Where(key => key.Target.Schema == OwnTableStore.Schema)],
                    }
                ),
        ]);
    }
}
