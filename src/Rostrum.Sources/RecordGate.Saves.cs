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

    /// <summary>
    /// Changes or deletes one record as it is at that moment: it is locked, then it is decided what becomes of it, and that is written
    /// before anybody else can change it.
    /// </summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="id">The dataset.</param>
    /// <param name="key">Names the record.</param>
    /// <param name="decide">Decides, by what it reads through the gate that it is given. That gate ends with the decision.</param>
    /// <param name="grants">The person's grants.</param>
    /// <param name="cancellation">Ends the wait; nothing is written then.</param>
    public async Task<SaveResult> SaveLockedAsync(
        DatasetCatalogue catalogue,
        DatasetId id,
        RecordKey key,
        Func<RecordGate, CancellationToken, Task<Decided>> decide,
        Grants grants,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(decide);
        if (catalogue.Find(id) is not { } dataset)
        {
            return new SaveResult.Denied("There is no such dataset.");
        }

        if (grants.ReadOnlyBecause is { } reason)
        {
            return new SaveResult.Denied(reason);
        }

        var context = Context(null);
        var watch = new Watching(this, catalogue, dataset, grants);
        var saved = await AtSourceAsync<SaveResult>(
            dataset,
            [new Change.Update(key, FieldValues.None, FieldValues.None)],
            async (writing, token) =>
                await (await WritesAsync(writing, watch, null, context, ChangeRights.NeededFor, token)).SaveLockedAsync(
                    writing.Connection,
                    dataset,
                    key,
                    async statements =>
                        await decide(new RecordGate(this, dataset.Source, statements), token) switch
                        {
                            Decided.Write { Change: var change } => Refusal(
                                dataset,
                                change,
                                grants,
                                context,
                                ChangeRights.NeededFor,
                                isUndo: false
                            )
                                is { } refusal
                                ? (null, refusal)
                                : (Cleaned(dataset, change), null),
                            Decided.Not { Reason: var because } => (null, new SaveResult.Denied(because)),
                            _ => throw new InvalidOperationException("unknown decision"),
                        },
                    token
                ),
            NotSaved,
            cancellation
        );
        return await watch.ToldAsync(saved);
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

    /// <summary>Changes many records, each by itself: what keeps one from being changed is said of that one.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="changes">The changes. What rules warn of is taken as seen.</param>
    /// <param name="how">Whether they are only tried, and what becomes of the rest where one cannot be made.</param>
    /// <param name="grants">The person's grants.</param>
    /// <param name="cancellation">Ends the wait; nothing is written then.</param>
    public Task<ManyResult> SaveEachAsync(
        DatasetCatalogue catalogue,
        ChangeSet changes,
        ManyChanges how,
        Grants grants,
        CancellationToken cancellation
    ) => WriteEachAsync(catalogue, changes, how, grants, ChangeRights.NeededFor, cancellation);

    private async Task<ManyResult> WriteEachAsync(
        DatasetCatalogue catalogue,
        ChangeSet changes,
        ManyChanges how,
        Grants grants,
        Func<Change, Verbs> needed,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(changes);
        if (catalogue.Find(changes.Dataset) is not { } dataset)
        {
            return new ManyResult.Denied("There is no such dataset.");
        }

        if (grants.ReadOnlyBecause is { } reason && how is not ManyChanges.Tried)
        {
            return new ManyResult.Denied(reason);
        }

        var (grant, context, isUndo) = (grants.For(dataset.Id), Context(null), needed == ChangeRights.NeededToUndo);
        changes = isUndo ? changes : Cleaned(dataset, changes);
        if (
            changes
                .Changes.Select(change => ChangeRights.Denial(dataset, grant, change, needed(change), isUndo))
                .FirstOrDefault(reason => reason is not null) is
            { } denial
        )
        {
            return new ManyResult.Denied(denial);
        }

        string? Unsound(Change change) =>
            Problems(dataset, change, Completed(dataset, change, grants, context), isUndo) is { IsEmpty: false } problems
                ? FieldProblem.Said(dataset, problems)
                : null;
        var watch = new Watching(this, catalogue, dataset, grants);
        var result = await AtSourceAsync<ManyResult>(
            dataset,
            changes.Changes,
            async (writing, token) =>
                await (await WritesAsync(writing, watch, changes.Changes, context, needed, token, holdsRules: !isUndo)).SaveEachAsync(
                    writing.Connection,
                    dataset,
                    changes,
                    how,
                    Unsound,
                    token
                ),
            failure => new ManyResult.Failed(failure),
            cancellation
        );
        if (result is ManyResult.Done { Written: true } done)
        {
            await watch.ToldAsync([.. done.Each.Select(one => one.Saved).OfType<SavedChange>()]);
        }

        return result;
    }

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

    // Formatted texts as they are kept.
    private ChangeSet Cleaned(Dataset dataset, ChangeSet changes) =>
        _connections.Services.CleanFormatted is null || dataset.Fields.All(field => field.Format is not DisplayFormat.RichText)
            ? changes
            : changes with
            {
                Changes = [.. changes.Changes.Select(change => Cleaned(dataset, change))],
            };

    private Change Cleaned(Dataset dataset, Change change)
    {
        FieldValues Values(FieldValues values) =>
            new(
                values.Select(pair =>
                    pair.Value is string text && dataset.Find(pair.Key)?.Format is DisplayFormat.RichText
                        ? KeyValuePair.Create(pair.Key, (object?)_connections.Services.CleanFormatted!(text))
                        : pair
                )
            );
        return _connections.Services.CleanFormatted is null
            ? change
            : change switch
            {
                Change.Insert insert => insert with { Values = Values(insert.Values) },
                Change.Update update => update with { Values = Values(update.Values) },
                _ => change,
            };
    }

    // What a change set by itself is taken back with it.
    private static ImmutableArray<FieldProblem> Problems(Dataset dataset, Change change, FieldValues values, bool isUndo)
    {
        var problems = ChangeChecks.Problems(dataset, change, values);
        return isUndo ? problems.RemoveAll(problem => problem.Field is { } field && dataset[field].IsRenewed) : problems;
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
