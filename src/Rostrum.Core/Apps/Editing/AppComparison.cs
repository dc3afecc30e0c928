using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Editing;

/// <summary>What differs between two states of an app, in sentences.</summary>
/// <param name="Of">The page or dataset that it is about; blank where it is the app itself.</param>
/// <param name="Says">What is different.</param>
public sealed record AppDifference(string Of, string Says);

/// <summary>Tells two states of an app apart.</summary>
public static class AppComparison
{
    /// <summary>What was changed from one to the other.</summary>
    public static ImmutableArray<AppDifference> Between(FrozenApp before, FrozenApp after)
    {
        ArgumentNullException.ThrowIfNull(before);
        ArgumentNullException.ThrowIfNull(after);
        return [.. App(before.App, after.App), .. Datasets(before, after)];
    }

    private static IEnumerable<AppDifference> App(AppDefinition before, AppDefinition after)
    {
        if (before.Name != after.Name)
        {
            yield return new("", $"The app is called “{after.Name}” instead of “{before.Name}”");
        }

        foreach (var setting in AppLook.Settings)
        {
            var (was, now) = (setting.Get(before.Look ?? new AppLook()), setting.Get(after.Look ?? new AppLook()));
            if (was != now)
            {
                yield return new("", AppWords.SettingChange("The app", setting, was, now));
            }
        }

        if (before.Home != after.Home)
        {
            yield return new("", $"The app opens with {after.Find(after.Home ?? "")?.Name ?? "its first page"}");
        }

        var stayed = after.Pages.Where(page => before.Find(page.Address) is not null).Select(page => page.Address).ToArray();
        if (!stayed.SequenceEqual(before.Pages.Where(page => after.Find(page.Address) is not null).Select(page => page.Address)))
        {
            yield return new("", "The pages are in another order");
        }

        foreach (var page in before.Pages.Where(page => after.Find(page.Address) is null))
        {
            yield return new(page.Name, "The page is gone");
        }

        foreach (var page in after.Pages)
        {
            if (before.Find(page.Address) is not { } old)
            {
                yield return new(page.Name, $"The page is new, with {Count(page.All.Count(), "panel")}");
                continue;
            }

            foreach (var says in Pages(old, page))
            {
                yield return new(page.Name, says);
            }
        }
    }

    private static IEnumerable<string> Pages(Page before, Page after)
    {
        foreach (var setting in PageSettings.All.Where(setting => setting.Get(before) != setting.Get(after)))
        {
            yield return AppWords.SettingChange("Page", setting, setting.Get(before), setting.Get(after));
        }

        foreach (var panel in before.All.Where(panel => after.Find(panel.Name) is null))
        {
            yield return $"{panel.Name}: {panel.Kind.Label.ToLowerInvariant()} removed";
        }

        foreach (var panel in after.All)
        {
            if (before.Find(panel.Name) is not { } old)
            {
                yield return $"{panel.Name}: {panel.Kind.Label.ToLowerInvariant()} added";
            }
            else if (old.GetType() != panel.GetType())
            {
                yield return $"{panel.Name}: a {panel.Kind.Label.ToLowerInvariant()} instead of a {old.Kind.Label.ToLowerInvariant()}";
            }
            else
            {
                foreach (var setting in panel.Kind.Settings.Where(setting => setting.Get(old) != setting.Get(panel)))
                {
                    yield return AppWords.SettingChange(panel.Name, setting, setting.Get(old), setting.Get(panel));
                }
            }
        }

        string[] Places(Page page, Page other) =>
            [
                .. page
                    .All.Where(panel => other.Find(panel.Name) is not null)
                    .Select(panel => $"{page.ParentOf(panel.Name)?.Name}/{panel.Name}"),
            ];
        if (!Places(before, after).SequenceEqual(Places(after, before)))
        {
            yield return "The panels are in other places";
        }
    }

    private static IEnumerable<AppDifference> Datasets(FrozenApp before, FrozenApp after)
    {
        foreach (var dataset in after.Datasets.OrderBy(dataset => dataset.Label, StringComparer.CurrentCulture))
        {
            if (before.Datasets.FirstOrDefault(known => known.Id == dataset.Id) is { } old)
            {
                foreach (var says in Dataset(old, dataset))
                {
                    yield return new(dataset.Label, says);
                }
            }
        }
    }

    private static IEnumerable<string> Dataset(Dataset before, Dataset after)
    {
        foreach (var field in after.Fields.Where(field => before.Find(field.Name) is null))
        {
            yield return $"Field “{field.Label}” added";
        }

        foreach (var field in before.Fields)
        {
            if (after.Find(field.Name) is not { } now)
            {
                yield return $"Field “{field.Label}” is gone";
            }
            else if (now.Label != field.Label)
            {
                yield return $"Field “{field.Label}” is called “{now.Label}”";
            }
            else if (KindJson.Write(now) != KindJson.Write(field))
            {
                yield return $"Field “{field.Label}” has other settings";
            }
        }

        foreach (var rule in after.Rules.Where(rule => before.Rules.All(known => known.Name != rule.Name)))
        {
            yield return $"Rule added: “{rule.Message}”";
        }

        foreach (var rule in before.Rules)
        {
            if (after.Rules.FirstOrDefault(known => known.Name == rule.Name) is not { } now)
            {
                yield return $"Rule removed: “{rule.Message}”";
            }
            else if (KindJson.Write(now) != KindJson.Write(rule))
            {
                yield return $"Rule changed: “{now.Message}”";
            }
        }

        if (KindJson.Write(before.Title) != KindJson.Write(after.Title))
        {
            yield return "The title of its records is another";
        }

        if (
            KindJson.Write(before.Relations) != KindJson.Write(after.Relations)
            || KindJson.Write(before.Linked) != KindJson.Write(after.Linked)
        )
        {
            yield return "Its relations are others";
        }
    }

    private static string Count(int number, string one) => number == 1 ? $"one {one}" : $"{number} {one}s";
}
