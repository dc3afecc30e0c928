using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Workshop.Data;

/// <summary>The records for which the data does not bear a relation out.</summary>
internal static class RelationFacts
{
    /// <summary>Their name in an address.</summary>
    public static string Name(Relation relation) => $"lost.{relation.Name}";

    /// <summary>The records that refer to something by a relation, and it is not there.</summary>
    public static Filter Lost(Relation relation) =>
        new Filter.And([new Filter.Not(new Filter.OneOf(relation.Field, [null])), new Filter.Holds($"ISBLANK({Formatter.Name(relation.Name.Value)})")]);

    /// <summary>The records that an address asks for; null where it asks for all.</summary>
    public static (string Words, Filter Filter)? Only(Dataset dataset, string? address) =>
        dataset.Relations.FirstOrDefault(relation => Name(relation) == address) is { } relation
            ? ($"{dataset.Label} whose {relation.Label.ToLowerInvariant()} is not there", Lost(relation))
            : null;
}
