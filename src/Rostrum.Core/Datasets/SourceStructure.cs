using System.Collections.Immutable;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Datasets;

/// <summary>What a source says of itself: its tables, in the order of their names.</summary>
public sealed record SourceStructure(ImmutableArray<TableStructure> Tables)
{
    /// <summary>A table by its name, or null.</summary>
    public TableStructure? Find(TableName name) => Tables.FirstOrDefault(table => table.Name == name);
}

/// <summary>A table or a view.</summary>
public sealed record TableStructure
{
    /// <summary>Its name in the source.</summary>
    public required TableName Name { get; init; }

    /// <summary>A view, whose rows are not written.</summary>
    public bool IsView { get; init; }

    /// <summary>The source's comment.</summary>
    public string? Comment { get; init; }

    /// <summary>The source's own estimate; null where it has none.</summary>
    public long? EstimatedRows { get; init; }

    /// <summary>Columns in the source's order.</summary>
    public required ImmutableArray<ColumnStructure> Columns { get; init; }

    /// <summary>The primary key's columns; empty where there is none.</summary>
    public ImmutableArray<string> PrimaryKey { get; init; } = [];

    /// <summary>Other unique keys, each as its columns.</summary>
    public ImmutableArray<ImmutableArray<string>> UniqueKeys { get; init; } = [];

    /// <summary>Declared foreign keys.</summary>
    public ImmutableArray<ForeignKey> ForeignKeys { get; init; } = [];

    /// <summary>What is given to it where it is read; none where it is a plain table.</summary>
    public ImmutableArray<QueryParameter> Inputs { get; init; } = [];

    /// <summary>The conditions of its CHECK constraints, in SQL; in those of a column's domain the column stands by its name.</summary>
    public ImmutableArray<string> Checks { get; init; } = [];

    /// <summary>Whether these columns, and no fewer, are declared to name a row.</summary>
    public bool IsUnique(params string[] columns) =>
        UniqueKeys.Add(PrimaryKey).Any(key => !key.IsEmpty && columns.ToHashSet().SetEquals(key));
}

/// <summary>A column.</summary>
/// <param name="Name">In the source's spelling.</param>
/// <param name="Type">What Rostrum makes of it.</param>
/// <param name="NativeType">The source's type, as it would be written in a cast.</param>
/// <param name="Nullable">Whether it may be blank.</param>
/// <param name="Default">The default's expression, as the source writes it.</param>
/// <param name="Generation">Who sets it.</param>
/// <param name="Comment">The source's comment.</param>
public sealed record ColumnStructure(
    string Name,
    FieldType Type,
    string NativeType,
    bool Nullable,
    string? Default = null,
    ColumnGeneration Generation = ColumnGeneration.None,
    string? Comment = null
)
{
    /// <summary>What its values say of it; null where nobody asked them.</summary>
    public ValueEvidence? Values { get; init; }
}

/// <summary>A declared foreign key.</summary>
/// <param name="Columns">The referring columns.</param>
/// <param name="Target">The table referred to.</param>
/// <param name="TargetColumns">Its columns, in the same order.</param>
/// <param name="OnDelete">What becomes of the referring rows where the target is deleted.</param>
public sealed record ForeignKey(
    ImmutableArray<string> Columns,
    TableName Target,
    ImmutableArray<string> TargetColumns,
    DeleteAction OnDelete = DeleteAction.Refuse
)
{
    /// <summary>Deleting the target changes or deletes the referring rows.</summary>
    public bool Cascades => OnDelete is not DeleteAction.Refuse;
}

/// <summary>Columns whose rows are deleted or emptied with the row to which they refer.</summary>
/// <param name="Table">Their table.</param>
/// <param name="Columns">The columns.</param>
public sealed record ReachedColumns(TableName Table, ImmutableArray<string> Columns);

/// <summary>What becomes of the rows that refer to one that is deleted.</summary>
public enum DeleteAction
{
    /// <summary>Nothing: it cannot be deleted while there are such.</summary>
    Refuse,

    /// <summary>They are deleted with it.</summary>
    Delete,

    /// <summary>They refer to nothing, or to what the table has as its default.</summary>
    Clear,
}
