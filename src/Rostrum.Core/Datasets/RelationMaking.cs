using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Datasets;

/// <summary>A field to which a relation can lead: it names one record.</summary>
public sealed record RelationEnd(Dataset Dataset, Field Field);

/// <summary>Makes relations of what a builder chooses.</summary>
public static class RelationMaking
{
    /// <summary>The fields of a source's datasets that name one record each, and to which a field of another with such values can lead.</summary>
    public static IEnumerable<RelationEnd> Ends(DatasetCatalogue catalogue, SourceStructure structure, Dataset dataset) =>
        from target in catalogue.All.OrderBy(other => other.Label, StringComparer.CurrentCulture)
        where target.Source == dataset.Source && target.GoneBecause is null
        let table = structure.Find(target.Table)
        where table is not null
        from field in target.Fields
        where field.Formula is null && table.IsUnique(field.Column) && dataset.Fields.Any(own => Fits(own, field) && (target.Id != dataset.Id || own.Name != field.Name))
        select new RelationEnd(target, field);

    /// <summary>Whether a field can hold references to another: both carry values of one kind.</summary>
    public static bool Fits(Field own, Field target)
    {
        ArgumentNullException.ThrowIfNull(own);
        ArgumentNullException.ThrowIfNull(target);
        return own.Formula is null && own.Type is FieldType.Text or FieldType.Integer or FieldType.Uuid && own.Type.GetType() == target.Type.GetType();
    }

    /// <summary>The dataset with one relation more; or what is wrong with it.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="structure">The source's structure.</param>
    /// <param name="dataset">The dataset whose records refer.</param>
    /// <param name="field">The field that holds the reference.</param>
    /// <param name="end">The field to which it leads.</param>
    /// <param name="label">What the one record is called here.</param>
    /// <param name="inverseLabel">What the records are called there.</param>
    public static (Dataset? Dataset, string? Problem) Make(DatasetCatalogue catalogue, SourceStructure structure, Dataset dataset, Field field, RelationEnd end, string label, string inverseLabel)
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
            return (null, $"“{field.Label}” leads to {catalogue.Find(known.Target)?.LabelInSentence ?? "another table"} already. Remove that relation first.");
        }

        if (string.IsNullOrWhiteSpace(label) || string.IsNullOrWhiteSpace(inverseLabel))
        {
            return (null, "Give the relation a name for both directions.");
        }

        var oneToOne = structure.Find(dataset.Table)?.IsUnique(field.Column) == true;
        var taken = catalogue.RelationsTo(end.Dataset.Id).Select(pair => pair.Relation.InverseName).Concat(end.Dataset.Fields.Select(other => other.Name)).Concat(end.Dataset.Relations.Select(relation => relation.Name));
        return (dataset with
        {
            Relations = dataset.Relations.Add(new Relation
            {
                // A relation may have the name of the field that carries it, and of no other.
                Name = Wording.FieldName(label, dataset.Relations.Select(relation => relation.Name).Concat(dataset.Fields.Select(other => other.Name).Where(name => name != field.Name))),
                Label = label.Trim(),
                Field = field.Name,
                Target = end.Dataset.Id,
                TargetField = end.Field.Name,
                InverseName = Wording.FieldName(inverseLabel, taken),
                InverseLabel = inverseLabel.Trim(),
                Because = "A builder says so.",
                OneToOne = oneToOne,
            }),
        }, null);
    }
}
