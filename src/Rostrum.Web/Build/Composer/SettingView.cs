using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Web.Build.Composer.Settings;
using Rostrum.Web.Build.Data;

namespace Rostrum.Web.Build.Composer;

/// <summary>A setting as the Dock shows it.</summary>
/// <param name="Host">Where it is shown.</param>
/// <param name="Setting">The setting.</param>
/// <param name="Of">The panel, page or step.</param>
/// <param name="Post">Where a change is sent.</param>
/// <param name="Prefix">How its inputs' names begin.</param>
/// <param name="Dataset">The dataset whose fields it names.</param>
internal sealed record SettingView(ISettingHost Host, Setting Setting, object Of, string Post, string Prefix, Dataset? Dataset)
{
    public string Text => Setting.Get(Of);

    public string Id => "set-" + new string([.. (Prefix + Setting.Key).Select(letter => char.IsLetterOrDigit(letter) ? letter : '-')]);

    public string Name => Prefix + SettingInput.NameOf(Setting.Key);

    /// <summary>It may be a formula in the place of its value.</summary>
    public bool CanBeComputed => Of is Panel && Prefix.Length == 0 && Setting.Kind.Computes is not null;

    /// <summary>It is one.</summary>
    public bool IsComputed => CanBeComputed && Computed.IsFormula(Text);

    /// <summary>Something stands under it while it is a formula.</summary>
    public bool HasPresent =>
        Prefix.Length == 0
        && Of is not Rostrum.Core.Apps.Page
        && Setting.Kind.IsOneFormula
        && (Setting.Kind.Computes is null || IsComputed);

    /// <summary>What stands under it while it is a formula: its value at this moment, or what is wrong.</summary>
    public (string? Now, CheckedFormula? Formula, string? Problem) Present => HasPresent ? Host.Present(this) : (null, null, null);

    /// <summary>Records or lists of records for a setting that wants such.</summary>
    public IEnumerable<string> Offers => Host.Offers(this);

    /// <summary>The names to choose from, for a setting that names something.</summary>
    public IEnumerable<(string Value, string Label)> Named =>
        Setting.Kind switch
        {
            SettingKind.SomeNamed { Thing: var thing } => Host.Named(this, thing),
            SettingKind.SomeDataset { Statements: true } => Host.Statements.Select(dataset => (dataset.Id.ToString(), dataset.Label)),
            SettingKind.SomeDataset => Host.Datasets.Select(dataset => (dataset.Id.ToString(), dataset.Label)),
            SettingKind.OneField { Pictures: true } => Dataset
                ?.Fields.Where(known => known.IsPicture)
                .Select(known => (known.Name.Value, Dataset.LabelOf(known.Name)))
                ?? [],
            SettingKind.OneField { Dates: true } => Dataset
                ?.Fields.Where(known => known.Type.HasDay)
                .Select(known => (known.Name.Value, Dataset.LabelOf(known.Name)))
                ?? [],
            SettingKind.OneField { Number: var numeric } => Dataset is null
                ? []
                : Dataset
                    .Fields.Where(known =>
                        known.Type.IsSortable && (!numeric || (known.Type.IsNumeric && Dataset.RelationOf(known.Name) is null))
                    )
                    .Select(known => (Value: known.Name.Value, Label: Dataset.LabelOf(known.Name)))
                    .SelectMany(one => numeric ? new[] { one } : [one, ("-" + one.Value, one.Label + ", the last first")]),
            _ => [],
        };
}
