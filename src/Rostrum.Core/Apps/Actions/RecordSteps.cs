using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Actions;

/// <summary>A step that changes a record.</summary>
public abstract record RecordStep : Step
{
    /// <summary>The dataset.</summary>
    public DatasetId? Dataset { get; init; }

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public sealed override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return Dataset is { } id && scope.Datasets.Find(id) is { } dataset
            ? Run(scope, dataset)
            : StepOutcome.Failed("A step names no dataset.");
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Dataset is null ? ["A step changes records: choose of which dataset."] : [];

    /// <summary>What it comes to, where its dataset is known.</summary>
    protected abstract StepOutcome Run(IStepScope scope, Dataset dataset);

    /// <summary>A record of its dataset.</summary>
    private protected FormulaType.Record? RecordOf(MemberTypes types) => types.Record(Dataset);

    /// <summary>The record that a formula names; without one, that beside which the action stands.</summary>
    private protected static RecordKey? Which(IStepScope scope, string? formula) =>
        formula is null ? scope.Row : (scope.Value(formula) as FormulaRecord)?.Identity as RecordKey;

    /// <summary>The choice of its dataset.</summary>
    private protected static Setting DatasetSetting() =>
        SettingsOf<RecordStep>.Dataset("Dataset", step => step.Dataset, (step, dataset) => step with { Dataset = dataset });

    private protected static StepOutcome Save(Dataset dataset, Change change) => StepOutcome.Of(new StepEffect.Save(dataset.Id, change));

    private protected static StepOutcome NoneChosen(Dataset dataset) => StepOutcome.Failed($"No {dataset.RecordLabel} is chosen.");
}

/// <summary>Adds a record.</summary>
public sealed record CreateRecord : RecordStep, IStepKind
{
    /// <summary>Values for its fields: as they stand, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Values { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    public override string? ResultName => "added";

    /// <inheritdoc/>
    public override FormulaType? Gives(MemberTypes types) => RecordOf(types);

    /// <inheritdoc/>
    protected override StepOutcome Run(IStepScope scope, Dataset dataset) =>
        FieldTexts.Read(scope, dataset, Values) switch
        {
            (_, { } problem) => StepOutcome.Failed(problem),
            var (values, _) => Save(dataset, new Change.Insert(values)),
        };

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Add a record",
            () => new CreateRecord(),
            [
                DatasetSetting(),
                SettingsOf<CreateRecord>.Texts(
                    "values",
                    "Values",
                    SettingPart.Content,
                    new(Computed: true, Into: true),
                    step => step.Values,
                    (step, texts) => step with { Values = texts }
                ),
            ]
        )
        {
            Places = StepPlaces.Page | StepPlaces.Workflow,
            Icon = "plus-square",
        };
}

/// <summary>Changes a record.</summary>
public sealed record UpdateRecord : RecordStep, IStepKind
{
    /// <summary>Which record: a formula; null where it is the one beside which the action stands.</summary>
    public string? Record { get; init; }

    /// <summary>Values for its fields: as they stand, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Values { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    public override string? ResultName => "changed";

    /// <inheritdoc/>
    public override FormulaType? Gives(MemberTypes types) => RecordOf(types);

    /// <inheritdoc/>
    protected override StepOutcome Run(IStepScope scope, Dataset dataset)
    {
        var (values, problem) = FieldTexts.Read(scope, dataset, Values);
        return problem is not null ? StepOutcome.Failed(problem)
            : Which(scope, Record) is { } key ? Save(dataset, new Change.Update(key, FieldValues.None, values))
            : NoneChosen(dataset);
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Change a record",
            () => new UpdateRecord(),
            [
                DatasetSetting(),
                SettingsOf<UpdateRecord>.Record("Record", step => step.Record, (step, formula) => step with { Record = formula }),
                SettingsOf<UpdateRecord>.Texts(
                    "values",
                    "Values",
                    SettingPart.Content,
                    new(Computed: true, Into: true),
                    step => step.Values,
                    (step, texts) => step with { Values = texts }
                ),
            ]
        )
        {
            Places = StepPlaces.Page | StepPlaces.Workflow,
            Icon = "pencil",
        };
}

/// <summary>Deletes a record.</summary>
public sealed record DeleteRecord : RecordStep, IStepKind
{
    /// <summary>Which record: a formula; null where it is the one beside which the action stands.</summary>
    public string? Record { get; init; }

    /// <inheritdoc/>
    protected override StepOutcome Run(IStepScope scope, Dataset dataset) =>
        Which(scope, Record) is { } key ? Save(dataset, new Change.Delete(key, FieldValues.None)) : NoneChosen(dataset);

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Delete a record",
            () => new DeleteRecord(),
            [
                DatasetSetting(),
                SettingsOf<DeleteRecord>.Record("Record", step => step.Record, (step, formula) => step with { Record = formula }),
            ]
        )
        {
            Places = StepPlaces.Page | StepPlaces.Workflow,
            Icon = "trash",
        };
}

/// <summary>Runs a statement that changes data.</summary>
public sealed record RunStatement : RecordStep, IStepKind
{
    /// <summary>Values for its parameters: as they stand, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Values { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    public override string? ResultName => "rows";

    /// <inheritdoc/>
    public override FormulaType? Gives(MemberTypes types) => new FormulaType.Number();

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() =>
        Dataset is null ? ["A step runs a statement: choose which. Statements are written with their source, under Data."] : [];

    /// <inheritdoc/>
    protected override StepOutcome Run(IStepScope scope, Dataset dataset) =>
        !dataset.IsStatement
            ? StepOutcome.Failed($"“{dataset.Label}” is no statement.")
            : FieldTexts.Read(scope, dataset, Values) switch
            {
                (_, { } problem) => StepOutcome.Failed(problem),
                var (values, _) => StepOutcome.Of(new StepEffect.RunStatement(dataset.Id, values)),
            };

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Run a statement",
            () => new RunStatement(),
            [
                SettingsOf<RunStatement>.Dataset(
                    "Statement",
                    step => step.Dataset,
                    (step, dataset) => step with { Dataset = dataset },
                    statements: true
                ),
                SettingsOf<RunStatement>.Texts(
                    "values",
                    "Parameters",
                    SettingPart.Content,
                    new(Computed: true, Into: true),
                    step => step.Values,
                    (step, texts) => step with { Values = texts }
                ),
            ]
        )
        {
            Places = StepPlaces.Page | StepPlaces.Workflow,
            Icon = "terminal",
        };
}
