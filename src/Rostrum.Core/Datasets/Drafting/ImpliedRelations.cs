using System.Collections.Immutable;

namespace Rostrum.Core.Datasets.Drafting;

/// <summary>A column that may refer to another table's key, although no foreign key says so.</summary>
public sealed record RelationCandidate(TableName From, string Column, TableName Target, string TargetColumn);

/// <summary>What the source's values say of a candidate.</summary>
/// <param name="Candidate">The candidate.</param>
/// <param name="Distinct">How many different values the column has.</param>
/// <param name="Found">How many of them stand in the target's key.</param>
public sealed record RelationEvidence(RelationCandidate Candidate, long Distinct, long Found)
{
    /// <summary>At least 95 % of the values are found, and there is more than one, so that it is no accident.</summary>
    public bool Convinces => Distinct > 1 && Found * 20 >= Distinct * 19;
}

/// <summary>Finds the columns whose values are worth comparing with another table's key.</summary>
public static class ImpliedRelations
{
    /// <summary>Columns whose name speaks of a table that has a single-column key of the same kind of values.</summary>
    public static IEnumerable<RelationCandidate> Candidates(SourceStructure structure)
    {
        ArgumentNullException.ThrowIfNull(structure);
        return from table in structure.Tables
            where !table.IsView
            from column in table.Columns
            where column.Type is FieldType.Text or FieldType.Integer or FieldType.Uuid
            where !table.IsUnique(column.Name) && !table.ForeignKeys.Any(key => key.Columns.Contains(column.Name))
            from target in structure.Tables
            where target.Name != table.Name && target.PrimaryKey.Length == 1
            let key = target.Columns.First(candidate => candidate.Name == target.PrimaryKey[0])
            where key.Type.GetType() == column.Type.GetType() && SpeaksOf(column.Name, target.Name.Name, key.Name)
            select new RelationCandidate(table.Name, column.Name, target.Name, key.Name);
    }

    /// <summary>Whether a column's name speaks of a table, or of its key.</summary>
    public static bool SpeaksOf(string column, string table, string key)
    {
        var name = Wording.Label(column);
        var one = Wording.Singular(Wording.Label(table));
        return Wording.WithoutReferenceEnding(name.Replace(' ', '_')).Equals(one.Replace(' ', '_'), StringComparison.OrdinalIgnoreCase)
            || name.StartsWith(one + " ", StringComparison.OrdinalIgnoreCase)
            || name.EndsWith(" " + one, StringComparison.OrdinalIgnoreCase)
            || (key.Length > 3 && Wording.Label(key).Equals(name, StringComparison.OrdinalIgnoreCase));
    }
}
