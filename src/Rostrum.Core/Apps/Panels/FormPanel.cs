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

    /// <summary>The record can be deleted with it, by whoever may.</summary>
    public bool AllowDeleting { get; init; }

    /// <summary>What happens after a save.</summary>
    public PanelAction AfterSave { get; init; } = PanelAction.Nothing;

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        Fields.IsEmpty && HiddenValues.IsEmpty ? [Lacks("fields", "It has no fields.")] : [];

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Form",
            "To add a record, or change one",
            "ui-checks",
            (name, dataset) =>
                new FormPanel
                {
                    Name = name,
                    Dataset = dataset!.Id,
                    Fields = [.. AppDrafting.Visible(dataset).Where(field => dataset[field].ReadOnlyBecause is null)],
                    Width = 6,
                },
            [
                SettingsOf<FormPanel>.Dataset(panel => panel.Dataset, (panel, dataset) => panel with { Dataset = dataset }),
                SettingsOf<FormPanel>.Record("Record", panel => panel.Record, (panel, formula) => panel with { Record = formula }) with
                {
                    Help = "Blank: the form adds a new record.",
                },
                SettingsOf<FormPanel>.Fields(
                    "fields",
                    "Fields",
                    panel => panel.Fields,
                    (panel, names) => panel with { Fields = names },
                    written: true
                ),
                SettingsOf<FormPanel>.Labels("fields", panel => panel.Labels, (panel, labels) => panel with { Labels = labels }),
                SettingsOf<FormPanel>.Texts(
                    "defaults",
                    "Default values",
                    SettingPart.Content,
                    new(Computed: true, Into: true),
                    panel => panel.Defaults,
                    (panel, texts) => panel with { Defaults = texts }
                ) with
                {
                    Beside = "fields",
                },
                SettingsOf<FormPanel>.Texts(
                    "hiddenValues",
                    "Hidden values",
                    SettingPart.Behaviour,
                    new(Computed: true, Into: true),
                    panel => panel.HiddenValues,
                    (panel, texts) => panel with { HiddenValues = texts }
                ),
                SettingsOf<FormPanel>.Texts(
                    "help",
                    "Help text",
                    SettingPart.Content,
                    new(),
                    panel => panel.Help,
                    (panel, texts) => panel with { Help = texts }
                ) with
                {
                    Beside = "fields",
                },
                SettingsOf<FormPanel>.Computed(
                    "enabled",
                    "Enabled",
                    SettingPart.Behaviour,
                    panel => panel.Enabled,
                    (panel, formula) => panel with { Enabled = formula }
                ),
                SettingsOf<FormPanel>.Toggle(
                    "allowDeleting",
                    "Delete button",
                    SettingPart.Behaviour,
                    panel => panel.AllowDeleting,
                    (panel, on) => panel with { AllowDeleting = on }
                ),
                SettingsOf<FormPanel>.Steps(
                    "afterSave",
                    "Steps after saving",
                    panel => panel.AfterSave,
                    (panel, steps) => panel with { AfterSave = steps }
                ),
                SettingsOf<FormPanel>.Text(
                    "button",
                    "Button label",
                    SettingPart.Appearance,
                    panel => panel.Button,
                    (panel, text) => panel with { Button = text }
                ),
            ]
        )
        {
            NeedsDataset = true,
        };

    /// <inheritdoc/>
    public override IEnumerable<PanelMember> Members(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return types.Dataset(Dataset) is not { } dataset
            ? []
            : from name in Fields
            let field = dataset.Find(name)
            where field is not null
            let type = DatasetShapes.TypeOf(field)
            where type is not null
            select new PanelMember(name.Value, type, FromContent: true);
    }

    private static ImmutableDictionary<string, string> Texts(string text) =>
        SettingKind.FieldTexts.Map(text)!.Where(pair => pair.Value.Length > 0).ToImmutableDictionary();
}
