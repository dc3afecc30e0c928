using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Steps;

/// <summary>Reads records.</summary>
public abstract record ReadStep : Step
{
    /// <summary>The dataset.</summary>
    public DatasetId? Dataset { get; init; }

    /// <summary>A formula that holds for the records that are meant; all of them where blank.</summary>
    public string Filter { get; init; } = "";

    /// <summary>Values for the parameters of the query that the dataset is.</summary>
    public ImmutableDictionary<string, string> Parameters { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>The field that orders them, the last first where a minus stands before it; as they are keyed where blank.</summary>
    public string Order { get; init; } = "";

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Dataset is null ? ["Choose the dataset whose records it reads."] : [];

    private protected StepOutcome Read(IStepScope scope, int limit, bool one)
    {
        if (Dataset is not { } id || scope.Datasets.Find(id) is not { } dataset)
        {
            return StepOutcome.Failed("A step names no dataset.");
        }

        var values = FieldValues.None;
        if (!dataset.Parameters.IsEmpty && !Parameters.IsEmpty)
        {
            var asFields = dataset with { Fields = [.. dataset.Parameters.Select(parameter => parameter.AsField)] };
            (values, var problem) = FieldTexts.Read(scope, asFields, Parameters);
            if (problem is not null)
            {
                return StepOutcome.Failed(problem);
            }
        }

        ImmutableArray<SortBy> sort = Order.Length == 0 ? [] : [new SortBy(new FieldName(Order.TrimStart('-')), Order.StartsWith('-'))];
        return StepOutcome.Of(new StepEffect.Read(id, Filter, values, sort, limit, one));
    }

    private protected static ImmutableArray<Setting> ReadSettings { get; } =
    [
        SettingsOf<ReadStep>.Dataset("Dataset", step => step.Dataset, (step, id) => step with { Dataset = id, Order = "" }),
        Setting.Of<ReadStep>(
            "filter",
            "Filter",
            SettingPart.Content,
            new SettingKind.Condition(),
            step => step.Filter,
            (step, text) => step with { Filter = text.Trim() }
        ),
        SettingsOf<ReadStep>.QueryParameters(step => step.Parameters, (step, texts) => step with { Parameters = texts }),
        Setting.Of<ReadStep>(
            "order",
            "Order",
            SettingPart.Content,
            new SettingKind.OneField(),
            step => step.Order,
            (step, text) => step with { Order = text }
        ),
    ];
}

/// <summary>Reads the first record for which a condition holds.</summary>
public sealed record ReadRecord : ReadStep, IStepKind
{
    /// <inheritdoc/>
    public override string ResultName => "found";

    /// <inheritdoc/>
    public override FormulaType? Gives(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return types.Record(Dataset);
    }

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope) => Read(scope, 1, one: true);

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new("Read a record", () => new ReadRecord(), ReadSettings) { Places = StepPlaces.Workflow | StepPlaces.Save, Icon = "file-text" };
}

/// <summary>Reads the records for which a condition holds.</summary>
public sealed record ReadRecords : ReadStep, IStepKind
{
    /// <summary>How many at most where nothing else is said.</summary>
    public const int UsualLimit = 1_000;

    /// <summary>How many at most; where there are more, it fails.</summary>
    public int Limit { get; init; } = UsualLimit;

    /// <inheritdoc/>
    public override string ResultName => "found";

    /// <inheritdoc/>
    public override FormulaType? Gives(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return types.Record(Dataset) is { } record ? new FormulaType.List(record) : null;
    }

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope) => Read(scope, Limit, one: false);

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Read records",
            () => new ReadRecords(),
            [
                .. ReadSettings,
                SettingsOf<ReadRecords>.Number(
                    "limit",
                    "Limit",
                    SettingPart.Behaviour,
                    1,
                    ForEach.MostItems,
                    step => step.Limit,
                    (step, limit) => step with { Limit = limit }
                ),
            ]
        )
        {
            Places = StepPlaces.Workflow | StepPlaces.Save,
            Icon = "files",
        };
}

/// <summary>Changes the record that has the same values in some fields, or adds one.</summary>
public sealed record AddOrChange : Step, IStepKind
{
    /// <summary>The dataset.</summary>
    public DatasetId? Dataset { get; init; }

    /// <summary>The fields that tell the record.</summary>
    public ImmutableArray<FieldName> Match { get; init; } = [];

    /// <summary>Values for its fields: as they stand, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Values { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override string ResultName => "saved";

    /// <inheritdoc/>
    public override FormulaType? Gives(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return types.Record(Dataset);
    }

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return Dataset is not { } id || scope.Datasets.Find(id) is not { } dataset
            ? StepOutcome.Failed("A step names no dataset.")
            : FieldTexts.Read(scope, dataset, Values) switch
            {
                (_, { } problem) => StepOutcome.Failed(problem),
                var (values, _) => StepOutcome.Of(new StepEffect.AddOrChange(id, Match, values)),
            };
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking()
    {
        if (Dataset is null)
        {
            yield return "Choose the dataset to which it adds.";
        }
        else if (Match.IsEmpty)
        {
            yield return "Say which fields tell the record that is changed.";
        }
        else if (Match.FirstOrDefault(field => !Values.ContainsKey(field.Value)) is { Value: not null } without)
        {
            yield return $"The field “{without}” tells the record, and has no value.";
        }
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Add or change a record",
            () => new AddOrChange(),
            [
                SettingsOf<AddOrChange>.Dataset("Dataset", step => step.Dataset, (step, id) => step with { Dataset = id, Match = [] }),
                Setting.Of<AddOrChange>(
                    "match",
                    "Fields that tell the record",
                    SettingPart.Content,
                    new SettingKind.Fields(Written: true),
                    step => Setting.Joined(step.Match),
                    (step, text) => step with { Match = Setting.FieldNames(text) }
                ),
                SettingsOf<AddOrChange>.Texts(
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
            Places = StepPlaces.Workflow,
            Icon = "plus-slash-minus",
        };
}
