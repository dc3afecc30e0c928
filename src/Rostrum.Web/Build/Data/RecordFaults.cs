using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Build.Data;

/// <summary>
/// The records that do not bear out what a dataset's relations and rules say of them, each kind with a name for an address.
/// </summary>
internal static class RecordFaults
{
    public static string LostName(Relation relation) => $"lost.{relation.Name}";

    public static string AlikeName(Relation relation) => $"alike.{relation.Name}";

    public static string BreakingName(Rule rule) => $"breaking.{rule.Name}";

    /// <summary>The records that refer to something by a relation, and it is not there.</summary>
    public static Filter Lost(Relation relation) =>
        new Filter.And([
            new Filter.Not(new Filter.OneOf(relation.Field, [null])),
            new Filter.Holds($"ISBLANK({Formatter.Name(relation.Name.Value)})"),
        ]);

    /// <summary>The records that refer to what another one refers to as well.</summary>
    public static Filter Alike(Relation relation) => new Filter.Alike([relation.Field]);

    /// <summary>The records that break a rule.</summary>
    public static Filter Breaking(Rule rule) =>
        rule switch
        {
            Rule.Unique unique => new Filter.Alike(unique.Fields),
            Rule.Holds holds => new Filter.Not(new Filter.Holds(holds.Formula)),
            _ => throw new ArgumentOutOfRangeException(nameof(rule), rule, "unknown rule"),
        };

    /// <summary>The records that an address asks for, and in words; null where it asks for all.</summary>
    public static (string Words, Filter Filter)? Only(Dataset dataset, string? address)
    {
        foreach (var relation in dataset.Relations)
        {
            if (address == LostName(relation))
            {
                return ($"{dataset.Label} whose {Wording.InSentence(relation.Label)} is not there", Lost(relation));
            }

            if (address == AlikeName(relation))
            {
                return ($"{dataset.Label} whose {Wording.InSentence(relation.Label)} another one has as well", Alike(relation));
            }
        }

        return dataset.Rules.FirstOrDefault(rule => BreakingName(rule) == address) is { } broken
            ? ($"{dataset.Label} that break “{broken.Message.TrimEnd('.')}”", Breaking(broken))
            : null;
    }
}
