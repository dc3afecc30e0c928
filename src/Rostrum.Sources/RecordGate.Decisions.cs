using System.Collections.Frozen;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <summary>Which records somebody sees, and what may be done with each.</summary>
public sealed partial class RecordGate
{
    /// <summary>
    /// Which of some records somebody sees. Whoever sees all of a dataset's records sees those as well that are gone.
    /// </summary>
    /// <param name="catalogue">The datasets that there are.</param>
    /// <param name="dataset">The records' dataset.</param>
    /// <param name="records">The records.</param>
    /// <param name="grants">Somebody's rights.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<IReadOnlySet<RecordKey>> SeenAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        IReadOnlyCollection<RecordKey> records,
        Grants grants,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(grants);
        var grant = grants.For(dataset.Id);
        return !grant.Allows(Verbs.View) || records.Count == 0 ? FrozenSet<RecordKey>.Empty
            : grant.Condition is Filter.Everything ? records.ToFrozenSet()
            : await ThereAsync(catalogue, dataset, records, grants, cancellation);
    }

    // Those of some records that are there within some rights; none where that cannot be found out.
    private async Task<IReadOnlySet<RecordKey>> ThereAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        IReadOnlyCollection<RecordKey> records,
        Grants grants,
        CancellationToken cancellation
    ) =>
        await ReadAsync(catalogue, ReadRequest.Of(dataset, records), grants, cancellation) is ReadResult.Rows rows
            ? rows.Records.Select(record => record.Key).OfType<RecordKey>().ToFrozenSet()
            : FrozenSet<RecordKey>.Empty;

    /// <summary>Whether a verb applies to a record that somebody sees. Where that cannot be found out, it does not.</summary>
    /// <param name="catalogue">The datasets that there are.</param>
    /// <param name="dataset">The record's dataset.</param>
    /// <param name="record">The record.</param>
    /// <param name="verb">The verb.</param>
    /// <param name="grants">Somebody's rights.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<bool> AllowsAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        RecordKey record,
        Verbs verb,
        Grants grants,
        CancellationToken cancellation
    ) => (await AllowedAsync(catalogue, dataset, [record], verb, grants, cancellation)).Contains(record);

    /// <summary>The same of several records: those to which the verb applies.</summary>
    public async Task<IReadOnlySet<RecordKey>> AllowedAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        IReadOnlyCollection<RecordKey> records,
        Verbs verb,
        Grants grants,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(grants);
        var grant = grants.For(dataset.Id);
        var condition = grant.For(verb);
        if (!grant.Allows(verb) || records.Count == 0)
        {
            return FrozenSet<RecordKey>.Empty;
        }

        if (condition == grant.Condition)
        {
            return records.ToFrozenSet();
        }

        return await ThereAsync(catalogue, dataset, records, grants.WithCondition(dataset.Id, condition), cancellation);
    }

    /// <summary>
    /// A person's rights to records, each as it is for that one: fields may be there for some records and not for others. Of a record that
    /// they do not see, and where the source cannot be asked, only those fields count that are there for every record.
    /// </summary>
    /// <param name="catalogue">The datasets that there are.</param>
    /// <param name="dataset">The records' dataset.</param>
    /// <param name="records">The records.</param>
    /// <param name="grants">The person's rights.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<Func<RecordKey, Grant>> GrantsOfAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        IReadOnlyCollection<RecordKey> records,
        Grants grants,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(grants);
        var grant = grants.For(dataset.Id);
        if (grant.ByRecord.IsEmpty || records.Count == 0)
        {
            return _ => grant;
        }

        var holding = new Dictionary<Filter, IReadOnlySet<RecordKey>>();
        foreach (var condition in grant.ByRecord.Values.SelectMany(fields => fields.Parts).Select(part => part.Condition).Distinct())
        {
            holding[condition] =
                condition is Filter.Everything
                    ? records.ToFrozenSet()
                    : await ThereAsync(catalogue, dataset, records, grants.WithCondition(dataset.Id, condition), cancellation);
        }

        return key => grant.Of(condition => holding[condition].Contains(key));
    }
}
