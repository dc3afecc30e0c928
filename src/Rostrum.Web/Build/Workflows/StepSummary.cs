using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Build.Workflows;

/// <summary>What a step does as it is set, in a line.</summary>
internal static class StepSummary
{
    private const int Longest = 90;

    /// <summary>The first settings that say something, with names where identities stand.</summary>
    public static string Of(Step step, DatasetCatalogue datasets, Func<NamedThing, IEnumerable<(string Value, string Label)>> named)
    {
        var said =
            from setting in step.Kind.Settings
            where setting.Applies(step) && setting.Part is SettingPart.Content
            let text = Text(step, setting, setting.Get(step), datasets, named)
            where text.Length > 0
            select text;
        var line = string.Join(" · ", said.Take(3)).ReplaceLineEndings(" ");
        return line.Length > Longest ? line[..Longest] + "…" : line;
    }

    private static string Text(
        Step step,
        Setting setting,
        string text,
        DatasetCatalogue datasets,
        Func<NamedThing, IEnumerable<(string Value, string Label)>> named
    ) =>
        setting.Kind switch
        {
            _ when text.Length == 0 => "",
            SettingKind.SomeDataset => Guid.TryParse(text, out var id) ? datasets.Find(new DatasetId(id))?.Label ?? "no longer there" : "",
            SettingKind.SomeNamed { Thing: var thing } => named(thing).FirstOrDefault(known => known.Value == text).Label ?? text,
            SettingKind.FieldTexts or SettingKind.NamedTexts => string.Join(
                ", ",
                SettingKind.FieldTexts.Map(text)!.Select(pair => $"{pair.Key} {(pair.Value.StartsWith('=') ? "" : "= ")}{pair.Value}")
            ),
            SettingKind.Toggle => text == "yes" ? setting.Label.ToLowerInvariant() : "",
            // They stand above the steps themselves.
            SettingKind.Cases => "",
            SettingKind.Lines when step is Core.Workflows.Steps.Parallel => "",
            SettingKind.Script => $"{text.Split('\n').Length} lines",
            _ => text,
        };
}
