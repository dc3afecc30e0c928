using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets.Drift;

/// <summary>Something that a change of a source breaks.</summary>
/// <param name="What">What it is: "Defects", "Page Defects of Maintenance", "Rights of engineers on defects".</param>
/// <param name="Message">What becomes of it.</param>
public sealed record DriftEffect(string What, string Message);

/// <summary>Finds what a change of a source breaks, before it is accepted.</summary>
public static class DriftEffects
{
    /// <summary>What is wrong after the change that was not wrong before.</summary>
    /// <param name="before">The datasets before.</param>
    /// <param name="after">The datasets after.</param>
    /// <param name="apps">The apps that may refer to them.</param>
    /// <param name="policies">The policies on them, each with the role's label.</param>
    /// <param name="anybody">Which names <c>user</c> has in formulas.</param>
    public static ImmutableArray<DriftEffect> Of(
        DatasetCatalogue before,
        DatasetCatalogue after,
        IEnumerable<AppDefinition> apps,
        IEnumerable<(string RoleLabel, Policy Policy)> policies,
        SignedIn? anybody
    ) =>
        [
            .. after
                .All.OrderBy(dataset => dataset.Label, StringComparer.CurrentCulture)
                .SelectMany(dataset => InDataset(before, after, dataset, anybody)),
            .. apps.SelectMany(app => InApp(before, after, app, anybody)),
            .. policies.SelectMany(pair => InPolicy(before, after, pair.RoleLabel, pair.Policy, anybody)),
        ];

    private static IEnumerable<DriftEffect> InDataset(DatasetCatalogue before, DatasetCatalogue after, Dataset dataset, SignedIn? anybody)
    {
        if (before.Find(dataset.Id) is not { } old)
        {
            yield break;
        }

        if (dataset.GoneBecause is { } gone && old.GoneBecause is null)
        {
            yield return new(dataset.Label, $"{gone} Nothing of it can be read until it comes back.");
            yield break;
        }

        foreach (var field in old.Fields.Where(field => dataset.Find(field.Name) is null))
        {
            yield return new(dataset.Label, $"The field “{field.Label}” goes, with what was said of it.");
        }

        foreach (var relation in old.Relations.Where(relation => dataset.Relations.All(other => other.Name != relation.Name)))
        {
            yield return new(dataset.Label, $"The relation “{relation.Label}” goes.");
        }

        foreach (var path in old.Title.Where(path => dataset.Title.All(other => other.ToString() != path.ToString())))
        {
            yield return new(dataset.Label, $"The title loses “{path}”.");
        }

        var known = DatasetProblems.Of(before, old, anybody).Select(problem => problem.Message).ToHashSet();
        foreach (var problem in DatasetProblems.Of(after, dataset, anybody).Where(problem => !known.Contains(problem.Message)))
        {
            yield return new(dataset.Label, problem.Message);
        }
    }

    private static IEnumerable<DriftEffect> InApp(DatasetCatalogue before, DatasetCatalogue after, AppDefinition app, SignedIn? anybody)
    {
        var known = AppProblems.Of(app, before, anybody).Select(Place).ToHashSet();
        var broken = AppProblems.Of(app, after, anybody).Where(problem => !known.Contains(Place(problem))).ToArray();
        foreach (var problem in broken)
        {
            var page = problem.Page is { } address ? app.Find(address) : null;
            yield return new(
                page is null ? app.Name : $"Page {page.Name} of {app.Name}",
                problem.Panel is null ? problem.Message : $"“{problem.Panel}”: {problem.Message}"
            );
        }

        if (broken.Length > 0)
        {
            yield return new(
                app.Name,
                "Where its live version asks for what is gone, it shows why and nothing else, until it is fixed and published again."
            );
        }
    }

    private static (string?, string?, string?, string) Place(AppProblem problem) =>
        (problem.Page, problem.Panel, problem.Setting, problem.Message);

    private static IEnumerable<DriftEffect> InPolicy(
        DatasetCatalogue before,
        DatasetCatalogue after,
        string role,
        Policy policy,
        SignedIn? anybody
    )
    {
        if (before.Find(policy.Dataset) is not { } old || after.Find(policy.Dataset) is not { } now)
        {
            yield break;
        }

        var what = $"Rights of {role} on {now.LabelInSentence}";
        foreach (var condition in policy.Condition.Formulas.Concat(policy.Narrower.Values.SelectMany(narrower => narrower.Formulas)))
        {
            if (Problem(before, old, condition, anybody) is null && Problem(after, now, condition, anybody) is { } problem)
            {
                yield return new(what, $"The condition {condition} lets nothing through any more: {problem}");
            }
        }
    }

    private static string? Problem(DatasetCatalogue catalogue, Dataset dataset, string condition, SignedIn? anybody) =>
        SignedIn.Names(anybody).Check(DatasetShapes.Of(catalogue, Grants.ViewEverything).Of(dataset).Shape, condition)
            is { Problems: [var first, ..] }
            ? first.Message
            : null;
}
