using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>A form that makes a new record, or changes one.</summary>
public sealed record FormPanel : Panel, IPanelKind
{
    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>The record that it changes: a formula over the page; null where it makes a new one.</summary>
    public string? Record { get; init; }

    /// <summary>The fields shown, in order.</summary>
    public ImmutableArray<FieldName> Fields { get; init; } = [];

    /// <summary>What this form calls fields otherwise.</summary>
    public ImmutableArray<LabelOverride> Labels { get; init; } = [];

    /// <summary>What stands in fields of a new record at first: values, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Defaults { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>Values that are saved without being shown.</summary>
    public ImmutableDictionary<string, string> HiddenValues { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>Help in Markdown that stands before a field.</summary>
    public ImmutableDictionary<string, string> Help { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>What stands on the button that saves; the usual words where null.</summary>
    public string? Button { get; init; }

    /// <summary>Whether it can be saved: a formula after <c>=</c>; yes where null.</summary>
    public string? Enabled { get; init; }

    /// <summary>What happens after a save.</summary>
    public PanelAction AfterSave { get; init; } = PanelAction.Nothing;

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        Fields.IsEmpty && HiddenValues.IsEmpty ? [Lacks("fields", "It has no fields.")] : [];

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Form", "To add a record, or change one", "ui-checks",
        (name, dataset) => new FormPanel
        {
            Name = name,
            Dataset = dataset!.Id,
            Fields = [.. AppDrafting.Visible(dataset).Where(field => dataset[field].ReadOnlyBecause is null)],
            Width = 6,
        },
        [
            Of<FormPanel>(
                "dataset",
                "Dataset",
                SettingPart.Content,
                new SettingKind.SomeDataset(),
                panel => panel.Dataset.ToString(),
                (panel, text) => Guid.TryParse(text, out var id) ? panel with { Dataset = new DatasetId(id) } : null),
            Of<FormPanel>(
                "record",
                "Changes this record",
                SettingPart.Content,
                new SettingKind.SomeRecord(),
                panel => panel.Record,
                (panel, text) => panel with { Record = Blank(text) }) with
            {
                Help = "Blank: it adds a new one.",
            },
            Of<FormPanel>(
                "fields",
                "Fields",
                SettingPart.Content,
                new SettingKind.Fields(Written: true),
                panel => Joined(panel.Fields),
                (panel, text) => panel with { Fields = FieldNames(text) }),
            Of<FormPanel>(
                "labels",
                "Called here",
                SettingPart.Content,
                new SettingKind.FieldTexts(),
                panel => LabelOverride.ToText(panel.Labels),
                (panel, text) => panel with { Labels = LabelOverride.Read(text) }) with
            {
                Beside = "fields",
            },
            Of<FormPanel>(
                "defaults",
                "Filled in at first",
                SettingPart.Content,
                new SettingKind.FieldTexts(Computed: true, Into: true),
                panel => SettingKind.FieldTexts.Write(panel.Defaults),
                (panel, text) => panel with { Defaults = Texts(text) }) with
            {
                Beside = "fields",
            },
            Of<FormPanel>(
                "hiddenValues",
                "Saved without being shown",
                SettingPart.Behaviour,
                new SettingKind.FieldTexts(Computed: true, Into: true),
                panel => SettingKind.FieldTexts.Write(panel.HiddenValues),
                (panel, text) => panel with { HiddenValues = SettingKind.FieldTexts.Map(text)!.ToImmutableDictionary() }),
            Of<FormPanel>(
                "help",
                "Help before a field",
                SettingPart.Content,
                new SettingKind.FieldTexts(),
                panel => SettingKind.FieldTexts.Write(panel.Help),
                (panel, text) => panel with { Help = Texts(text) }) with
            {
                Beside = "fields",
            },
            Of<FormPanel>(
                "enabled",
                "Can be saved",
                SettingPart.Behaviour,
                new SettingKind.ComputedToggle(),
                panel => panel.Enabled,
                (panel, text) => panel with { Enabled = text is "yes" ? null : Blank(text) }),
            Of<FormPanel>(
                "afterSave",
                "After a save",
                SettingPart.Behaviour,
                new SettingKind.Steps(),
                panel => panel.AfterSave.ToText(),
                (panel, text) => panel with { AfterSave = PanelAction.Read(text)! }),
            Of<FormPanel>(
                "button",
                "Words on the button",
                SettingPart.Appearance,
                new SettingKind.Line(new FormulaType.Text()),
                panel => panel.Button,
                (panel, text) => panel with { Button = Blank(text) }),
        ])
    { NeedsDataset = true };

    /// <inheritdoc/>
    public override IEnumerable<PanelMember> Members(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return types.Dataset(Dataset) is not { } dataset ? [] :
            from name in Fields
            let field = dataset.Find(name)
            where field is not null
            let type = DatasetShapes.TypeOf(field)
            where type is not null
            select new PanelMember(name.Value, type, FromContent: true);
    }

    private static ImmutableDictionary<string, string> Texts(string text) =>
        SettingKind.FieldTexts.Map(text)!.Where(pair => pair.Value.Length > 0).ToImmutableDictionary();
}
