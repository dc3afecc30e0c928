using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Web.Build.Data;

/// <summary>Reads what a builder calls a table's records, and what names one of them.</summary>
internal static class DatasetNames
{
    public static (Dataset? Dataset, string? Refusal) Read(
        Dataset dataset,
        DatasetCatalogue catalogue,
        IFormCollection form,
        string suffix = ""
    )
    {
        var (label, recordLabel) = (form["label" + suffix].ToString().Trim(), form["record" + suffix].ToString().Trim());
        if (label.Length == 0 || recordLabel.Length == 0)
        {
            return (null, "A label cannot be blank.");
        }

        var choices = TitleChoices(dataset, catalogue).ToDictionary(choice => choice.Path.ToString(), choice => choice.Path);
        var title = form["title" + suffix]
            .OfType<string>()
            .Select(text => choices.GetValueOrDefault(text))
            .OfType<FieldPath>()
            .ToImmutableArray();
        if (title.IsEmpty)
        {
            return (null, "Choose at least one part of the title.");
        }

        var named = dataset with { Label = label, RecordLabel = recordLabel };
        return title.Select(path => path.ToString()).SequenceEqual(dataset.Title.Select(path => path.ToString()))
            ? (named, null)
            : (named with { Title = title, TitleBecause = "A builder chose it." }, null);
    }

    /// <summary>What a title can be made of: own fields and computed ones, and the fields of records referred to.</summary>
    public static IEnumerable<(FieldPath Path, string Label)> TitleChoices(Dataset dataset, DatasetCatalogue catalogue) =>
        dataset
            .Fields.Where(field => field.Type.IsSortable && (dataset.RelationOf(field.Name) is null || IsPart(dataset, field)))
            .Select(field => (FieldPath.Of(field.Name), field.Formula is null ? field.Label : $"{field.Label} (computed)"))
            .Concat(
                from relation in dataset.Relations
                let target = catalogue.Find(relation.Target)
                where target is not null
                from field in target.Fields
                where field.Type.IsTextual && target.RelationOf(field.Name) is null
                where field.Formula is null || catalogue.ApartTarget(dataset, relation) is null
                select (new FieldPath([relation.Name], field.Name), $"{relation.Label}: {Wording.InSentence(field.Label)}")
            );

    // A field that is part of the title stays a choice, though a relation is made of it later.
    private static bool IsPart(Dataset dataset, Field field) =>
        dataset.Title.Any(path => path.Relations.IsEmpty && path.Field == field.Name);
}
