using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Core.Datasets;

/// <summary>A field to which a relation can lead: it names one record.</summary>
public sealed record RelationEnd(Dataset Dataset, Field Field);

/// <summary>A way by which records can be linked with others, many with many: through the records of a table between them.</summary>
/// <param name="Between">The dataset between them.</param>
/// <param name="Near">Its relation to the dataset itself.</param>
/// <param name="Far">Its relation to the others.</param>
/// <param name="Target">The others.</param>
public sealed record LinkWay(Dataset Between, Relation Near, Relation Far, Dataset Target)
{
    /// <summary>Tells it from the dataset's other ways.</summary>
    public string Id => $"{Between.Id} {Near.Name} {Far.Name}";
}

/// <summary>Makes relations of what a builder chooses.</summary>
public static class RelationMaking
{
    /// <summary>
    /// The fields of the workspace's datasets that name one record each, and to which a field of another with such values can lead; those
    /// of the same source first.
    /// </summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="structures">The structure of each source.</param>
    /// <param name="dataset">The dataset whose records are to refer.</param>
    public static IEnumerable<RelationEnd> Ends(
        DatasetCatalogue catalogue,
        IReadOnlyDictionary<SourceId, SourceStructure> structures,
        Dataset dataset
    ) =>
        from target in catalogue
            .All.OrderBy(other => other.Source != dataset.Source)
            .ThenBy(other => other.Label, StringComparer.CurrentCulture)
        where target.GoneBecause is null
        let table = structures.GetValueOrDefault(target.Source)?.Find(target.Table)
        from field in target.Fields
        where
            field.Formula is null
            && (table?.IsUnique(field.Column) ?? target.Key is [var only] && only == field.Name)
            && dataset.Fields.Any(own => Fits(own, field) && (target.Id != dataset.Id || own.Name != field.Name))
        select new RelationEnd(target, field);

    /// <summary>Whether a field can hold references to another: both carry values of one kind.</summary>
    public static bool Fits(Field own, Field target)
    {
        ArgumentNullException.ThrowIfNull(own);
        ArgumentNullException.ThrowIfNull(target);
        return own.Formula is null
            && own.Type is FieldType.Text or FieldType.Integer or FieldType.Uuid
            && own.Type.GetType() == target.Type.GetType();
    }

    /// <summary>
    /// The ways by which a dataset's records could be linked with others, and are not yet: the table or a rule says that no two records of
    /// the table between them link the same two.
    /// </summary>
    public static IEnumerable<LinkWay> Ways(DatasetCatalogue catalogue, SourceStructure structure, Dataset dataset) =>
        from pair in catalogue.RelationsTo(dataset.Id)
        where !pair.Relation.OneToOne && pair.From.GoneBecause is null
        from far in pair.From.Relations
        where far != pair.Relation && LinksOnce(structure, pair.From, pair.Relation.Field, far.Field)
        where dataset.Linked.All(known => known.By != pair.Relation.InverseName || known.To != far.Name)
        let target = catalogue.Find(far.Target)
        where target is { GoneBecause: null }
        orderby target.Label, pair.From.Label
        select new LinkWay(pair.From, pair.Relation, far, target);

    private static bool LinksOnce(SourceStructure structure, Dataset between, FieldName near, FieldName far) =>
        structure.Find(between.Table)?.IsUnique(between[near].Column, between[far].Column) == true
        || between
            .Rules.OfType<Rule.Unique>()
            .Any(rule => !rule.Warns && rule.Fields.Length == 2 && rule.Fields.Contains(near) && rule.Fields.Contains(far));

    /// <summary>The relation along a way.</summary>
    /// <param name="dataset">The dataset from which it leads.</param>
    /// <param name="way">The way.</param>
    /// <param name="label">What the others are called; as their dataset where blank.</param>
    public static LinkedRelation Link(Dataset dataset, LinkWay way, string? label)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(way);
        var called = string.IsNullOrWhiteSpace(label) ? way.Target.Label : label.Trim();
        return new LinkedRelation(
            Wording.FieldName(
                called,
                dataset
                    .Fields.Select(field => field.Name)
                    .Concat(dataset.Relations.Select(relation => relation.Name))
                    .Concat(dataset.Linked.Select(linked => linked.Name))
                    .Append(way.Near.InverseName)
            ),
            called,
            way.Near.InverseName,
            way.Far.Name
        );
    }

    /// <summary>The dataset with one relation more; or what is wrong with it.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="structure">The source's structure.</param>
    /// <param name="dataset">The dataset whose records refer.</param>
    /// <param name="field">The field that holds the reference.</param>
    /// <param name="end">The field to which it leads.</param>
    /// <param name="label">What the one record is called here.</param>
    /// <param name="inverseLabel">What the records are called there.</param>
    public static (Dataset? Dataset, string? Problem) Make(
        DatasetCatalogue catalogue,
        SourceStructure structure,
        Dataset dataset,
        Field field,
        RelationEnd end,
        string label,
        string inverseLabel
    )
    {
        ArgumentNullException.ThrowIfNull(catalogue);
        ArgumentNullException.ThrowIfNull(structure);
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(field);
        ArgumentNullException.ThrowIfNull(end);
        if (!Fits(field, end.Field))
        {
            return (null, $"“{field.Label}” holds other values than {end.Dataset.LabelInSentence} have in “{end.Field.Label}”.");
        }

        if (dataset.RelationOf(field.Name) is { } known)
        {
            return (
                null,
                $"“{field.Label}” leads to {catalogue.Find(known.Target)?.LabelInSentence ?? "another table"} already. Remove "
                    + "that relation first."
            );
        }

        if (string.IsNullOrWhiteSpace(label) || string.IsNullOrWhiteSpace(inverseLabel))
        {
            return (null, "Give the relation a name for both directions.");
        }

        var oneToOne = structure.Find(dataset.Table)?.IsUnique(field.Column) == true;
        var taken = catalogue
            .RelationsTo(end.Dataset.Id)
            .Select(pair => pair.Relation.InverseName)
            .Concat(end.Dataset.Fields.Select(other => other.Name))
            .Concat(end.Dataset.Relations.Select(relation => relation.Name));
        return (
            dataset with
            {
                Relations = dataset.Relations.Add(
                    new Relation
                    {
                        // A relation may have the name of the field that carries it, and of no other.
                        Name = Wording.FieldName(
                            label,
                            dataset
                                .Relations.Select(relation => relation.Name)
                                .Concat(dataset.Fields.Select(other => other.Name).Where(name => name != field.Name))
                        ),
                        Label = label.Trim(),
                        Field = field.Name,
                        Target = end.Dataset.Id,
                        TargetField = end.Field.Name,
                        InverseName = Wording.FieldName(inverseLabel, taken),
                        InverseLabel = inverseLabel.Trim(),
                        Because = "A builder says so.",
                        OneToOne = oneToOne,
                    }
                ),
            },
            null
        );
    }
}
