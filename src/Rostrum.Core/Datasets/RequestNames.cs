using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>A limit for each value of a field.</summary>
/// <param name="Field">A field that the dataset keeps.</param>
/// <param name="Most">The limit.</param>
public sealed record EachOf(FieldName Field, int Most);

/// <summary>Names for the formulas of a request, and what they stand for.</summary>
/// <param name="Shapes">The shapes with which they were made: within the rights of whoever makes the request.</param>
/// <param name="Names">The names.</param>
/// <param name="Given">What they stand for.</param>
public sealed record RequestNames(DatasetShapes Shapes, Formulas.FormulaNames Names, IReadOnlyDictionary<string, object?> Given);

/// <summary>A value that a formula gives for each record.</summary>
/// <param name="Name">Its name in the answer; no field of the dataset has it.</param>
/// <param name="Formula">A formula over the dataset's records, as text.</param>
public sealed record ComputedColumn(FieldName Name, string Formula);

/// <summary>
/// A field or a computed column to sort by, or, where the field carries a relation, the title of the related record. Blanks come last in
/// both directions.
/// </summary>
public sealed record SortBy(FieldName Field, bool Descending = false);
