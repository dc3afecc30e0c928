using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Web.Workshop.Sources;

/// <summary>Reads a builder's corrections of a drafted dataset from the form beside its columns.</summary>
internal static class DatasetCorrection
{
    public static (Dataset? Dataset, string? Refusal) Read(Dataset dataset, IFormCollection form)
    {
        string Text(string name) => form[name].ToString().Trim();
        var label = Text("label");
        var recordLabel = Text("record");
        if (label.Length == 0 || recordLabel.Length == 0 || dataset.Fields.Any(field => Text($"label.{field.Name}").Length == 0))
        {
            return (null, "A label cannot be blank.");
        }

        var title = form["title"].OfType<string>().Select(text => PathOf(dataset, text)).OfType<FieldPath>().ToImmutableArray();
        if (title.IsEmpty)
        {
            return (null, "Choose at least one part of the title.");
        }

        var kept = dataset.Relations.Where(relation => form.ContainsKey($"keep.{relation.Name}")).ToArray();
        return (dataset with
        {
            Label = label,
            RecordLabel = recordLabel,
            Title = [.. title.Where(path => path.Relations.All(step => kept.Any(relation => relation.Name == step))).DefaultIfEmpty(title[0] with { Relations = [] })],
            TitleBecause = title.Select(path => path.ToString()).SequenceEqual(dataset.Title.Select(path => path.ToString())) ? dataset.TitleBecause : "A builder chose it.",
            Fields = [.. dataset.Fields.Select(field => field with { Label = Text($"label.{field.Name}"), Hidden = !form.ContainsKey($"shown.{field.Name}") })],
            Relations = [.. kept.Select(relation => Renamed(relation, Text($"one.{relation.Name}"), Text($"many.{relation.Name}")))],
        }, null);
    }

    /// <summary>The paths that a title can be made of: own fields, and the fields of records referred to.</summary>
    public static IEnumerable<(string Path, string Label)> TitleChoices(Dataset dataset, DatasetCatalogue catalogue) =>
        dataset.Fields.Where(field => field.Formula is null && field.Type.IsSortable && dataset.RelationOf(field.Name) is null).Select(field => (field.Name.Value, field.Label))
            .Concat(from relation in dataset.Relations
                    let target = catalogue.Find(relation.Target)
                    where target is not null
                    from field in target.Fields
                    where field.Formula is null && field.Type.IsTextual && target.RelationOf(field.Name) is null
                    select ($"{relation.Name}.{field.Name}", $"{relation.Label}: {field.Label.ToLowerInvariant()}"));

    private static FieldPath? PathOf(Dataset dataset, string text) => text.Split('.') switch
    {
        [var field] when dataset.Find(new FieldName(field)) is not null => FieldPath.Of(new FieldName(field)),
        [var relation, var field] when dataset.Relations.Any(candidate => candidate.Name.Value == relation) => new FieldPath([new FieldName(relation)], new FieldName(field)),
        _ => null,
    };

    private static Relation Renamed(Relation relation, string one, string many) => relation with
    {
        Label = one.Length > 0 ? one : relation.Label,
        InverseLabel = many.Length > 0 ? many : relation.InverseLabel,
        InverseName = many.Length > 0 && many != relation.InverseLabel ? Wording.FieldName(many, []) : relation.InverseName,
    };
}
