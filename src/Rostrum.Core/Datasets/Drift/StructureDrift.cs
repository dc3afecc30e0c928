using System.Collections.Immutable;

namespace Rostrum.Core.Datasets.Drift;

/// <summary>What became of a part of a source since it was last read.</summary>
public enum DriftKind
{
    /// <summary>It is new.</summary>
    Added,

    /// <summary>It is another than it was.</summary>
    Changed,

    /// <summary>It is gone.</summary>
    Removed,
}

/// <summary>One difference between what a source was and what it is.</summary>
/// <param name="Table">The table.</param>
/// <param name="Column">The column; null where the whole table is meant.</param>
/// <param name="Kind">What became of it.</param>
/// <param name="Words">The difference, for the builder.</param>
public sealed record StructureChange(TableName Table, string? Column, DriftKind Kind, string Words);

/// <summary>CompareWithPrevious two readings of a source's structure.</summary>
public static class StructureDrift
{
    /// <summary>The differences, table by table.</summary>
    public static ImmutableArray<StructureChange> Compare(SourceStructure was, SourceStructure now)
    {
        ArgumentNullException.ThrowIfNull(was);
        ArgumentNullException.ThrowIfNull(now);
        return
        [
            .. from table in was.Tables
            from change in now.Find(table.Name) is { } same
                ? Compare(table, same)
                : [new StructureChange(table.Name, null, DriftKind.Removed, "The table is gone.")]
            select change,
            .. from table in now.Tables
            where was.Find(table.Name) is null
            select new StructureChange(
                table.Name,
                null,
                DriftKind.Added,
                $"A new {(table.IsView ? "view" : "table")} with {table.Columns.Length} columns."
            ),
        ];
    }

    private static IEnumerable<StructureChange> Compare(TableStructure was, TableStructure now)
    {
        StructureChange Of(string? column, DriftKind kind, string words) => new(now.Name, column, kind, words);
        foreach (var column in was.Columns)
        {
            if (now.Columns.FirstOrDefault(other => other.Name == column.Name) is not { } same)
            {
                yield return Of(column.Name, DriftKind.Removed, "The column is gone.");
                continue;
            }

            if (Differences(column, same) is { Length: > 0 } words)
            {
                yield return Of(column.Name, DriftKind.Changed, words);
            }
        }

        foreach (var column in now.Columns.Where(column => was.Columns.All(other => other.Name != column.Name)))
        {
            yield return Of(column.Name, DriftKind.Added, $"A new column: {column.NativeType}{(column.Nullable ? "" : ", never blank")}.");
        }

        if (!was.PrimaryKey.SequenceEqual(now.PrimaryKey))
        {
            yield return Of(
                null,
                DriftKind.Changed,
                now.PrimaryKey.IsEmpty ? "It has no primary key any more." : $"Its primary key is {string.Join(", ", now.PrimaryKey)} now."
            );
        }

        var (before, after) = (was.ForeignKeys.Select(Said).ToHashSet(), now.ForeignKeys.Select(Said).ToHashSet());
        foreach (var key in before.Except(after).Order(StringComparer.Ordinal))
        {
            yield return Of(null, DriftKind.Removed, $"No foreign key says any more that {key}.");
        }

        foreach (var key in after.Except(before).Order(StringComparer.Ordinal))
        {
            yield return Of(null, DriftKind.Added, $"A foreign key says that {key}.");
        }
    }

    private static string Said(ForeignKey key) => $"{string.Join(", ", key.Columns)} refers to {key.Target}";

    private static string Differences(ColumnStructure was, ColumnStructure now)
    {
        var words = new List<string>();
        if (was.NativeType != now.NativeType)
        {
            words.Add($"It is {now.NativeType} now, and was {was.NativeType}.");
        }
        else if ((was.Type, now.Type) is (FieldType.Choice before, FieldType.Choice after) && !before.Options.SequenceEqual(after.Options))
        {
            var (gone, added) = (before.Options.Except(after.Options).ToArray(), after.Options.Except(before.Options).ToArray());
            words.Add(
                string.Join(
                    " ",
                    new[]
                    {
                        added.Length > 0 ? $"New choices: {string.Join(", ", added)}." : null,
                        gone.Length > 0 ? $"Choices that are gone: {string.Join(", ", gone)}." : null,
                        added.Length + gone.Length == 0 ? "Its choices stand in another order." : null,
                    }.OfType<string>()
                )
            );
        }

        if (was.Nullable != now.Nullable)
        {
            words.Add(now.Nullable ? "It may be blank now." : "It may no longer be blank.");
        }

        if (was.Default != now.Default)
        {
            words.Add(now.Default is null ? "The table gives no default any more." : $"The table's default is {now.Default} now.");
        }

        if (was.Generation != now.Generation)
        {
            words.Add(now.Generation is ColumnGeneration.None ? "The database does not set it any more." : "The database sets it now.");
        }

        return string.Join(" ", words);
    }
}
