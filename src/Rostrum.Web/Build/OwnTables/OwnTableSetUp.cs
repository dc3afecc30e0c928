using System.Collections.Immutable;
using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Drift;
using Rostrum.Core.OwnTables;
using Rostrum.Sources;
using Rostrum.Sources.Own;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;
using Rostrum.Web.People;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>Makes and alters own tables, and brings the source and its datasets in line with them.</summary>
internal sealed partial class OwnTableSetUp(
    RostrumStore store,
    SourceServices services,
    SourceSecrets secrets,
    PeopleSetUp people,
    CurrentPerson person,
    RecordFormat format,
    TimeProvider time
)
{
    private const string Name = "Own tables";
    private static readonly TimeSpan Kept = TimeSpan.FromDays(30);

    /// <summary>A new table with some rows; or why there is none.</summary>
    public async Task<(Dataset? Made, string? Problem)> CreateAsync(
        string label,
        IReadOnlyList<OwnField> fields,
        IAsyncEnumerable<object?[]> rows,
        CancellationToken cancellation
    )
    {
        if (string.IsNullOrWhiteSpace(label))
        {
            return (null, "Give the table a name.");
        }

        var kept = fields.Select(field => field.Kept(format)).ToArray();
        if (
            fields.Select(field => field.Problem).Concat(kept.Select(one => one.Problem)).FirstOrDefault(known => known is not null) is
            { } problem
        )
        {
            return (null, problem);
        }

        fields = [.. kept.Select(one => one.Field)];

        if (
            fields.GroupBy(field => field.Label.Trim(), StringComparer.OrdinalIgnoreCase).FirstOrDefault(same => same.Count() > 1) is
            { } twice
        )
        {
            return (null, $"Two fields are called “{twice.Key}”.");
        }

        var source = await SourceAsync(cancellation);
        var table = OwnName.Of(label, "table", [.. source.Structure.Tables.Select(known => known.Name.Name)]);
        var named = ImmutableArray.CreateBuilder<(string Column, OwnField Field)>();
        foreach (var field in fields)
        {
            named.Add((OwnName.Of(field.Label, "field", [OwnTableStore.Key, .. named.Select(known => known.Column)]), field));
        }

        if (await AlterAsync(tables => tables.CreateAsync(table, named.ToImmutable(), rows, cancellation), cancellation) is { } refused)
        {
            return (null, refused);
        }

        var datasets = await RefreshAsync(source.Id, cancellation);
        var made = datasets.Single(dataset => dataset.Table.Name == table && dataset.GoneBecause is null);
        var labelled = made with
        {
            Label = label.Trim(),
            RecordLabel = Wording.Singular(label.Trim()),
            Fields =
            [
                .. made.Fields.Select(field =>
                    named.FirstOrDefault(known => known.Column == field.Column).Field is { } wanted ? Labelled(field, wanted) : field
                ),
            ],
        };
        foreach (var (column, _) in named.Where(known => known.Field.Type is OwnType.Person))
        {
            labelled = await people.ReferringAsync(labelled, labelled.Fields.First(field => field.Column == column).Name, cancellation);
        }

        await KeepAsync(labelled, cancellation);
        return (labelled, null);
    }

    /// <summary>Links a table's records with several of another, and those with several of it; or why not.</summary>
    /// <param name="dataset">The table.</param>
    /// <param name="table">The other's name.</param>
    /// <param name="label">What the other's records are called here; as their table where blank.</param>
    /// <param name="inverseLabel">What this table's records are called there.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<(Dataset? Between, string? Problem)> LinkAsync(
        Dataset dataset,
        string table,
        string label,
        string inverseLabel,
        CancellationToken cancellation
    )
    {
        var source = await SourceAsync(cancellation);
        var (here, names) = (dataset.Table.Name, source.Structure.Tables.Select(known => known.Name.Name).ToArray());
        bool IsEnd(string known) => source.Structure.Tables.Any(one => one.Name.Name == known && one.PrimaryKey is [OwnTableStore.Key]);
        if (table == here || !IsEnd(table) || !IsEnd(here))
        {
            return (null, "Choose another own table.");
        }

        var name = OwnName.Of($"{here}_{table}", "link", names);
        string ColumnTo(string other, params string[] taken) => OwnName.Of($"{other}_id", "link", taken);
        var column = ColumnTo(here);
        var refused = await AlterAsync(
            tables => tables.LinkAsync(name, (here, column), (table, ColumnTo(table, column)), cancellation),
            cancellation
        );
        if (refused is not null)
        {
            return (null, refused);
        }

        var catalogue = new DatasetCatalogue(await RefreshAsync(source.Id, cancellation));
        var structure = (await SourceAsync(cancellation)).Structure;
        var between = catalogue.All.Single(known => known.Table.Name == name && known.GoneBecause is null);
        var other = catalogue.Find(between.Relations.First(relation => relation.Target != dataset.Id).Target)!;
        between = between with { Label = $"{dataset.Label} and {other.LabelInSentence}" };
        await KeepAsync(between, cancellation);
        foreach (var (end, called) in new[] { (catalogue.Find(dataset.Id)!, label), (other, inverseLabel) })
        {
            // Both are drafted with the table; here they get their labels.
            var near = between.Relations.Single(relation => relation.Target == end.Id);
            var without = end with { Linked = end.Linked.RemoveAll(linked => linked.By == near.InverseName) };
            var way = RelationMaking.Ways(catalogue, structure, without).Single(way => way.Between.Id == between.Id);
            await KeepAsync(without with { Linked = without.Linked.Add(RelationMaking.Link(without, way, called)) }, cancellation);
        }

        return (between, null);
    }

    /// <summary>A table goes, with all its records; or why not.</summary>
    public async Task<string?> DropAsync(Dataset dataset, CancellationToken cancellation)
    {
        var refused = await AlterAsync(
            async tables =>
            {
                var id = Guid.NewGuid();
                var references = await tables.DropAsync(dataset.Table.Name, id, cancellation);
                var undo = new TableAlteration.TableRemoved(dataset, references);
                await NoteAsync(dataset, $"The table “{dataset.Label}” was removed.", undo, cancellation, id);
            },
            cancellation
        );
        return await AlteredAsync(dataset, "", null, refused, cancellation);
    }

    private Task<string?> AlterAsync(Func<OwnTableStore, Task> alter, CancellationToken cancellation, bool tries = false) =>
        AlterAsync(
            async tables =>
            {
                await alter(tables);
                return null;
            },
            cancellation,
            tries
        );

    // All of it, or nothing; or why not.
    private async Task<string?> AlterAsync(Func<OwnTableStore, Task<string?>> alter, CancellationToken cancellation, bool tries = false)
    {
        try
        {
            await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
            var tables = new OwnTableStore(store.Database.GetDbConnection());
            await tables.BeginAsync(cancellation);
            var refused = await alter(tables);
            if (refused is not null || tries)
            {
                store.ChangeTracker.Clear();
                return refused;
            }

            await ForgetOldAsync(tables, cancellation);
            await store.SaveChangesAsync(cancellation);
            await transaction.CommitAsync(cancellation);
            return null;
        }
        catch (DbException exception)
        {
            store.ChangeTracker.Clear();
            return OwnTableStore.Because(exception);
        }
    }

    private async Task<Guid> NoteAsync(
        Dataset dataset,
        string words,
        TableAlteration undo,
        CancellationToken cancellation,
        Guid? id = null,
        Guid? undoes = null
    )
    {
        var noted = new StoredAlteration
        {
            Id = id ?? Guid.NewGuid(),
            DatasetId = dataset.Id.Value,
            At = time.GetUtcNow(),
            By = await person.NameAsync(cancellation),
            Words = words,
            Undo = undo,
            Undoes = undoes,
        };
        store.Alterations.Add(noted);
        return noted.Id;
    }

    // What was taken away long ago goes for good.
    private async Task ForgetOldAsync(OwnTableStore tables, CancellationToken cancellation)
    {
        var until = time.GetUtcNow() - Kept;
        foreach (var old in await store.Alterations.Where(row => row.At < until && row.Undo != null).ToListAsync(cancellation))
        {
            await tables.ForgetAsync(old.Id, cancellation);
            old.Undo = null;
        }
    }

    private async Task KeepAsync(Dataset dataset, CancellationToken cancellation) =>
        await store.SaveOnNewestAsync(
            async () => (await store.Datasets.FirstAsync(row => row.Id == dataset.Id.Value, cancellation)).Definition = dataset,
            cancellation
        );

    // The first table makes the source.
    private async Task<StoredSource> SourceAsync(CancellationToken cancellation)
    {
        if (await store.Sources.AsNoTracking().FirstOrDefaultAsync(row => row.Kind == OwnTableStore.Kind, cancellation) is { } known)
        {
            return known;
        }

        var source = new StoredSource
        {
            Id = Guid.NewGuid(),
            Name = Name,
            Kind = OwnTableStore.Kind,
            Host = "",
            Database = "",
            UserName = "",
            ProtectedPassword = secrets.Protect(""),
            Structure = new SourceStructure([]),
            ReadAt = time.GetUtcNow(),
        };
        store.Sources.Add(source);
        await store.SaveChangesAsync(cancellation);
        return source;
    }

    private async Task<ImmutableArray<Dataset>> RefreshAsync(Guid id, CancellationToken cancellation)
    {
        var settings = services.OwnTables!;
        if (await SourceConnector.ReadStructureAsync(settings, cancellation, services) is not StructureResult.Read read)
        {
            throw new TimeoutException("the structure of own tables cannot be read");
        }

        var datasets = ImmutableArray<Dataset>.Empty;
        await store.SaveOnNewestAsync(
            async () =>
            {
                var source = await store.Sources.FirstAsync(row => row.Id == id, cancellation);
                var before = await store.DatasetsAsync(cancellation, id);
                datasets =
                [
                    .. DriftAcceptance.Accept(new SourceId(id), [.. before.All], source.Structure, read.Structure, read.Evidence, format),
                ];
                (source.Structure, source.ReadAt) = (read.Structure, time.GetUtcNow());
                await store.TakeAsync(datasets, cancellation);
            },
            cancellation
        );
        return datasets;
    }
}
