using Rostrum.Core.Formulas;

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

    /// <summary>What the source does with these records where the one to which they lead is deleted; null where it is not known.</summary>
    public DeleteAction? OnDelete { get; init; }

    /// <summary>
    /// No two records lead to the same one, as a key of the source guarantees: the other direction leads to one record too.
    /// </summary>
    public bool OneToOne { get; init; }

    /// <summary>The other direction of a one-to-one relation, as a relation of the dataset to which this one leads.</summary>
    internal Relation Turned(DatasetId from) =>
        this with
        {
            Name = InverseName,
            Label = InverseLabel,
            Field = TargetField,
            Target = from,
            TargetField = Field,
            InverseName = Name,
            InverseLabel = Label,
        };
}

/// <summary>Records of another dataset by way of a table that links the two: a <i>sailing</i> has several <i>crew</i>.</summary>
/// <param name="Name">The name in formulas: <c>crew</c>.</param>
/// <param name="Label">What people read.</param>
/// <param name="By">The name that the linking records have here: <c>sailing_crew</c>.</param>
/// <param name="To">The relation by which each of those leads on.</param>
public sealed record LinkedRelation(FieldName Name, string Label, FieldName By, FieldName To)
{
    /// <summary>What it means, as a formula over the record.</summary>
    public string Formula => $"{Formatter.Name(By.Value)}.{Formatter.Name(To.Value)}";
}
