using System.Collections.Immutable;
using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Drift;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Imports;
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

    /// <summary>One more field; or why not.</summary>
    public async Task<string?> AddAsync(Dataset dataset, OwnField field, CancellationToken cancellation)
    {
        (field, var wrong) = field.Kept(format);
        if ((field.Problem ?? wrong) is { } problem)
        {
            return problem;
        }

        var column = OwnName.Of(field.Label, "field", [OwnTableStore.Key, .. dataset.Fields.Select(known => known.Column)]);
        var refused = await AlterAsync(
            async tables =>
            {
                await tables.AddAsync(dataset.Table.Name, column, field, cancellation);
                await NoteAsync(dataset, $"“{field.Label}” was added.", new TableAlteration.FieldAdded(column), cancellation);
            },
            cancellation
        );
        return await AlteredAsync(dataset, column, field, refused, cancellation);
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

    /// <summary>A field goes, with all that stands in it; or why not.</summary>
    public async Task<string?> RemoveAsync(Dataset dataset, Field field, OwnField was, CancellationToken cancellation)
    {
        var refused = await AlterAsync(tables => RemoveAsync(tables, dataset, field, was.Kept(format).Field, cancellation), cancellation);
        return await AlteredAsync(dataset, "", null, refused, cancellation);
    }

    private async Task RemoveAsync(
        OwnTableStore tables,
        Dataset dataset,
        Field field,
        OwnField was,
        CancellationToken cancellation,
        Guid? undoes = null
    )
    {
        var undo = new TableAlteration.FieldRemoved(was, dataset, field.Name);
        var noted = await NoteAsync(dataset, $"“{field.Label}” was removed.", undo, cancellation, undoes: undoes);
        await tables.RemoveAsync(ColumnOf(dataset, field.Column), noted, cancellation);
    }

    /// <summary>A field is called otherwise; or why not.</summary>
    public async Task<string?> RenameAsync(Dataset dataset, Field field, string label, CancellationToken cancellation, Guid? undoes = null)
    {
        if (label.Length == 0)
        {
            return "A field has no label.";
        }

        var was = dataset.LabelOf(field.Name);
        await store.SaveOnNewestAsync(
            async () =>
            {
                var stored = await store.Datasets.FirstAsync(row => row.Id == dataset.Id.Value, cancellation);
                stored.Definition = Called(stored.Definition, field.Column, label);
                var undo = new TableAlteration.FieldRenamed(field.Column, was);
                await NoteAsync(dataset, $"“{was}” was renamed to “{label}”.", undo, cancellation, undoes: undoes);
            },
            cancellation
        );
        return null;
    }

    private static Dataset Called(Dataset dataset, string column, string label) =>
        dataset.Fields.FirstOrDefault(field => field.Column == column) is not { } field
            ? dataset
            : dataset with
            {
                Fields = dataset.Fields.Replace(field, field with { Label = label }),
                Relations =
                [
                    .. dataset.Relations.Select(relation => relation.Field == field.Name ? relation with { Label = label } : relation),
                ],
            };

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

    /// <summary>A field holds something else; or what of it would be lost by that, where it is only tried.</summary>
    /// <param name="dataset">The table.</param>
    /// <param name="field">The field.</param>
    /// <param name="was">What it holds.</param>
    /// <param name="wanted">What it is to hold.</param>
    /// <param name="tries">Nothing is changed.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<(ImmutableArray<(string Text, long Records)> Lost, string? Problem)> RetypeAsync(
        Dataset dataset,
        Field field,
        OwnField was,
        OwnField wanted,
        bool tries,
        CancellationToken cancellation
    )
    {
        (wanted, var wrong) = wanted.Kept(format);
        if ((wanted.Problem ?? wrong) is { } problem)
        {
            return ([], problem);
        }

        var lost = ImmutableArray<(string Text, long Records)>.Empty;
        var refused = await AlterAsync(
            async tables => lost = await RetypeAsync(tables, dataset, field, was.Kept(format).Field, wanted, undone: null, cancellation),
            cancellation,
            tries
        );
        return tries ? (lost, refused) : (lost, await AlteredAsync(dataset, field.Column, wanted, refused, cancellation));
    }

    private async Task<ImmutableArray<(string Text, long Records)>> RetypeAsync(
        OwnTableStore tables,
        Dataset dataset,
        Field field,
        OwnField was,
        OwnField wanted,
        Guid? undone,
        CancellationToken cancellation
    )
    {
        var undo = new TableAlteration.FieldRetyped(was, dataset, field.Name);
        var noted = await NoteAsync(dataset, $"“{field.Label}” was changed to {WordsOf(wanted)}.", undo, cancellation, undoes: undone);
        return await tables.RetypeAsync(ColumnOf(dataset, field.Column), wanted, Taking(wanted), noted, undone, cancellation);
    }

    private static string WordsOf(OwnField field) =>
        string.Join(
            ", ",
            new[]
            {
                field.Kind.Label.ToLowerInvariant(),
                field.Required ? "required" : null,
                field.Unique ? "unique" : null,
            }.OfType<string>()
        );

    // What a text that stands in a table is as a value of a field.
    private Func<string, object?> Taking(OwnField field)
    {
        var cells = new CellForm(false, DateOrder.YearMonthDay);
        return text => field.Read(cells, text, format) is Parsed.Value { Is: { } value } ? value : null;
    }

    private static OwnColumn ColumnOf(Dataset dataset, string column) =>
        new(dataset.Table.Name, column, [.. dataset.Key.Select(name => dataset[name].Column)]);

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
