using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Apart;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <content>Writes records, with the rights, rules and guards that hold for them.</content>
public sealed partial class RecordGate
{
    /// <summary>Writes all of a change set or nothing of it.</summary>
    public Task<SaveResult> SaveAsync(DatasetCatalogue catalogue, ChangeSet changes, Grants grants, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(changes);
        return WriteAsync(catalogue, changes, grants, ChangeRights.NeededFor, cancellation);
    }

    /// <summary>
    /// Whether a transaction that a change set was told of came to its end; null where it has not ended, or the source cannot tell.
    /// </summary>
    /// <param name="dataset">The dataset to which it wrote.</param>
    /// <param name="transaction">The source's name for it.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public Task<bool?> CameToItsEndAsync(Dataset dataset, string transaction, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return AtSourceAsync<bool?>(
            dataset,
            [],
            (writing, token) => SqlWrites.CameToItsEndAsync(writing.Engine, writing.Connection, transaction, token),
            _ => null,
            cancellation
        );
    }

    /// <summary>One save of a dataset's records: who is asked of it, and told.</summary>
    private sealed class Watching(RecordGate gate, DatasetCatalogue catalogue, Dataset dataset, Grants grants)
    {
        private object? _told;

        public DatasetCatalogue Catalogue => catalogue;

        public Dataset Dataset => dataset;

        public Grants Grants => grants;

        public async Task<SaveWatch> AroundAsync(IReadOnlyCollection<Change>? changes, CancellationToken cancellation) =>
            new()
            {
                Guard =
                    gate._hooks.Guards is { } guards && await guards.GuardsAsync(dataset.Id, changes, cancellation)
                        ? (statements, change, before, token) =>
                            guards.AskAsync(
                                new GuardedChange(
                                    new RecordGate(gate, dataset.Source, statements),
                                    catalogue,
                                    dataset,
                                    change,
                                    before,
                                    grants
                                ),
                                token
                            )
                        : null,
                BeforeEnd =
                    gate._hooks.Events is { } events && await events.HearsAsync(dataset.Id, cancellation)
                        ? async (changes, transaction) => _told = await events.BeforeEndAsync(dataset, changes, transaction)
                        : null,
            };

        /// <summary>What was saved is saved, whatever comes of telling it.</summary>
        public async Task<SaveResult> ToldAsync(SaveResult result)
        {
            if (result is SaveResult.Saved saved)
            {
                await ToldAsync(saved.Changes);
            }

            return result;
        }

        public Task ToldAsync(IReadOnlyCollection<SavedChange> changes) =>
            gate._hooks.Events is { } events ? events.SavedAsync(dataset, changes, _told) : Task.CompletedTask;
    }

    private static SaveResult NotSaved(SourceFailure failure) =>
        failure.IsUncertain ? new SaveResult.Uncertain(failure) : new SaveResult.Failed(failure);

    // What can be said against a change before its record is looked at.
    private static SaveResult? Refusal(
        Dataset dataset,
        Change change,
        Grants grants,
        FormulaContext context,
        Func<Change, Verbs> needed,
        bool isUndo
    ) =>
        ChangeRights.Denial(dataset, grants.For(dataset.Id), change, needed(change), isUndo) is { } reason ? new SaveResult.Denied(reason)
        : Problems(dataset, change, Completed(dataset, change, grants, context), isUndo) is { IsEmpty: false } problems
            ? new SaveResult.Invalid(problems)
        : null;

    private async Task<SaveResult> WriteAsync(
        DatasetCatalogue catalogue,
        ChangeSet changes,
        Grants grants,
        Func<Change, Verbs> needed,
        CancellationToken cancellation
    )
    {
        if (catalogue.Find(changes.Dataset) is not { } dataset)
        {
            return new SaveResult.Denied("There is no such dataset.");
        }

        var (context, isUndo) = (Context(null), needed == ChangeRights.NeededToUndo);
        changes = isUndo ? changes : Cleaned(dataset, changes);
        var completed = new List<Change>();
        foreach (var change in changes.Changes)
        {
            if (Refusal(dataset, change, grants, context, needed, isUndo) is { } refusal)
            {
                return refusal;
            }

            completed.Add(change is Change.Insert && !isUndo ? new Change.Insert(Completed(dataset, change, grants, context)) : change);
        }

        if (grants.ReadOnlyBecause is { } readOnly)
        {
            return await BrokenByAsync(catalogue, dataset, completed, grants, cancellation) is { IsEmpty: false } broken
                ? new SaveResult.Invalid(broken)
                : new SaveResult.Denied(readOnly);
        }

        // What is taken back was once as it is to be again; rules are for what is new.
        var watch = new Watching(this, catalogue, dataset, grants);
        var saved = await AtSourceAsync<SaveResult>(
            dataset,
            changes.Changes,
            async (writing, token) =>
                await (await WritesAsync(writing, watch, changes.Changes, context, needed, token, holdsRules: !isUndo)).SaveAsync(
                    writing.Connection,
                    dataset,
                    changes with
                    {
                        Changes = [.. completed],
                    },
                    token
                ),
            NotSaved,
            cancellation
        );
        return await watch.ToldAsync(saved);
    }

    // What a change set by itself is taken back with it.
    private static ImmutableArray<FieldProblem> Problems(Dataset dataset, Change change, FieldValues values, bool isUndo)
    {
        var problems = ChangeChecks.Problems(dataset, change, values);
        return isUndo ? problems.RemoveAll(problem => problem.Field is { } field && dataset[field].IsRenewed) : problems;
    }

    // A new record has what its fields' defaults give where the person says nothing.
    private static FieldValues Completed(Dataset dataset, Change change, Grants grants, FormulaContext context) =>
        change switch
        {
            Change.Insert insert => FieldDefault.Missing(dataset, insert.Values, grants.User, context),
            Change.Update update => update.Values,
            _ => FieldValues.None,
        };

    private async Task<SqlWrites> WritesAsync(
        Writing writing,
        Watching watching,
        IReadOnlyCollection<Change>? changes,
        FormulaContext context,
        Func<Change, Verbs> needed,
        CancellationToken cancellation,
        bool holdsRules = true
    )
    {
        var (catalogue, dataset, grants) = (watching.Catalogue, watching.Dataset, watching.Grants);
        var decided = await ApartConditions.DecidedAsync(this, catalogue, dataset, grants, context, cancellation);
        var rules = holdsRules ? new SqlRules(writing.Engine, catalogue, context, grants.User, this) : null;
        return new SqlWrites(
            writing,
            catalogue,
            decided,
            _format,
            context,
            needed,
            rules,
            await watching.AroundAsync(changes, cancellation)
        );
    }

    private Task<T> AtSourceAsync<T>(
        Dataset dataset,
        IReadOnlyCollection<Change> changes,
        Func<Writing, CancellationToken, Task<T>> work,
        Func<SourceFailure, T> failed,
        CancellationToken cancellation
    ) =>
        InSourceAsync(
            dataset,
            async source =>
            {
                await using var writing = await source.WriteAsync(dataset, changes, cancellation);
                return await work(writing, cancellation);
            },
            failed,
            cancellation
        );
}
