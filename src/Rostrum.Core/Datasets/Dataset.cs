using System.Collections.Immutable;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Core.Datasets;

/// <summary>A table of a source with everything that panels, forms and the gate need to know about its records.</summary>
public sealed record Dataset
{
    /// <summary>Its identity in the workspace.</summary>
    public required DatasetId Id { get; init; }

    /// <summary>Where the records are.</summary>
    public required SourceId Source { get; init; }

    /// <summary>The table there.</summary>
    public required TableName Table { get; init; }

    /// <summary>The name in formulas: <c>defects</c>.</summary>
    public required FieldName Name { get; init; }

    /// <summary>Message: "Defects".</summary>
    public required string Label { get; init; }

    /// <summary>One of them, in small letters: "defect".</summary>
    public required string RecordLabel { get; init; }

    /// <summary>The fields, in the order in which people see them.</summary>
    public required ImmutableArray<Field> Fields { get; init; }

    /// <summary>The fields that name a record; empty where none do, and then nothing can be written.</summary>
    public required ImmutableArray<FieldName> Key { get; init; }

    /// <summary>What names a record to people: paths whose values are joined.</summary>
    public required ImmutableArray<FieldPath> Title { get; init; }

    /// <summary>Why drafting chose that title.</summary>
    public required string TitleBecause { get; init; }

    /// <summary>Links to one record each of other datasets.</summary>
    public ImmutableArray<Relation> Relations { get; init; } = [];

    /// <summary>What the records must be like to be saved.</summary>
    public ImmutableArray<Rule> Rules { get; init; } = [];

    /// <summary>Several records of another dataset each, by way of a table that links the two.</summary>
    public ImmutableArray<LinkedRelation> Linked { get; init; } = [];

    /// <summary>The table was there once, and is no longer: why nothing can be read.</summary>
    public string? GoneBecause { get; init; }

    /// <summary>Deleting a record changes other tables' rows too: the source does that by itself.</summary>
    public bool DeletionCascades { get; init; }

    /// <summary>The columns that a deletion reaches so; none where it reaches nothing, or where they are not known.</summary>
    public ImmutableArray<ReachedColumns> DeletionReaches { get; init; } = [];

    /// <summary>
    /// The same, with what the source does by itself where records are deleted as another dataset of the same table says it: files may have
    /// been written elsewhere, or before that was known.
    /// </summary>
    /// <param name="here">The dataset of the same table, of the source’s structure.</param>
    public Dataset DeletedAs(Dataset here)
    {
        ArgumentNullException.ThrowIfNull(here);
        return this with
        {
            DeletionCascades = here.DeletionCascades,
            DeletionReaches = here.DeletionReaches,
            Relations =
            [
                .. Relations.Select(relation =>
                    here.Relations.FirstOrDefault(known => known.Field == relation.Field && known.Target == relation.Target) is { } known
                        ? relation with
                        {
                            OnDelete = known.OnDelete,
                        }
                        : relation
                ),
            ],
        };
    }

    /// <summary>What its source can do with its records.</summary>
    public Access.Verbs Takes { get; init; } = Access.Verbs.All;

    /// <summary>
    /// What roles can be allowed to do with its records. What is typed into rows of a query, or of two datasets, can be saved by steps,
    /// though their source takes none.
    /// </summary>
    public Access.Verbs Grantable =>
        (Join is not null || Query is { IsStatement: false } ? Access.Verbs.All : Takes)
        | Access.Verbs.Download
        | Access.Verbs.ReadNotes
        | Access.Verbs.WriteNotes
        | Access.Verbs.RunActions;

    /// <summary>Why no record can be written; null where they can.</summary>
    public string? ReadOnlyBecause { get; init; }

    /// <summary>The query that gives its records; null where a table does.</summary>
    public DatasetQuery? Query { get; init; }

    /// <summary>What is given to its source where it is read, if that is no query.</summary>
    public ImmutableArray<QueryParameter> Inputs { get; init; } = [];

    /// <summary>What panels and steps give to it: the parameters of its query, or the inputs of its source.</summary>
    public ImmutableArray<QueryParameter> Parameters => Query?.Parameters ?? Inputs;

    /// <summary>
    /// It is a statement that changes data: it has no records, and its fields are the parameters. Whoever may change “its records” may
    /// run it.
    /// </summary>
    public bool IsStatement => Query is { IsStatement: true };

    /// <summary>The two datasets of which it is made; null where it is not.</summary>
    public DatasetJoin? Join { get; init; }

