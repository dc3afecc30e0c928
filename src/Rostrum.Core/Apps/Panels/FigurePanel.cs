using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>One figure: how many records there are, or a total over them.</summary>
public sealed record FigurePanel : Panel, IPanelKind
{
    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>Whose records are counted; all where null.</summary>
    public string? RelatedTo { get; init; }

    /// <summary>Which of them; all where null.</summary>
    public string? Filter { get; init; }

    /// <summary>Values for the parameters of the query that it measures, by their names.</summary>
    public ImmutableDictionary<string, string> Parameters { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    public override ImmutableDictionary<string, string> QueryValues => Parameters;

    /// <summary>What is computed over a field; how many records there are where null.</summary>
    public Total? Measure { get; init; }

    /// <summary>The field that is measured, unless records are only counted.</summary>
    public FieldName? Field { get; init; }

    /// <summary>The field that says when; null where the time does not matter.</summary>
    public FieldName? When { get; init; }

    /// <summary>The period in which they lie; any where null.</summary>
    public Period? Period { get; init; }

    /// <summary>It is compared with the period before.</summary>
    public bool CompareWithPrevious { get; init; }

    /// <summary>What it should come to: a number, or a formula for one after <c>=</c>; nothing where null.</summary>
    public string? Target { get; init; }

    /// <summary>How it came to be is drawn below it: the same figure of each of the last twelve periods.</summary>
    public bool Trend { get; init; }

    /// <summary>What is counted or measured, behind the number: litres, for instance.</summary>
    public string? Unit { get; init; }

    /// <summary>The line below the number, or a formula for that; what it is of where null.</summary>
    public string? Caption { get; init; }

    /// <summary>What makes it stand out.</summary>
    public ImmutableArray<Highlight> Highlights { get; init; } = [];

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        var dataset = place.Dataset;
        if (Measure is not null && (Field is not { } field || dataset?.Find(field) is not { Type.IsNumeric: true }))
        {
            yield return Lacks("field", "A measure needs a field with numbers: choose which.");
        }
        else if (Period is not null && (When is not { } when || dataset?.Find(when) is not { Type.HasDay: true }))
        {
            yield return Lacks("when", "A period needs a date field: choose which.");
        }
        else if (Trend && Period is null)
        {
            yield return Lacks("trend", "A trend needs a period: choose one.", warns: true);
        }
        else if (CompareWithPrevious && Period is null)
        {
            yield return Lacks("compareWithPrevious", "A comparison with the previous period needs a period: choose one.", warns: true);
        }
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Figure",
            "One number that matters",
            "123",
            (name, dataset) =>
                new FigurePanel
                {
                    Name = name,
                    Dataset = dataset!.Id,
                    Width = 3,
                },
            [
                SettingsOf<FigurePanel>.Dataset(panel => panel.Dataset, (panel, dataset) => panel with { Dataset = dataset }),
                SettingsOf<FigurePanel>.QueryParameters(panel => panel.Parameters, (panel, values) => panel with { Parameters = values }),
                SettingsOf<FigurePanel>.RelatedTo(panel => panel.RelatedTo, (panel, formula) => panel with { RelatedTo = formula }),
                SettingsOf<FigurePanel>.Filter("Filter", panel => panel.Filter, (panel, formula) => panel with { Filter = formula }),
                SettingsOf<FigurePanel>.Measure(panel => panel.Measure, (panel, measure) => panel with { Measure = measure }),
                SettingsOf<FigurePanel>.Field(
                    "field",
                    "Field",
                    new SettingKind.OneField(Number: true),
                    panel => panel.Field,
                    (panel, field) => panel with { Field = field }
                ),
                SettingsOf<FigurePanel>.Period(panel => panel.Period, (panel, period) => panel with { Period = period }),
                SettingsOf<FigurePanel>.Field(
                    "when",
                    "Date field",
                    new SettingKind.OneField { Dates = true },
                    panel => panel.When,
                    (panel, field) => panel with { When = field }
                ),
                SettingsOf<FigurePanel>.CompareWithPrevious(
                    panel => panel.CompareWithPrevious,
                    (panel, on) => panel with { CompareWithPrevious = on }
                ),
                SettingsOf<FigurePanel>.Toggle(
                    "trend",
                    "Trend of twelve periods",
                    SettingPart.Content,
                    panel => panel.Trend,
                    (panel, on) => panel with { Trend = on }
                ),
                SettingsOf<FigurePanel>.NumberOrFormula(
                    "target",
                    "Target",
                    panel => panel.Target,
                    (panel, text) => panel with { Target = text }
                ) with
                {
                    Help = "Draws a gauge of how much of it is reached.",
                },
                SettingsOf<FigurePanel>.Text(
                    "unit",
                    "Unit",
                    SettingPart.Appearance,
                    panel => panel.Unit,
                    (panel, text) => panel with { Unit = text }
                ),
                SettingsOf<FigurePanel>.Text(
                    "caption",
                    "Caption",
                    SettingPart.Appearance,
                    panel => panel.Caption,
                    (panel, text) => panel with { Caption = text }
                ),
                SettingsOf<FigurePanel>.Highlights(
                    panel => panel.Highlights,
                    (panel, highlights) => panel with { Highlights = highlights },
                    overValue: true
                ) with
                {
                    Help = "A condition over value, such as value > 10.",
                },
            ]
        )
        {
            NeedsDataset = true,
        };

    /// <inheritdoc/>
    public override IEnumerable<PanelMember> Members(MemberTypes types) =>
        [new PanelMember("value", new FormulaType.Number(), FromContent: true)];
}
