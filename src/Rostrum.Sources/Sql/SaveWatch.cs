using System.Data.Common;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>What happens around the writing of one dataset's records.</summary>
internal sealed class SaveWatch
{
    /// <summary>Asks the guards of a change, within its transaction; null where there are none.</summary>
    public Func<Statements, Change, FieldValues, CancellationToken, Task<GuardAnswer>>? Guard { get; init; }

    /// <summary>Is told with all written and nothing ended yet; null where nobody wants to know.</summary>
    public Func<IReadOnlyCollection<SavedChange>, string, Task>? BeforeEnd { get; init; }

    /// <summary>The change as the guards let it through, or why they do not.</summary>
    public async Task<(Change Change, SaveResult? Refusal)> AskAsync(
        SqlEngine engine,
        DbConnection connection,
        DbTransaction transaction,
        Change change,
        FieldValues before,
        CancellationToken cancellation
    )
    {
        if (Guard is null)
        {
            return (change, null);
        }

        using var turn = new SemaphoreSlim(1);
        var (amended, problem) = await Guard(Statements.On(engine, connection, transaction, turn), change, before, cancellation);
        return problem is not null
            ? (change, new SaveResult.Invalid([problem]))
            : (
                change switch
                {
                    Change.Insert insert => new Change.Insert(With(insert.Values, amended)),
                    Change.Update update => update with { Values = With(update.Values, amended) },
                    _ => change,
                },
                null
            );
    }

    private static FieldValues With(FieldValues values, FieldValues amended) =>
        amended.Aggregate(values, (all, pair) => all.With(pair.Key, pair.Value));
}
