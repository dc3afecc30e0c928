using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Panels.Moving;

/// <summary>Which of a panel's records whoever looks may move about in it.</summary>
internal sealed record MoveRights(IReadOnlySet<RecordKey> Movable, string? Because)
{
    /// <summary>Why a record stays where it is; null where it can be moved.</summary>
    public string? Stays(Dataset dataset, RecordKey? key) =>
        Because ?? (key is not null && Movable.Contains(key) ? null : $"You may not change this {dataset.RecordLabel}.");

    /// <param name="run">The look at the page.</param>
    /// <param name="panel">The panel.</param>
    /// <param name="dataset">Its dataset.</param>
    /// <param name="fields">The fields that a move changes.</param>
    /// <param name="records">The records that are shown.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public static async Task<MoveRights> OfAsync(
        PageRun run,
        ListPanel panel,
        Dataset dataset,
        IEnumerable<FieldName> fields,
        IEnumerable<Record> records,
        CancellationToken cancellation
    )
    {
        var grant = run.Grants.For(dataset.Id);
        var because =
            run.IsPublic ? "By this link records are only read."
            : dataset.ReadOnlyBecause is { } readOnly ? readOnly
            : !dataset.Takes.HasFlag(Verbs.Update) || !grant.Allows(Verbs.Update) ? $"You may not change {dataset.LabelInSentence}."
            : fields.FirstOrDefault(field => dataset.Find(field) is not { IsWritten: true } || !grant.Writable.Has(field))
                is { Value: not null } field
                ? $"{(dataset.Find(field) is null ? field.Value : dataset.LabelOf(field))} cannot be changed by you."
            : null;
        RecordKey[] keys = because is null ? [.. records.Select(record => record.Key).OfType<RecordKey>()] : [];
        var allowed = await run.Gate.AllowedAsync(run.App.Datasets, dataset, keys, Verbs.Update, run.Grants, cancellation);
        var grants = await run.Gate.GrantsOfAsync(run.App.Datasets, dataset, keys, run.Grants, cancellation);
        return new MoveRights(allowed.Where(key => fields.All(grants(key).Writable.Has)).ToHashSet(), because);
    }
}
