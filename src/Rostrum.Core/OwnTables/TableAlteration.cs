using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.OwnTables;

/// <summary>What a builder altered of an own table, with what it takes to undo it.</summary>
public abstract record TableAlteration
{
    private TableAlteration() { }

    /// <summary>The column that it is about; null where it is about the table.</summary>
    public virtual string? Column => null;

    /// <summary>A field was added.</summary>
    /// <param name="Name">Its column.</param>
    public sealed record FieldAdded(string Name) : TableAlteration
    {
        /// <inheritdoc/>
        public override string? Column => Name;
    }

    /// <summary>A field was removed.</summary>
    /// <param name="Was">What it was of the table.</param>
    /// <param name="Before">The dataset with it.</param>
    /// <param name="Field">What it was called there.</param>
    public sealed record FieldRemoved(OwnField Was, Dataset Before, FieldName Field) : TableAlteration
    {
        /// <inheritdoc/>
        public override string? Column => Before[Field].Column;
    }

    /// <summary>A field came to hold something else.</summary>
    /// <param name="Was">What it held.</param>
    /// <param name="Before">The dataset with it.</param>
    /// <param name="Field">What it was called there.</param>
    public sealed record FieldRetyped(OwnField Was, Dataset Before, FieldName Field) : TableAlteration
    {
        /// <inheritdoc/>
        public override string? Column => Before[Field].Column;
    }

    /// <summary>A field was called otherwise.</summary>
    /// <param name="Name">Its column.</param>
    /// <param name="Was">Its label before.</param>
    public sealed record FieldRenamed(string Name, string Was) : TableAlteration
    {
        /// <inheritdoc/>
        public override string? Column => Name;
    }

    /// <summary>The table was removed.</summary>
    /// <param name="Before">Its dataset.</param>
    /// <param name="References">The keys by which it led to other tables.</param>
    public sealed record TableRemoved(Dataset Before, ImmutableArray<OwnReference> References) : TableAlteration;
}

/// <summary>A key by which an own table leads to another.</summary>
/// <param name="Name">The constraint.</param>
/// <param name="Column">The column that leads there.</param>
/// <param name="Target">The other table.</param>
/// <param name="GoesWith">Its records go with those to which they lead.</param>
public sealed record OwnReference(string Name, string Column, string Target, bool GoesWith);
