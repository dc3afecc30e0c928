using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Drift;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.OwnTables;
using Rostrum.Sources;
using Rostrum.Sources.Own;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>Makes and alters own tables, and brings the source and its datasets in line with them.</summary>
internal sealed class OwnTableSetUp(
    RostrumStore store,
    OwnTableStore tables,
    SourceServices services,
    SourceSecrets secrets,
    PeopleSetUp people,
    RecordFormat format,
    TimeProvider time
)
{
    private const string Name = "Own tables";

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

        if (await tables.CreateAsync(table, named.ToImmutable(), rows, cancellation) is { } refused)
        {
            return (null, refused);
        }

        var datasets = await RefreshAsync(source.Id, cancellation);
        var made = datasets.Single(dataset => dataset.Table.Name == table && dataset.GoneBecause is null);
        var labelled = made with
        {
            Label = label.Trim(),
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

    /// <summary>One more field; or why not.</summary>
    public async Task<string?> AddAsync(Dataset dataset, OwnField field, CancellationToken cancellation)
    {
        (field, var wrong) = field.Kept(format);
        if ((field.Problem ?? wrong) is { } problem)
        {
            return problem;
        }

        var column = OwnName.Of(field.Label, "field", [OwnTableStore.Key, .. dataset.Fields.Select(known => known.Column)]);
        return await AlteredAsync(
            dataset,
            column,
            field,
            await tables.AddAsync(dataset.Table.Name, column, field, cancellation),
            cancellation
        );
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
        if (await tables.LinkAsync(name, (here, column), (table, ColumnTo(table, column)), cancellation) is { } refused)
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

    /// <summary>A field goes, with all that stands in it; or why not.</summary>
    public async Task<string?> RemoveAsync(Dataset dataset, Field field, CancellationToken cancellation) =>
        await AlteredAsync(dataset, "", null, await tables.RemoveAsync(dataset.Table.Name, field.Column, cancellation), cancellation);

    /// <summary>A table goes, with all its records; or why not.</summary>
    public async Task<string?> DropAsync(Dataset dataset, CancellationToken cancellation) =>
        await AlteredAsync(dataset, "", null, await tables.DropAsync(dataset.Table.Name, cancellation), cancellation);

    /// <summary>A field holds something else; or what of it would be lost by that, where it is only tried.</summary>
    public async Task<(ImmutableArray<(string Text, long Records)> Lost, string? Problem)> RetypeAsync(
        Dataset dataset,
        Field field,
        OwnField wanted,
        Func<string, object?> convert,
        bool tries,
        CancellationToken cancellation
    )
    {
        (wanted, var wrong) = wanted.Kept(format);
        if ((wanted.Problem ?? wrong) is { } problem)
        {
            return ([], problem);
        }

        var (lost, refused) = await tables.RetypeAsync(dataset.Table.Name, field.Column, wanted, convert, tries, cancellation);
        return tries ? (lost, refused) : (lost, await AlteredAsync(dataset, field.Column, wanted, refused, cancellation));
    }

    private async Task<string?> AlteredAsync(
        Dataset dataset,
        string column,
        OwnField? field,
        string? refused,
        CancellationToken cancellation
    )
    {
        if (refused is not null)
        {
            return refused;
        }

        var datasets = await RefreshAsync(dataset.Source.Value, cancellation);
        if (
            field is not null
            && datasets.FirstOrDefault(known => known.Id == dataset.Id) is { } now
            && now.Fields.FirstOrDefault(known => known.Column == column) is { } made
        )
        {
            now = now with { Fields = now.Fields.Replace(made, Labelled(made, field)) };
            now = field.Type is OwnType.Person ? await people.ReferringAsync(now, made.Name, cancellation) : now;
            await KeepAsync(await WithLimitsAsync(now, made.Name, cancellation), cancellation);
        }

        return null;
    }

    // What the table demands of a field is said before it is asked, as where a source is drafted.
    private async Task<Dataset> WithLimitsAsync(Dataset dataset, FieldName field, CancellationToken cancellation)
    {
        var source = await store.Sources.AsNoTracking().FirstAsync(row => row.Id == dataset.Source.Value, cancellation);
        var checks = source.Structure.Find(dataset.Table)?.Checks ?? [];
        var others = dataset.Rules.Where(rule =>
            rule is not Rule.Holds { Field: { } at } || at != field || !rule.Name.StartsWith($"{field}_check", StringComparison.Ordinal)
        );
        var demanded = CheckRules.Of(checks, dataset.Fields, format).Where(rule => rule is Rule.Holds { Field: { } at } && at == field);
        return dataset with { Rules = [.. others, .. demanded] };
    }

    private Field Labelled(Field field, OwnField wanted) => OwnKind.Applied(field, wanted, format.Currency);

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
