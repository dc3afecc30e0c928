using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Panels.Charts;

/// <summary>Figures over groups of a dataset's records, in whatever way they are shown.</summary>
public abstract record GroupedPanel : Panel
{
    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>Whose records are meant; all where null.</summary>
    public string? RelatedTo { get; init; }

    /// <summary>Which of them; all where null.</summary>
    public string? Filter { get; init; }

    /// <summary>Values for the parameters of the query that it shows, by their names.</summary>
    public ImmutableDictionary<string, string> Parameters { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    public override ImmutableDictionary<string, string> QueryValues => Parameters;

    /// <summary>What is computed over a field; how many records there are where null.</summary>
    public Total? Measure { get; init; }

    /// <summary>The field that is measured; of a scatter, the number along the bottom.</summary>
    public FieldName? Field { get; init; }

    /// <summary>What else is computed.</summary>
    public Total? SecondMeasure { get; init; }

    /// <summary>Over which field; of a scatter, the number up the side.</summary>
    public FieldName? SecondField { get; init; }

    /// <summary>What is computed from the measures of each group, after <c>=</c>, and shown in their place; nothing where null.</summary>
    public string? Formula { get; init; }

    /// <summary>What that is called; its text where null.</summary>
    public string? FormulaLabel { get; init; }

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <summary>Where the formula over the measures stands; null where there is none.</summary>
    public FormulaPlace? FormulaOver =>
        Formula is { } formula ? new FormulaPlace(formula[1..]) { Knows = PageScope.OfMeasures, Wanted = new FormulaType.Number() } : null;

    /// <summary>What is computed over each group: one measure, or two.</summary>
    /// <param name="dataset">The dataset.</param>
    public ImmutableArray<ChartMeasure> Measures(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ChartMeasure Of(Total? total, FieldName? field) =>
            total is { } known && field is { } name
                ? new ChartMeasure(new FieldTotal(name, known), ChartMeasure.LabelOf(known, dataset.LabelOf(name)))
                : new ChartMeasure(null, dataset.Label);
        return SecondMeasure is null ? [Of(Measure, Field)] : [Of(Measure, Field), Of(SecondMeasure, SecondField)];
    }

    /// <summary>Why nothing can be computed: a field that is measured is not there. Null where all are.</summary>
    public string? Unmeasured(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        bool IsLost(Total? total, FieldName? name) => total is not null && (name is not { } known || dataset.Find(known) is null);
        return IsLost(Measure, Field) || IsLost(SecondMeasure, SecondField) ? "The field that is measured is no longer there." : null;
    }

    private protected static Dimension? Grouped(Dataset dataset, FieldName? name, Grouping? grouping, int rangeSize = 0)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return name is { } known && dataset.Find(known) is { } field
            ? new Dimension(
                field with
                {
                    Label = dataset.LabelOf(known),
                },
                grouping ?? Dimension.Usual(field),
                rangeSize > 0 ? rangeSize : 1
            )
            : null;
    }

    private protected static bool IsNumber(Dataset dataset, FieldName? name) =>
        name is { } known && dataset.Find(known) is { Type.IsNumeric: true };

    private protected IEnumerable<AppProblem> Unsuited(string setting, Dimension? by)
    {
        if (by is not null && !Dimension.Suits(by.Grouping, by.Field.Type))
        {
            var grouping = Dimension.Offered.First(offered => offered.Grouping == by.Grouping).Label;
            yield return Lacks(setting, $"“{by.Field.Label}” cannot be grouped by {grouping}.");
        }
    }

    private protected IEnumerable<AppProblem> MeasureProblems(Dataset dataset)
    {
        if (Measure is not null && !IsMeasured(dataset, Measure, Field))
        {
            yield return Lacks("field", "A measure needs a field with numbers: choose which.");
        }

        if (SecondMeasure is not null && !IsMeasured(dataset, SecondMeasure, SecondField))
        {
            yield return Lacks("secondField", "The second measure needs a field with numbers: choose which.");
        }
    }

    private static bool IsMeasured(Dataset dataset, Total? measure, FieldName? name) =>
        measure is Total.Distinct ? name is { } known && dataset.Find(known) is not null : IsNumber(dataset, name);

    /// <summary>The settings that say which records are meant.</summary>
    private protected static ImmutableArray<Setting> Records { get; } =
    [
        SettingsOf<GroupedPanel>.Dataset(panel => panel.Dataset, (panel, dataset) => panel with { Dataset = dataset }),
        SettingsOf<GroupedPanel>.QueryParameters(panel => panel.Parameters, (panel, values) => panel with { Parameters = values }),
        SettingsOf<GroupedPanel>.RelatedTo(panel => panel.RelatedTo, (panel, formula) => panel with { RelatedTo = formula }),
        SettingsOf<GroupedPanel>.Filter("Filter", panel => panel.Filter, (panel, formula) => panel with { Filter = formula }),
    ];

    /// <summary>The settings of what is computed.</summary>
    private protected static ImmutableArray<Setting> FirstMeasure { get; } =
    [
        SettingsOf<GroupedPanel>.Measure(panel => panel.Measure, (panel, measure) => panel with { Measure = measure }),
        SettingsOf<GroupedPanel>
            .Field("field", "Field", new SettingKind.OneField(), panel => panel.Field, (panel, field) => panel with { Field = field })
            .Where<GroupedPanel>(panel => panel.Measure is not null || panel is ChartPanel { Type: ChartType.Scatter }),
    ];

    /// <summary>The settings of what is computed beside that.</summary>
    private protected static ImmutableArray<Setting> OtherMeasure { get; } =
    [
        SettingsOf<GroupedPanel>.Choice(
            "secondMeasure",
            "Second measure",
            SettingPart.Content,
            "none",
            FieldTotal.Offered,
            panel => panel.SecondMeasure,
            (panel, measure) => panel with { SecondMeasure = measure }
        ),
        SettingsOf<GroupedPanel>
            .Field(
                "secondField",
                "Second field",
                new SettingKind.OneField(),
                panel => panel.SecondField,
                (panel, field) => panel with { SecondField = field }
            )
            .Where<GroupedPanel>(panel => panel.SecondMeasure is not null || panel is ChartPanel { Type: ChartType.Scatter }),
    ];

    /// <summary>The settings of what is computed from the measures.</summary>
    private protected static ImmutableArray<Setting> OverMeasures { get; } =
    [
        Setting.Of<GroupedPanel>(
            "formula",
            "Formula",
            SettingPart.Content,
            new SettingKind.Line(new FormulaType.Number(), Knows: PageScope.OfMeasures),
            panel => panel.Formula,
            (panel, text) =>
                panel with
                {
                    Formula = Setting.Blank(text) is not { } formula || Computed.IsFormula(formula) ? Setting.Blank(text) : "=" + formula,
                }
        ) with
        {
            Help = "Shown instead: =second_measure / measure",
        },
        SettingsOf<GroupedPanel>.Text(
            "formulaLabel",
            "Label of the formula",
            SettingPart.Content,
            panel => panel.FormulaLabel,
            (panel, text) => panel with { FormulaLabel = text }
        ),
    ];
}
