using System.Collections.Immutable;
using System.Data.Common;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>Many changes in one transaction, of which some may not be possible.</summary>
internal sealed partial class SqlWrites
{
    /// <summary>Makes many changes in one transaction, each from a place to which it goes back where one cannot be made.</summary>
    public async Task<ManyResult> SaveEachAsync(
        DbConnection connection,
        Dataset dataset,
        ChangeSet changes,
        ManyChanges how,
        Func<Change, string?> unsound,
        CancellationToken cancellation
    )
    {
        await using var transaction = await connection.BeginTransactionAsync(_engine.Isolation, cancellation);
        await WaitForOthersAsync(connection, transaction, dataset, cancellation);
        var each = ImmutableArray.CreateBuilder<OneOfMany>(changes.Changes.Length);
        ImmutableArray<(Change, string?)> wanted = [.. changes.Changes.Select(change => (change, unsound(change)))];
        await EachAsync(connection, transaction, dataset, wanted, each, cancellation);
        var written = how is ManyChanges.ThosePossible || (how is ManyChanges.AllOrNone && each.All(one => one.Saved is not null));
        if (written && writing.Carry is { } carry)
        {
            return new ManyResult.Done(await CarriedAsync(dataset, each, carry), written);
        }

        if (written && (changes.BeforeEnd is not null || watch.BeforeEnd is not null))
        {
            var name = await NameAsync(connection, transaction, cancellation);
            if (changes.BeforeEnd is { } beforeEnd)
            {
                await beforeEnd(
                    new BeforeEnd(name, null, "") { Refused = [.. Enumerable.Range(0, each.Count).Where(at => each[at].Saved is null)] }
                );
            }

            if (watch.BeforeEnd is { } told)
            {
                await told([.. each.Select(one => one.Saved).OfType<SavedChange>()], name);
            }
        }

        await (written ? transaction.CommitAsync(cancellation) : transaction.RollbackAsync(cancellation));
        return new ManyResult.Done(each.ToImmutable(), written);
    }

    // All at once where nothing keeps them from it; else in parts, down to single ones where one is refused.
    private async Task EachAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        ImmutableArray<(Change Change, string? Unsound)> changes,
        ImmutableArray<OneOfMany>.Builder each,
        CancellationToken cancellation
    )
    {
        if (
            changes.All(one => one.Unsound is null)
            && await TogetherAsync(connection, transaction, dataset, [.. changes.Select(one => one.Change)], cancellation) is { } together
        )
        {
            each.AddRange(changes.Zip(together, (one, saved) => new OneOfMany(one.Change, saved, null, [])));
            return;
        }

        if (changes.Length > SmallestPart && watch.Guard is null)
        {
            var half = changes.Length / 2;
            await EachAsync(connection, transaction, dataset, changes[..half], each, cancellation);
            await EachAsync(connection, transaction, dataset, changes[half..], each, cancellation);
            return;
        }

        foreach (var (change, unsound) in changes)
        {
            await transaction.SaveAsync(Place, cancellation);
            var one = unsound is { } reason
                ? new OneOfMany(change, null, reason, [])
                : await OneOfManyAsync(connection, transaction, dataset, change, cancellation);
            if (one.Saved is null)
            {
                await transaction.RollbackAsync(Place, cancellation);
            }

            each.Add(one);
        }
    }

    private static async Task<ImmutableArray<OneOfMany>> CarriedAsync(
        Dataset dataset,
        IEnumerable<OneOfMany> each,
        Func<ImmutableArray<SavedChange>, CancellationToken, Task<(ImmutableArray<SavedChange> Made, SaveResult? Refusal)>> carry
    )
    {
        var carried = ImmutableArray.CreateBuilder<OneOfMany>();
        foreach (var one in each)
        {
            if (one.Saved is null)
            {
                carried.Add(one);
                continue;
            }

            var (made, refused) = await carry([one.Saved], CancellationToken.None);
            carried.Add(refused is null ? one with { Saved = made[0] } : one with { Saved = null, Because = Why(dataset, refused) });
        }

        return carried.ToImmutable();
    }

    private async Task<OneOfMany> OneOfManyAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change change,
        CancellationToken cancellation
    )
    {
        try
        {
            var (done, refusal) = await ApplyAsync(connection, transaction, dataset, change, [], cancellation);
            ImmutableArray<string> warnings = refusal is SaveResult.Warned warned
                ? [.. warned.Problems.Select(problem => problem.Message)]
                : [];
            if (!warnings.IsEmpty)
            {
                (done, refusal) = await ApplyAsync(connection, transaction, dataset, change, warnings, cancellation);
            }

            return new OneOfMany(change, done, refusal is null ? null : Why(dataset, refusal), warnings);
        }
        catch (DbException exception) when (_engine.IsAboutValues(exception))
        {
            // The transaction takes no question until it is back where this change began.
            await transaction.RollbackAsync(Place, cancellation);
            return new OneOfMany(
                change,
                null,
                FieldProblem.Said(
                    dataset,
                    await _engine.ExplainAsync(connection, transaction, catalogue, dataset, change, exception, cancellation)
                ),
                []
            );
        }
    }

    private static string Why(Dataset dataset, SaveResult refusal) =>
        refusal switch
        {
            SaveResult.Denied denied => denied.Reason,
            SaveResult.Invalid invalid => FieldProblem.Said(dataset, [.. invalid.Problems.Where(problem => !problem.Warns)]),
            SaveResult.Conflict { Current: null } => $"This {dataset.RecordLabel} is no longer there.",
            SaveResult.Conflict => $"This {dataset.RecordLabel} was changed meanwhile.",
            SaveResult.Failed failed => failed.Failure.Message,
            SaveResult.Uncertain => SaveResult.Uncertain.Words,
            _ => "It cannot be changed.",
        };
}
