namespace Rostrum.Core.Datasets;

/// <summary>A link from a dataset's records to one record each of another: each <i>defect</i> belongs to one <i>vessel</i>.</summary>
public sealed record Relation
{
    /// <summary>The name in formulas: <c>vessel</c>.</summary>
    public required FieldName Name { get; init; }

    /// <summary>What people read on the many side: "Vessel".</summary>
    public required string Label { get; init; }

    /// <summary>The field that holds the reference.</summary>
    public required FieldName Field { get; init; }

    /// <summary>The dataset referred to.</summary>
    public required DatasetId Target { get; init; }

    /// <summary>The field there that is referred to.</summary>
    public required FieldName TargetField { get; init; }

    /// <summary>The name of the other direction, in formulas: <c>defects</c>.</summary>
    public required FieldName InverseName { get; init; }

    /// <summary>What people read on the one side: "Defects".</summary>
    public required string InverseLabel { get; init; }

    /// <summary>How Rostrum knows, in words for the builder.</summary>
    public required string Because { get; init; }

    /// <summary>The source itself declares it.</summary>
    public bool Declared { get; init; }
}
