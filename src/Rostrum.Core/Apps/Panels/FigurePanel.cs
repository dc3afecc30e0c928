using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>One figure: how many records there are, or a total over them.</summary>
public sealed record FigurePanel : Panel, IPanelKind
{
    private static readonly ImmutableArray<(string, string)> Measures =

        [
            ("count", "how many there are"),
            ("sum", "the sum of"),
            ("average", "the average of"),
            ("least", "the least of"),
            ("most", "the most of"),
        ];

    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>Whose records are counted; all where null.</summary>
    public string? Within { get; init; }

    /// <summary>Which of them; all where null.</summary>
    public string? Filter { get; init; }

    /// <summary>What is told of them.</summary>
    public string Measure { get; init; } = "count";

    /// <summary>Of which field, unless they are only counted.</summary>
    public FieldName? Field { get; init; }

    /// <summary>The field that says when; null where the time does not matter.</summary>
    public FieldName? When { get; init; }

    /// <summary>Of which time: <c>day</c>, <c>week</c>, <c>month</c>, <c>quarter</c>, <c>year</c>; of all where blank.</summary>
    public string Period { get; init; } = "";

    /// <summary>It is held against the period before.</summary>
    public bool Compares { get; init; }

    /// <summary>What makes it stand out.</summary>
    public ImmutableArray<RecordTone> Tones { get; init; } = [];

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        var dataset = place.Dataset;
        if (Measure != "count" && (Field is not { } field || dataset?.Find(field) is not { Type.IsNumeric: true }))
        {
            yield return Lacks("field", "It tells something of a field with numbers: choose which.");
        }
        else if (Period.Length > 0 && (When is not { } when || dataset?.Find(when) is not { Type.HasDay: true }))
        {
            yield return Lacks("when", "It is of a certain time: choose the field that says when.");
        }
        else if (Compares && Period.Length == 0)
        {
            yield return Lacks("compares", "It is held against the time before: choose of which time it is.", warns: true);
        }
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Figure", "One number that matters", "123",
        (name, dataset) => new FigurePanel { Name = name, Dataset = dataset!.Id, Width = 3 },
        [
            Of<FigurePanel>(
                "dataset",
                "Dataset",
                SettingPart.Content,
                new SettingKind.SomeDataset(),
                panel => panel.Dataset.ToString(),
                (panel, text) => Guid.TryParse(text, out var id) ? panel with { Dataset = new DatasetId(id) } : null),
            Of<FigurePanel>(
                "within",
                "Whose records",
                SettingPart.Content,
                new SettingKind.SomeRecords(),
                panel => panel.Within,
                (panel, text) => panel with { Within = Blank(text) }),
            Of<FigurePanel>(
                "filter",
                "Which records",
                SettingPart.Content,
                new SettingKind.Condition(),
                panel => panel.Filter,
                (panel, text) => panel with { Filter = Blank(text) }),
            Of<FigurePanel>(
                "measure",
                "It tells",
                SettingPart.Content,
                new SettingKind.OneOf(Measures),
                panel => panel.Measure,
                (panel, text) => panel with { Measure = text }),
            Of<FigurePanel>(
                "field",
                "Of",
                SettingPart.Content,
                new SettingKind.OneField(Number: true),
                panel => panel.Field?.Value,
                (panel, text) => panel with { Field = text.Length == 0 ? null : new FieldName(text) }),
            Of<FigurePanel>(
                "period",
                "In which time",
                SettingPart.Content,
                new SettingKind.OneOf(FigurePeriod.Words),
                panel => panel.Period,
                (panel, text) => panel with { Period = text }),
            Of<FigurePanel>(
                "when",
                "By",
                SettingPart.Content,
                new SettingKind.OneField { Dates = true },
                panel => panel.When?.Value,
                (panel, text) => panel with { When = text.Length == 0 ? null : new FieldName(text) }),
            Of<FigurePanel>(
                "compares",
                "Against the time before",
                SettingPart.Content,
                new SettingKind.Toggle(),
                panel => Word(panel.Compares),
                (panel, text) => panel with { Compares = text == "yes" }),
            Of<FigurePanel>(
                "tones",
                "Stands out",
                SettingPart.Appearance,
                new SettingKind.Tones(OverValue: true),
                panel => SettingKind.Tones.Write(panel.Tones),
                (panel, text) => panel with { Tones = SettingKind.Tones.Read(text)!.Value }) with
            {
                Help = "A condition over value, such as value > 10.",
            },
        ])
    { NeedsDataset = true };

    /// <inheritdoc/>
    public override IEnumerable<PanelMember> Members(MemberTypes types) =>
        [new PanelMember("value", new FormulaType.Number(), FromContent: true)];
}
