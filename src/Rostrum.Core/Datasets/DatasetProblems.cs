using Rostrum.Core.Access;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

/// <summary>The part of a dataset in which a problem lies.</summary>
public enum DatasetPart
{
    /// <summary>A field's settings.</summary>
    Field,

    /// <summary>A computed field's formula.</summary>
    Computed,

    /// <summary>A relation.</summary>
    Relation,

    /// <summary>A rule.</summary>
    Rule,

    /// <summary>What names the records.</summary>
    Title,
}

/// <summary>Something that is wrong with a dataset.</summary>
/// <param name="Part">In which part of it.</param>
/// <param name="Name">The name of the field, relation or rule.</param>
/// <param name="Message">What is wrong, for the builder.</param>
/// <param name="Warns">It works, and should be looked at all the same.</param>
public sealed record DatasetProblem(DatasetPart Part, string Name, string Message, bool Warns = false);

/// <summary>Holds everything that is said of a dataset against its fields and the datasets around it.</summary>
public static class DatasetProblems
{
    private static readonly FormulaContext Moment = new(DateTimeOffset.UnixEpoch, TimeZoneInfo.Utc);

    /// <summary>What is wrong with a dataset.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="dataset">One of them.</param>
    /// <param name="anybody">Which names <c>user</c> has in formulas.</param>
    public static IEnumerable<DatasetProblem> Of(DatasetCatalogue catalogue, Dataset dataset, SignedIn? anybody)
    {
        ArgumentNullException.ThrowIfNull(catalogue);
        ArgumentNullException.ThrowIfNull(dataset);
        var shapes = DatasetShapes.Of(catalogue, Grants.ViewEverything);
        return
        [
            .. Fields(dataset, anybody),
            .. Computed(dataset, shapes),
            .. Relations(catalogue, dataset),
            .. RulesOf(dataset, shapes, anybody),
            .. Title(catalogue, dataset),
        ];
    }

    private static IEnumerable<DatasetProblem> Fields(Dataset dataset, SignedIn? anybody)
    {
        foreach (var field in dataset.Fields)
        {
            if (FieldDefault.Value(field, anybody, Moment) is Parsed.Problem problem)
            {
                yield return new(DatasetPart.Field, field.Name.Value, $"The default of “{field.Label}” does not fit: {problem.Message}");
            }

            if (field.Format is { } format && !format.Fits(field.Type))
            {
                yield return new(
                    DatasetPart.Field,
                    field.Name.Value,
                    $"“{field.Label}” cannot be shown in the format that was chosen for it.",
                    Warns: true
                );
            }
        }

        foreach (
            var twins in dataset
                .Fields.Where(field => !field.Hidden)
                .GroupBy(field => dataset.LabelOf(field.Name), StringComparer.CurrentCultureIgnoreCase)
                .Where(group => group.Count() > 1)
        )
        {
            yield return new(
                DatasetPart.Field,
                twins.Last().Name.Value,
                $"{twins.Count()} fields are called “{twins.Key}”. People cannot tell them apart.",
                Warns: true
            );
        }
    }

    private static IEnumerable<DatasetProblem> Computed(Dataset dataset, DatasetShapes shapes)
    {
        var shape = shapes.Of(dataset).Shape;
        return from field in dataset.Fields
            where field.Formula is not null
            let index = shape.IndexOf(field.Name.Value)
            let problem = index < 0 ? "its name is taken by something else." : shape.Computed(index)?.Problem
            where problem is not null
            select new DatasetProblem(DatasetPart.Computed, field.Name.Value, $"“{field.Label}” cannot be computed: {problem}");
    }

    private static IEnumerable<DatasetProblem> Relations(DatasetCatalogue catalogue, Dataset dataset)
    {
        foreach (var relation in dataset.Relations)
        {
            if (catalogue.Find(relation.Target) is not { GoneBecause: null } target)
            {
                yield return new(
                    DatasetPart.Relation,
                    relation.Name.Value,
                    $"“{relation.Label}” leads to a table that is no longer there."
                );
            }
            else if (dataset.Find(relation.Field) is null || target.Find(relation.TargetField) is null)
            {
                yield return new(DatasetPart.Relation, relation.Name.Value, $"“{relation.Label}” needs a field that is no longer there.");
            }
        }

        foreach (
            var linked in dataset.Linked.Where(linked =>
                !catalogue
                    .RelationsTo(dataset.Id)
                    .Any(pair => pair.Relation.InverseName == linked.By && pair.From.Relations.Any(onwards => onwards.Name == linked.To))
            )
        )
        {
            yield return new(
                DatasetPart.Relation,
                linked.Name.Value,
                $"“{linked.Label}” leads by way of records that are no longer there."
            );
        }
    }

    private static IEnumerable<DatasetProblem> RulesOf(Dataset dataset, DatasetShapes shapes, SignedIn? anybody) =>
        from rule in dataset.Rules
        let problem = RuleChecks.Problem(rule, dataset, shapes, anybody)
        let message = problem ?? RuleChecks.Warning(rule)
        where message is not null
        select new DatasetProblem(DatasetPart.Rule, rule.Name, $"The rule “{rule.Message}”: {message}", Warns: problem is null);

    private static IEnumerable<DatasetProblem> Title(DatasetCatalogue catalogue, Dataset dataset)
    {
        foreach (var path in dataset.Title)
        {
            var at = dataset;
            foreach (var step in path.Relations)
            {
                at = at?.Relations.FirstOrDefault(relation => relation.Name == step) is { } relation
                    ? catalogue.Find(relation.Target)
                    : null;
            }

            if (at?.Find(path.Field) is null)
            {
                yield return new(DatasetPart.Title, path.ToString(), $"The title names “{path}”, which is no longer there.");
            }
        }
    }
}
