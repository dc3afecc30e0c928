using System.Collections.Immutable;
using System.Text.Json.Serialization;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Actions;

/// <summary>Adds a record.</summary>
public sealed record CreateRecord : Step, IStepKind
{
    /// <summary>The dataset.</summary>
    public DatasetId? Dataset { get; init; }

    /// <summary>Values for its fields: as they stand, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Values { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    [JsonIgnore]
    public override DatasetId? Gives => Dataset;

    /// <inheritdoc/>
    [JsonIgnore]
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public static new StepKind Kind { get; } = new("Add a record", () => new CreateRecord(),
        [
            Of<CreateRecord>("dataset", "To", SettingPart.Content, new SettingKind.SomeDataset(), step => step.Dataset?.ToString(), (step, text) => step with { Dataset = Guid.TryParse(text, out var id) ? new DatasetId(id) : null }),
            Of<CreateRecord>("values", "With these values", SettingPart.Content, new SettingKind.FieldTexts(Computed: true, Into: true), step => SettingKind.FieldTexts.Write(step.Values), (step, text) => step with { Values = SettingKind.FieldTexts.Map(text)!.ToImmutableDictionary() }),
        ]);
}

/// <summary>Changes a record.</summary>
public sealed record UpdateRecord : Step, IStepKind
{
    /// <summary>The dataset.</summary>
    public DatasetId? Dataset { get; init; }

    /// <summary>Which record: a formula; null where it is the one beside which the action stands.</summary>
    public string? Record { get; init; }

    /// <summary>Values for its fields: as they stand, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Values { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    [JsonIgnore]
    public override DatasetId? Gives => Dataset;

    /// <inheritdoc/>
    [JsonIgnore]
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public static new StepKind Kind { get; } = new("Change a record", () => new UpdateRecord(),
        [
            Of<UpdateRecord>("dataset", "Of", SettingPart.Content, new SettingKind.SomeDataset(), step => step.Dataset?.ToString(), (step, text) => step with { Dataset = Guid.TryParse(text, out var id) ? new DatasetId(id) : null }),
            Of<UpdateRecord>("record", "Which", SettingPart.Content, new SettingKind.SomeRecord(), step => step.Record, (step, text) => step with { Record = Blank(text) }),
            Of<UpdateRecord>("values", "To these values", SettingPart.Content, new SettingKind.FieldTexts(Computed: true, Into: true), step => SettingKind.FieldTexts.Write(step.Values), (step, text) => step with { Values = SettingKind.FieldTexts.Map(text)!.ToImmutableDictionary() }),
        ]);
}

/// <summary>Deletes a record.</summary>
public sealed record DeleteRecord : Step, IStepKind
{
    /// <summary>The dataset.</summary>
    public DatasetId? Dataset { get; init; }

    /// <summary>Which record: a formula; null where it is the one beside which the action stands.</summary>
    public string? Record { get; init; }

    /// <inheritdoc/>
    [JsonIgnore]
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public static new StepKind Kind { get; } = new("Delete a record", () => new DeleteRecord(),
        [
            Of<DeleteRecord>("dataset", "Of", SettingPart.Content, new SettingKind.SomeDataset(), step => step.Dataset?.ToString(), (step, text) => step with { Dataset = Guid.TryParse(text, out var id) ? new DatasetId(id) : null }),
            Of<DeleteRecord>("record", "Which", SettingPart.Content, new SettingKind.SomeRecord(), step => step.Record, (step, text) => step with { Record = Blank(text) }),
        ]);
}
