using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Tests.Datasets;

/// <summary>A source's datasets are pointed at another source: what apps know them by stays.</summary>
public sealed class DatasetMoveTests
{
    private static readonly SourceId Test = new(Guid.NewGuid());
    private static readonly SourceId Production = new(Guid.NewGuid());

    private static SourceStructure Structure(string tons = "integer", bool withPorts = true) =>
        new([
            Table("ships", ("hull", "text", new FieldType.Text()), ("tons", tons, new FieldType.Integer())) with
            {
                ForeignKeys = withPorts ? [new ForeignKey(["hull"], new TableName("public", "ports"), ["code"])] : [],
            },
            .. withPorts ? [Table("ports", ("code", "text", new FieldType.Text()))] : ImmutableArray<TableStructure>.Empty,
        ]);

    private static TableStructure Table(string name, params (string Name, string Native, FieldType Type)[] columns) =>
        new()
        {
            Name = new TableName("public", name),
            Columns = [.. columns.Select(column => new ColumnStructure(column.Name, column.Type, column.Native, false))],
            PrimaryKey = [columns[0].Name],
        };

    private static ImmutableArray<Dataset> Drafted(SourceId source, SourceStructure structure) =>
        DatasetDrafting.Draft(source, structure, [], Formats.British, _ => new DatasetId(Guid.NewGuid()));

    private static Dataset Named(IEnumerable<Dataset> datasets, string table) => datasets.Single(dataset => dataset.Table.Name == table);

    [Fact]
    public void The_datasets_keep_their_identity_and_take_the_place_of_those_that_nobody_uses()
    {
        var (own, there) = (Drafted(Test, Structure()), Drafted(Production, Structure()));
        var query = DatasetMaking.OfStatement(
            Test,
            new DatasetId(Guid.NewGuid()),
            "Scrap",
            new DatasetQuery("DELETE FROM ships WHERE tons < 1", []) { IsStatement = true }
        );
        var catalogue = new DatasetCatalogue([.. own, .. there, query]);
        var used = Named(there, "ports").Id;
        var move = DatasetMove.Of(catalogue, Test, Production, Structure(), new HashSet<DatasetId> { used });
        Assert.Empty(move.Missing);
        Assert.Equal(Named(there, "ships").Id, Assert.Single(move.Replaced));
        Assert.Equal(
            own.Append(query).Select(dataset => dataset.Id).Order(Comparer<DatasetId>.Create((a, b) => a.Value.CompareTo(b.Value))),
            move.Changed.Select(dataset => dataset.Id).Order(Comparer<DatasetId>.Create((a, b) => a.Value.CompareTo(b.Value)))
        );
        Assert.All(move.Changed, dataset => Assert.Equal(Production, dataset.Source));

        // A dataset that stays refers to what took the other's place.
        var free = DatasetMove.Of(catalogue, Test, Production, Structure(), new HashSet<DatasetId> { Named(there, "ships").Id });
        var staying = free.Changed.Single(dataset => dataset.Id == Named(there, "ships").Id);
        Assert.Equal(Named(own, "ports").Id, Assert.Single(staying.Relations).Target);
    }

    [Fact]
    public void What_the_other_source_lacks_is_said_table_by_table()
    {
        var catalogue = new DatasetCatalogue(Drafted(Test, Structure()));
        var move = DatasetMove.Of(catalogue, Test, Production, Structure("bigint", withPorts: false), new HashSet<DatasetId>());
        Assert.Equal(
            ["The table “ports” is not there.", "“ships.tons” is bigint there, and integer here."],
            move.Missing.Order(StringComparer.Ordinal)
        );
    }
}
