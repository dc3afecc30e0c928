using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps;

/// <summary>Something that is wrong with a draft.</summary>
/// <param name="Page">The page's address; null where it is the app itself.</param>
/// <param name="Panel">The panel; null where it is the page itself.</param>
/// <param name="Setting">The key of the setting; null where it is the panel itself.</param>
/// <param name="Message">What is wrong, for the builder.</param>
/// <param name="Warns">It can be published all the same.</param>
public sealed record AppProblem(string? Page, string? Panel, string? Setting, string Message, bool Warns = false)
{
    /// <summary>An edit that puts it right, where one is known.</summary>
    public AppEdit? Correction { get; init; }

    /// <summary>What that edit does, in words.</summary>
    public string? CorrectionSays { get; init; }
}

/// <summary>Holds a draft against its datasets and against itself.</summary>
public static class AppProblems
{
    /// <summary>What is wrong with an app.</summary>
    /// <param name="app">The draft.</param>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="anybody">Which names <c>user</c> has in formulas.</param>
    public static ImmutableArray<AppProblem> Of(AppDefinition app, DatasetCatalogue catalogue, SignedIn? anybody)
    {
        ArgumentNullException.ThrowIfNull(app);
        ArgumentNullException.ThrowIfNull(catalogue);
        var shapes = DatasetShapes.Of(catalogue, Grants.ViewEverything);
        IEnumerable<AppProblem> home =
            app.Home is { } address && app.Find(address) is null
                ?
                [
                    new AppProblem(null, null, null, "The page with which the app opens is no longer there.")
                    {
                        Correction = new AppEdit.SetApp(AppEdit.SetApp.Home, ""),
                        CorrectionSays = "Open with the first page",
                    },
                ]
                : [];
        IEnumerable<AppProblem> look = app.Look is { Problem: { } message } painted
            ?
            [
                new AppProblem(null, null, "accent", message)
                {
                    Correction = new AppEdit.SetApp("accent", painted.Readable!),
                    CorrectionSays = $"Take {painted.Readable}",
                },
            ]
            : [];
        IEnumerable<AppProblem> icon =
            app.Look is { Icon: { } name } && !Icons.Has(name) ? [new AppProblem(null, null, "icon", NoIcon(name), Warns: true)] : [];
        return
        [
            .. home,
            .. look,
            .. icon,
            .. app.Pages.SelectMany(page => Of(app, page, PageScope.Of(page, catalogue, shapes, anybody), catalogue)),
        ];
    }

    private static string NoIcon(string name) => $"There is no icon “{name}”: choose another, or none.";

    private static IEnumerable<AppProblem> Of(AppDefinition app, Page page, PageScope scope, DatasetCatalogue catalogue)
    {
        if (page.Audience.IsEmpty)
        {
            yield return new(page.Address, null, "audience", "Nobody sees this page: choose the roles that do.", Warns: true);
        }

        if (page.Icon is { } icon && !Icons.Has(icon))
        {
            yield return new(page.Address, null, "icon", NoIcon(icon), Warns: true);
        }

        foreach (var panel in page.All)
        {
            foreach (var problem in Of(app, page, panel, scope, catalogue))
            {
                yield return problem;
            }
        }

        if (scope.Graph.Cycle() is { IsEmpty: false } ring)
        {
            yield return new(page.Address, ring[0], null, $"“{ring[0]}” depends on itself, by way of {string.Join(" → ", ring)}.");
        }
    }

    private static IEnumerable<AppProblem> Of(AppDefinition app, Page page, Panel panel, PageScope scope, DatasetCatalogue catalogue)
    {
        if (panel.Of is { } id && catalogue.Find(id) is not { GoneBecause: null })
        {
            yield return new(page.Address, panel.Name, "dataset", "Its dataset is no longer there.")
            {
                Correction = new AppEdit.RemovePanel(page.Address, panel.Name),
                CorrectionSays = "Remove the panel",
            };
            yield break;
        }

        var dataset = panel.Of is { } of ? catalogue.Find(of) : null;
        foreach (var setting in panel.Kind.Settings)
        {
            var text = setting.Get(panel);
            foreach (var problem in Missing(panel, setting, text, dataset))
            {
                yield return problem with
                {
                    Page = page.Address,
                    Correction = problem.Correction is AppEdit.SetSetting edit ? edit with { Page = page.Address } : null,
                };
            }

            foreach (var message in setting.Kind.Actions(text).SelectMany(action => action.Problems(app, page)))
            {
                yield return new(page.Address, panel.Name, setting.Key, message);
            }

            foreach (var place in setting.Kind.Formulas(text))
            {
                var formula = scope.Check(panel, place);
                if (scope.Problem(panel, place, formula) is { } message)
                {
                    var correction = formula.Problems is [{ Correction: { } better } first, ..]
                        ? Corrected(page, panel, setting, text, place, first, better)
                        : null;
                    yield return new(page.Address, panel.Name, setting.Key, $"{setting.Label}: {message}")
                    {
                        Correction = correction,
                        CorrectionSays = correction is null ? null : $"Write “{formula.Problems[0].Correction}”",
                    };
                }
            }
        }

        foreach (var problem in panel.Problems(new PanelPlace(app, page, catalogue, dataset)))
        {
            yield return problem with
            {
                Page = page.Address,
            };
        }
    }

    private static AppEdit.SetSetting Corrected(
        Page page,
        Panel panel,
        Setting setting,
        string text,
        FormulaPlace place,
        FormulaProblem problem,
        string better
    ) =>
        new(
            page.Address,
            panel.Name,
            setting.Key,
            setting.Kind.Rewritten(text, other =>
                other.Formula != place.Formula
                    ? other.Formula
                    : string.Concat(
                        other.Formula.AsSpan(0, problem.Span.Start),
                        better,
                        other.Formula.AsSpan(Math.Min(other.Formula.Length, problem.Span.Start + problem.Span.Length))
                    )
            )
        );

    // Fields that a setting names and the dataset does not have.
    private static IEnumerable<AppProblem> Missing(Panel panel, Setting setting, string text, Dataset? dataset)
    {
        var known = panel.OwnColumns.Select(column => column.Value).ToHashSet();
        var lost = dataset is null
            ? []
            : setting.Kind.FieldsNamed(text).Where(name => dataset.Find(new FieldName(name)) is null && !known.Contains(name)).ToHashSet();
        if (lost.Count == 0)
        {
            yield break;
        }

        var kept = setting.Kind.Without(text, lost);
        var fits = setting.Set(panel, kept) is not null;
        yield return new(
            null,
            panel.Name,
            setting.Key,
            $"{setting.Label}: {string.Join(", ", lost)} {(lost.Count == 1 ? "is" : "are")} no longer there."
        )
        {
            Correction = fits ? new AppEdit.SetSetting("", panel.Name, setting.Key, kept) : null,
            CorrectionSays = fits ? "Leave it out" : null,
        };
    }
}
