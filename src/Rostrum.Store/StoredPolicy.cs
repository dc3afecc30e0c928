using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>What a role may do with a dataset's records.</summary>
public sealed class StoredPolicy
{
    public required string Role { get; init; }
    public Guid DatasetId { get; init; }
    public Verbs Verbs { get; set; }

    /// <summary>A formula over the record and <c>user</c>: the records that are meant; all where null.</summary>
    public string? Condition { get; set; }

    /// <summary>The same for those that may be added, changed and deleted, among the ones that are meant.</summary>
    public string? WriteCondition { get; set; }

    /// <summary>Fields that are not there for the role.</summary>
    public string[] HiddenFields { get; set; } = [];

    /// <summary>Tells policies apart by what they say.</summary>
    internal static IEqualityComparer<StoredPolicy> Comparer { get; } =
        EqualityComparer<StoredPolicy>.Create(
            (one, other) =>
                one is not null
                && other is not null
                && one.Said == other.Said
                && one.HiddenFields.AsSpan().SequenceEqual(other.HiddenFields),
            policy => policy.Said.GetHashCode()
        );

    private (string, Guid, Verbs, string?, string?) Said => (Role, DatasetId, Verbs, Condition, WriteCondition);

    /// <summary>The policy as the gate knows it.</summary>
    public Policy AsPolicy()
    {
        FieldSet fields =
            HiddenFields.Length == 0 ? new FieldSet.All() : new FieldSet.But([.. HiddenFields.Select(field => new FieldName(field))]);
        return new Policy(
            Role,
            new DatasetId(DatasetId),
            Verbs,
            Condition is null ? new Filter.Everything() : new Filter.Holds(Condition),
            fields,
            fields
        )
        {
            WriteCondition = WriteCondition is null ? new Filter.Everything() : new Filter.Holds(WriteCondition),
        };
    }
}
