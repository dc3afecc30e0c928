using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <content>Says what would be wrong with a change, without making it.</content>
public sealed partial class RecordGate
{
    /// <summary>
    /// What would be wrong with a change, as far as it can be told without making it; null where the source cannot be asked.
    /// </summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="id">The dataset.</param>
    /// <param name="change">A new record, or new values of a known one.</param>
    /// <param name="grants">The person's grants: of a record that is not there for them nothing is said.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<ImmutableArray<FieldProblem>?> CheckAsync(
        DatasetCatalogue catalogue,
        DatasetId id,
        Change change,
        Grants grants,
        CancellationToken cancellation
    )
    {
        if (
            catalogue.Find(id) is not { } dataset
            || ChangeRights.Denial(dataset, grants.For(id), change, ChangeRights.NeededFor(change), isUndo: false) is not null
        )
        {
            return [];
        }

        var context = Context(null);
        var values = Completed(dataset, change, grants, context);
        var problems = ChangeChecks.Problems(dataset, change, values);
        if (
            change is Change.Update { Key: var key }
            && (
                await ReadAsync(catalogue, ReadRequest.Of(dataset, key), grants, cancellation) is not ReadResult.Rows { Records: [_] }
                || ChangeRights.FieldDenial(
                    dataset,
                    (await GrantsOfAsync(catalogue, dataset, [key], grants, cancellation))(key),
                    change,
                    isUndo: false
                )
                    is not null
            )
        )
        {
            return [];
        }

        // What a database could not take cannot be held against rules either.
        var sound = new FieldValues(values.Where(pair => problems.All(problem => problem.Field != pair.Key)));
        return await AtSourceAsync<ImmutableArray<FieldProblem>?>(
            dataset,
            [change],
            async (writing, token) =>
                [
                    .. problems,
                    .. await new SqlRules(writing.Engine, catalogue, context, grants.User, this).BrokenAsync(
                        writing.Connection,
                        null,
                        dataset,
                        (change as Change.Update)?.Key,
                        sound,
                        token
                    ),
                ],
            _ => null,
            cancellation
        );
    }

    // What would stop changes that are not made in any case.
    private async Task<ImmutableArray<FieldProblem>> BrokenByAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        IEnumerable<Change> changes,
        Grants grants,
        CancellationToken cancellation
    )
    {
        foreach (var change in changes.Where(change => change is Change.Insert or Change.Update))
        {
            if (
                await CheckAsync(catalogue, dataset.Id, change, grants, cancellation) is { } problems
                && problems.RemoveAll(problem => problem.Warns) is { IsEmpty: false } broken
            )
            {
                return broken;
            }
        }

        return [];
    }
}
