using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <content>Runs statements that change data.</content>
public sealed partial class RecordGate
{
    /// <summary>Runs a statement that changes data: allowed to whoever may change “its records”.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="id">The statement.</param>
    /// <param name="values">Values for its parameters; the defaults hold for the others.</param>
    /// <param name="grants">The person's grants.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<StatementResult> RunAsync(
        DatasetCatalogue catalogue,
        DatasetId id,
        FieldValues values,
        Grants grants,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(catalogue);
        ArgumentNullException.ThrowIfNull(values);
        if (catalogue.Find(id) is not { IsStatement: true, Query: { } query } statement)
        {
            return new StatementResult.Denied("There is no such statement.");
        }

        if (!(grants.For(id) is var grant && grant.Allows(Verbs.Update) && grant.For(Verbs.Update) is Filter.Everything))
        {
            return new StatementResult.Denied($"You may not run “{statement.Label}”.");
        }

        if (grants.ReadOnlyBecause is { } readOnly)
        {
            return new StatementResult.Denied(readOnly);
        }

        var given = values.ToImmutableDictionary(pair => pair.Key.Value, pair => DatasetShapes.Carried(pair.Value));
        var result = await AtSourceAsync<StatementResult>(
            statement,
            [],
            async (writing, token) =>
            {
                var text = SqlStatement.Of(writing.Engine, query, given, grants, Context(null));
                return new StatementResult.Done(await SqlStatement.RunAsync(writing.Engine, writing.Connection, text, keep: true, token));
            },
            failure => new StatementResult.Failed(failure),
            cancellation
        );
        if (result is StatementResult.Done { Rows: var rows } && _hooks.Events is { } events)
        {
            await events.StatementRanAsync(statement, rows);
        }

        return result;
    }
}
