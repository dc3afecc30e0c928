namespace Rostrum.Core.Datasets.Drafting;

/// <summary>When and by whom a record was made or changed: nobody is asked for it.</summary>
/// <param name="Default">What it is set to; null where the table does that.</param>
/// <param name="WithEachChange">It is set with each change, and not only when the record is made.</param>
internal sealed record Bookkeeping(string? Default, bool WithEachChange)
{
    private const int ShortestName = 20;

    private static readonly HashSet<string> Made = new(StringComparer.OrdinalIgnoreCase) { "added", "created", "creation", "inserted" };
    private static readonly HashSet<string> Changed = new(StringComparer.OrdinalIgnoreCase)
    {
        "changed",
        "edited",
        "modified",
        "modification",
        "updated",
    };

    /// <summary>What a column keeps of this; null where it keeps something else.</summary>
    public static Bookkeeping? Of(TableStructure table, ColumnStructure column, FieldType type)
    {
        if (
            Wording.Label(column.Name).Split(' ') is not [var what, var ending]
            || !(Made.Contains(what) || Changed.Contains(what))
            || !(ending is "by" ? IsName(table, column, type) : type.HasDay && ending is "at" or "on" or "date" or "time")
        )
        {
            return null;
        }

        var withEachChange = Changed.Contains(what);
        var isSet = column.Default is not null && !withEachChange;
        return new Bookkeeping(
            isSet ? null
                : ending is "by" ? "=user.name"
                : type is FieldType.Date ? "=TODAY()"
                : "=NOW()",
            withEachChange
        );
    }

    // A text that can hold a person's name, and names no record of its own.
    private static bool IsName(TableStructure table, ColumnStructure column, FieldType type) =>
        type is FieldType.Text { MaxLength: null or >= ShortestName }
        && table.ForeignKeys.All(key => !key.Columns.Contains(column.Name))
        && column.Default is null;
}
