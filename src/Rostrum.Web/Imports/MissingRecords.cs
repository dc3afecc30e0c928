using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Imports;

/// <summary>Adds records that a file names and that are not there, in the name of whoever imports it.</summary>
/// <param name="stores">Holds the lock: two imports at the same moment add a record once.</param>
/// <param name="run">In whose name they are added.</param>
internal sealed class MissingRecords(IDbContextFactory<RostrumStore> stores, RunAmbient run)
{
    /// <summary>Adds those that are still not there.</summary>
    /// <param name="into">Where rows of the file go.</param>
    /// <param name="target">The dataset of the records.</param>
    /// <param name="naming">The field that takes their titles.</param>
    /// <param name="readAsync">Reads which of the records are there.</param>
    /// <param name="titles">The titles.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <returns>The records that are there afterwards, and why each of the others could not be added.</returns>
    public async Task<(RecordsByTitle There, IReadOnlyDictionary<string, string> Problems)> AddAsync(
        ImportTarget into,
        Dataset target,
        Field naming,
        Func<Task<RecordsByTitle>> readAsync,
        IEnumerable<string> titles,
        CancellationToken cancellation
    )
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var key = $"missing {target.Id}";
        await store.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended({key}, 0))", cancellation);
        var there = await readAsync();
        string[] missing = [.. titles.Where(title => there.Called(title).Length == 0).Distinct(StringComparer.OrdinalIgnoreCase)];
        var problems = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        var changes = ImmutableArray.CreateBuilder<Change>();
        var named = new List<string>();
        foreach (var title in missing)
        {
            if (FieldText.FromForm(naming.Type, title, into.Format) is Parsed.Value { Is: { } value })
            {
                changes.Add(new Change.Insert(FieldValues.None.With(naming.Name, value)));
                named.Add(title);
            }
            else
            {
                problems[title] = $"this is no {naming.Label.ToLowerInvariant()}";
            }
        }

        if (changes.Count == 0)
        {
            return (there, problems);
        }

        using (RunAmbient.Begin(run))
        {
            var set = new ChangeSet(target.Id, changes.ToImmutable());
            switch (await into.Gate.SaveEachAsync(into.Catalogue, set, ManyChanges.ThosePossible, into.Grants, cancellation))
            {
                case ManyResult.Done done:
                    foreach (var (each, title) in done.Each.Zip(named).Where(pair => pair.First.Saved is null))
                    {
                        problems[title] = each.Because ?? "it was refused";
                    }

                    break;
                case ManyResult.Denied denied:
                    named.ForEach(title => problems[title] = denied.Reason);
                    break;
                case ManyResult.Failed failed:
                    throw new TimeoutException(failed.Failure.Message);
            }
        }

        return (await readAsync(), problems);
    }
}
