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
/// <param name="Page">The composer.</param>
/// <param name="Setting">The setting.</param>
/// <param name="Of">The panel, page or step.</param>
/// <param name="Post">Where a change is sent.</param>
/// <param name="Prefix">How its inputs' names begin.</param>
/// <param name="Dataset">The dataset whose fields it names.</param>
internal sealed record SettingView(ComposerModel Page, Setting Setting, object Of, string Post, string Prefix, Dataset? Dataset)
{
    public string Text => Setting.Get(Of);

    public string Id => "set-" + new string([.. (Prefix + Setting.Key).Select(letter => char.IsLetterOrDigit(letter) ? letter : '-')]);

    public string Name => Prefix + SettingInput.NameOf(Setting.Key);

    /// <summary>It may be a formula in the place of its value.</summary>
    public bool CanBeComputed => Of is Panel && Prefix.Length == 0 && Setting.Kind.Computes is not null;

    /// <summary>It is one.</summary>
    public bool IsComputed => CanBeComputed && Computed.IsFormula(Text);

    /// <summary>Something stands under it while it is a formula.</summary>
    public bool HasPresent => Of is Panel && Setting.Kind.IsOneFormula && (Setting.Kind.Computes is null || IsComputed);

    /// <summary>What stands under it while it is a formula: its value at this moment, or what is wrong.</summary>
    public (string? Now, CheckedFormula? Formula, string? Problem) Present
    {
        get
        {
            if (!HasPresent || Of is not Panel panel || Setting.Kind.Formulas(Text).FirstOrDefault() is not { } place)
            {
                return (null, null, null);
            }

            var formula = Page.Run.Scope.Check(panel, place);
            var problem = Page.Run.Scope.Problem(panel, place, formula);
            return problem is not null || place.OverRecord || place.List || place.Knows is not null ? (null, formula, problem)
                : formula.Tree is { Type: FormulaType.Record } whole
                    ? (
                        Page.Run.Evaluate(whole) is FormulaRecord { Identity: RecordKey key }
                            ? string.Join(" ", key.Values)
                            : "none at this moment",
                        formula,
                        null
                    )
                : (Page.Run.Shown(formula.Tree!) is { Length: > 0 } shown ? shown : "blank", formula, null);
        }
    }

    /// <summary>Records or lists of records that the page has for a setting that wants such.</summary>
    public IEnumerable<string> Offers
    {
        get
        {
            var records =
                from panel in Page.Current.All.Select(panel => panel.Name).Append(PageScope.Parameters)
                from member in Page.Run.Scope.MembersOf(panel)
                where member.Type is FormulaType.Record && (Of as Panel)?.Name != panel
                select (Path: $"{Formatter.Name(panel)}.{Formatter.Name(member.Name)}", ((FormulaType.Record)member.Type).Shape);
            return Setting.Kind is SettingKind.SomeRecord
                ? records
                    .Where(record => Page.Run.Scope.Shapes.Of(record.Shape).Dataset.Id == Dataset?.Id)
                    .Select(record => record.Path)
                    .Concat(
                        records.SelectMany(record =>
                            record
                                .Shape.Members.Where(member =>
                                    member.Value is FormulaType.Record { Shape: var inner }
                                    && Page.Run.Scope.Shapes.Of(inner).Dataset.Id == Dataset?.Id
                                )
                                .Select(member => $"{record.Path}.{Formatter.Name(member.Key)}")
                        )
                    )
                : records.SelectMany(record =>
                    record
                        .Shape.Members.Where(member =>
                            member.Value is FormulaType.List { Element: FormulaType.Record { Shape: var inner } }
                            && Page.Run.Scope.Shapes.Of(inner).Dataset.Id == Dataset?.Id
                        )
                        .Select(member => $"{record.Path}.{Formatter.Name(member.Key)}")
                );
        }
    }

    /// <summary>The names to choose from, for a setting that names something.</summary>
    public IEnumerable<(string Value, string Label)> Named =>
        Setting.Kind switch
        {
            SettingKind.SomeNamed { Thing: NamedThing.Page } => Page.App.Draft.Pages.Select(page => (page.Address, page.Name)),
            SettingKind.SomeNamed { Thing: NamedThing.Opening } => Page
                .Current.All.Where(panel => panel.Opens)
                .Select(panel => (panel.Name, panel.Name)),
            SettingKind.SomeNamed { Thing: NamedThing.Table } => Page
                .Current.All.OfType<TablePanel>()
                .Select(panel => (panel.Name, panel.Name)),
            SettingKind.SomeNamed => Page.Current.All.OfType<InputPanel>().Select(panel => (panel.Name, panel.Name)),
            SettingKind.SomeDataset { Statements: true } => Page.Statements.Select(dataset => (dataset.Id.ToString(), dataset.Label)),
            SettingKind.SomeDataset => Page.Datasets.Select(dataset => (dataset.Id.ToString(), dataset.Label)),
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
