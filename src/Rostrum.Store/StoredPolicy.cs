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

    /// <summary>The same for those that may be added, among the ones that are meant.</summary>
    public string? CreateCondition { get; set; }

    /// <summary>The same for those that may be changed.</summary>
    public string? UpdateCondition { get; set; }

    /// <summary>The same for those that may be deleted.</summary>
    public string? DeleteCondition { get; set; }

    /// <summary>The same for those that may be taken away in a file.</summary>
    public string? DownloadCondition { get; set; }

    /// <summary>The same for those on which actions may be run.</summary>
    public string? RunCondition { get; set; }

    /// <summary>Fields that are not there for the role.</summary>
    public string[] HiddenFields { get; set; } = [];

    /// <summary>Fields that it reads and does not write.</summary>
    public string[] ReadOnlyFields { get; set; } = [];

    /// <summary>Fields that it writes in new records alone.</summary>
    public string[] NewOnlyFields { get; set; } = [];

    /// <summary>Nothing narrows it: its verbs are all that it says.</summary>
    public bool IsWhole =>
        Condition is null && Narrower.Count == 0 && HiddenFields.Length + ReadOnlyFields.Length + NewOnlyFields.Length == 0;

    /// <summary>The conditions of verbs beside viewing that have one.</summary>
    public IReadOnlyDictionary<Verbs, string> Narrower =>
        new[]
        {
            (Verbs.Create, CreateCondition),
            (Verbs.Update, UpdateCondition),
            (Verbs.Delete, DeleteCondition),
            (Verbs.Download, DownloadCondition),
            (Verbs.RunActions, RunCondition),
        }
            .Where(pair => pair.Item2 is not null)
            .ToDictionary(pair => pair.Item1, pair => pair.Item2!);

    /// <summary>Takes all that another policy says of the same role and dataset.</summary>
    public void Take(StoredPolicy other)
    {
        ArgumentNullException.ThrowIfNull(other);
        (Verbs, Condition) = (other.Verbs, other.Condition);
        (CreateCondition, UpdateCondition, DeleteCondition) = (other.CreateCondition, other.UpdateCondition, other.DeleteCondition);
        (DownloadCondition, RunCondition) = (other.DownloadCondition, other.RunCondition);
        (HiddenFields, ReadOnlyFields, NewOnlyFields) = (other.HiddenFields, other.ReadOnlyFields, other.NewOnlyFields);
    }

    /// <summary>Tells policies apart by what they say.</summary>
    internal static IEqualityComparer<StoredPolicy> Comparer { get; } =
        EqualityComparer<StoredPolicy>.Create(
            (one, other) => one is not null && other is not null && one.Said.AsSpan().SequenceEqual(other.Said),
            policy => policy.Said.Length
        );

    /// <summary>All that it says, to tell it from others.</summary>
    public string?[] Said =>
        [
            Role,
            $"{DatasetId}",
            $"{Verbs}",
            Condition,
            CreateCondition,
            UpdateCondition,
            DeleteCondition,
            DownloadCondition,
            RunCondition,
            string.Join('\n', HiddenFields),
            string.Join('\n', ReadOnlyFields),
            string.Join('\n', NewOnlyFields),
        ];

    /// <summary>The policy as the gate knows it.</summary>
    public Policy AsPolicy()
    {
        return new Policy(
            Role,
            new DatasetId(DatasetId),
            Verbs,
            Condition is null ? new Filter.Everything() : new Filter.Holds(Condition),
            But(HiddenFields),
            But([.. HiddenFields, .. ReadOnlyFields, .. NewOnlyFields])
        )
        {
            WritableInNew = But([.. HiddenFields, .. ReadOnlyFields]),
            Narrower = Narrower.ToImmutableDictionary(pair => pair.Key, Filter (pair) => new Filter.Holds(pair.Value)),
        };
    }

    private static FieldSet But(string[] fields) =>
        fields.Length == 0 ? new FieldSet.All() : new FieldSet.But([.. fields.Select(field => new FieldName(field))]);
}