    /// <summary>Its records are fetched and then decided upon in memory: no statement joins them with others.</summary>
    public bool IsFetched { get; init; }

    /// <summary>
    /// Its records are the rows of a table of a database. Queries of builders, and what is made of them, are read over connections of
    /// their own.
    /// </summary>
    public bool IsOfTables => !IsFetched && Query is null && Join is null;

    /// <summary>No statement reads both: what a relation between them gives is read of each by itself, by keys.</summary>
    public bool IsApartFrom(Dataset other)
    {
        ArgumentNullException.ThrowIfNull(other);
        return Source != other.Source || !IsOfTables || !other.IsOfTables;
    }

    /// <summary>The fields whose values the source holds.</summary>
    public IEnumerable<Field> StoredFields => Fields.Where(stored => stored.Formula is null);

    /// <summary>
    /// Whether records in the order of a field stand in that of its column's values: where it leads to a record of another dataset, they
    /// stand in the order of its title.
    /// </summary>
    public bool IsOrderedByColumn(FieldName name) => Find(name) is { Column.Length: > 0 } && RelationOf(name) is null;

    /// <summary>A field by its name, or null.</summary>
    public Field? Find(FieldName name)
    {
        foreach (var field in Fields)
        {
            if (field.Name == name)
            {
                return field;
            }
        }

        return null;
    }

    /// <summary>A field by its name, which is known to exist.</summary>
    public Field this[FieldName name] => Find(name) ?? throw new ArgumentException($"Dataset {Name} has no field {name}.", nameof(name));

    /// <summary>The relation that a field carries, or null.</summary>
    public Relation? RelationOf(FieldName field) => Relations.FirstOrDefault(relation => relation.Field == field);

    /// <summary>The names of the relations that some of its fields carry: what is asked for where people read names.</summary>
    public ImmutableArray<FieldName> RelationsAt(IEnumerable<FieldName> fields) =>
        [.. fields.Select(RelationOf).OfType<Relation>().Select(relation => relation.Name)];

    /// <summary>Whether a new record must have a value there: the table demands it, or a rule.</summary>
    public bool Requires(Field field)
    {
        ArgumentNullException.ThrowIfNull(field);
        return field.Required || Rules.Any(rule => rule is Rule.Holds { IsRequirement: true } && rule.Field == field.Name);
    }

    /// <summary>A field's label, or its relation's where it carries one.</summary>
    public string LabelOf(FieldName field) => RelationOf(field)?.Label ?? this[field].Label;

    /// <summary>"Defects" as it stands within a sentence: "defects".</summary>
    public string LabelInSentence => Drafting.Wording.Uncapitalised(Label);
}

/// <summary>The way to a value: through to-one relations to a field. <c>route.origin_port.name</c> is two relations and a field.</summary>
public sealed record FieldPath(ImmutableArray<FieldName> Relations, FieldName Field)
{
    /// <summary>A field of the dataset itself.</summary>
    public static FieldPath Of(FieldName field) => new([], field);

    /// <summary>The path as formulas write it.</summary>
    public override string ToString() => string.Join('.', Relations.Append(Field));
}

/// <summary>The datasets that a request may refer to: a published version's frozen copies, or the workspace's drafts.</summary>
public sealed class DatasetCatalogue(IEnumerable<Dataset> datasets)
{
    private readonly ImmutableDictionary<DatasetId, Dataset> _byId = datasets.ToImmutableDictionary(dataset => dataset.Id);
    private bool? _hasRelationsApart;

    /// <summary>All of them.</summary>
    public IEnumerable<Dataset> All => _byId.Values;

    /// <summary>A dataset by its identity, or null.</summary>
    public Dataset? Find(DatasetId id) => _byId.GetValueOrDefault(id);

    /// <summary>Some relation leads to records that no statement reads together with those that refer to them.</summary>
    public bool HasRelationsApart =>
        _hasRelationsApart ??= _byId.Values.Any(dataset => dataset.Relations.Any(relation => ApartTarget(dataset, relation) is not null));

    /// <summary>The dataset to which a relation leads, where it is read by itself; null where it is joined, or gone.</summary>
    public Dataset? ApartTarget(Dataset dataset, Relation relation)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(relation);
        return Find(relation.Target) is { } target && dataset.IsApartFrom(target) ? target : null;
    }

    /// <summary>Relations of other datasets that lead to this one, with the dataset that each comes from.</summary>
    public IEnumerable<(Dataset From, Relation Relation)> RelationsTo(DatasetId id) =>
        from dataset in _byId.Values
        from relation in dataset.Relations
        where relation.Target == id
        select (dataset, relation);
}
