using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running.Carriers;

/// <summary>Reads records.</summary>
internal sealed class ReadingRecords : RunCarrier<StepEffect.Read>
{
    public override EffectSafety Safety => EffectSafety.Harmless;

    protected override string Says(StepEffect.Read effect, RunContext context) =>
        (context.Workspace.Datasets.Find(effect.Dataset)?.Label ?? "Records")
        + (effect.Filter.Length == 0 ? "" : $" for which {effect.Filter}");

    protected override async Task<RunCarried> CarryAsync(StepEffect.Read effect, RunContext context)
    {
        if (context.Workspace.Datasets.Find(effect.Dataset) is not { } dataset)
        {
            return new RunCarried.Failed("The dataset that it reads is no longer there.");
        }

        Filter filter = effect.Filter.Length == 0 ? new Filter.Everything() : new Filter.Holds(effect.Filter);
        if (effect.Values.Count > 0)
        {
            filter = Filter.Both(
                new Filter.Given(
                    effect.Values.ToImmutableDictionary(
                        pair => pair.Key.Value,
                        pair => DatasetShapes.Carried(pair.Value),
                        StringComparer.OrdinalIgnoreCase
                    )
                ),
                filter
            );
        }

        var request = new ReadRequest(dataset.Id)
        {
            Filter = filter,
            Sort = effect.Sort,
            Names = context.Scope.Names,
            Now = context.Scope.Now,
            Window = new PageWindow.FromStart(0, effect.One ? 1 : effect.Limit + 1),
        };
        var result = await context.Reading.Gate.ReadAsync(
            context.Workspace.Datasets,
            request,
            context.Reading.Grants,
            context.Cancellation
        );
        if (result is not ReadResult.Rows { Records: var records })
        {
            return result switch
            {
                ReadResult.Denied denied => new RunCarried.Failed(denied.Reason),
                ReadResult.Invalid invalid => new RunCarried.Failed(invalid.Problem),
                ReadResult.Failed { Failure: var failure } => new RunCarried.Failed(failure.Message, Failures.MayPass(failure)),
                _ => throw new InvalidOperationException("unknown result"),
            };
        }

        if (!effect.One && records.Length > effect.Limit)
        {
            return new RunCarried.Failed(
                $"There are more than {effect.Limit:N0} {dataset.LabelInSentence} of that kind, "
                    + $"and this step takes {effect.Limit:N0} at most."
            );
        }

        var shape = context.Reading.Scope.Types.Shapes.Of(dataset);
        FormulaRecord?[] found =
        [
            .. records.Select(record =>
                record.Key is { } key ? new FormulaRecord(shape.Shape, new object?[shape.Shape.Members.Length], key) : null
            ),
        ];
        return effect.One
            ? new RunCarried.Done(found.FirstOrDefault(), records is [var first, ..] ? $"found “{first.Title}”" : "found none")
            : new RunCarried.Done(
                found.OfType<FormulaRecord>().Cast<object?>().ToArray(),
                Found([.. records.Select(record => record.Title)])
            );
    }

    private static string Found(string[] titles) =>
        titles.Length == 0
            ? "found none"
            : $"found {titles.Length:N0}: {string.Join(", ", titles.Take(3))}{(titles.Length > 3 ? ", …" : "")}";
}

/// <summary>Adds, changes or deletes a record.</summary>
internal sealed class SavingRecords : RunCarrier<StepEffect.Save>
{
    public override EffectSafety Safety => EffectSafety.Outside;

    protected override string Says(StepEffect.Save effect, RunContext context) =>
        context.Workspace.Datasets.Find(effect.Dataset) is not { } dataset
            ? ""
            : effect.Change switch
            {
                Change.Insert insert => $"add a {dataset.RecordLabel}: {Saving.Words(dataset, insert.Values, context)}",
                Change.Update update =>
                    $"change {dataset.RecordLabel} {update.Key.ToText(dataset)}: {Saving.Words(dataset, update.Values, context)}",
                Change.Delete delete => $"delete {dataset.RecordLabel} {delete.Key.ToText(dataset)}",
                _ => "",
            };

    protected override Task<RunCarried> CarryAsync(StepEffect.Save effect, RunContext context) =>
        context.Workspace.Datasets.Find(effect.Dataset) is { } dataset
            ? Saving.SaveAsync(dataset, effect.Change, context)
            : Task.FromResult<RunCarried>(new RunCarried.Failed("The dataset that it changes is no longer there."));

    protected override Task<RunCarried?> RecoverAsync(StepEffect.Save effect, RunContext context) =>
        Saving.RecoverAsync(context.Workspace.Datasets.Find(effect.Dataset), context);
}

/// <summary>Changes the record that has the same values in some fields, or adds one.</summary>
internal sealed class AddingOrChanging : RunCarrier<StepEffect.AddOrChange>
{
    public override EffectSafety Safety => EffectSafety.Outside;

    protected override string Says(StepEffect.AddOrChange effect, RunContext context) =>
        context.Workspace.Datasets.Find(effect.Dataset) is { } dataset
            ? $"add or change a {dataset.RecordLabel}: {Saving.Words(dataset, effect.Values, context)}"
            : "";

    protected override async Task<RunCarried> CarryAsync(StepEffect.AddOrChange effect, RunContext context)
    {
        if (context.Workspace.Datasets.Find(effect.Dataset) is not { } dataset)
        {
            return new RunCarried.Failed("The dataset that it changes is no longer there.");
        }

        var request = new ReadRequest(dataset.Id)
        {
            Filter = new Filter.And([.. effect.Match.Select(field => new Filter.OneOf(field, [effect.Values[field]]))]),
            Window = new PageWindow.FromStart(0, 2),
        };
        return await context.Reading.Gate.ReadAsync(
            context.Workspace.Datasets,
            request,
            context.Reading.Grants,
            context.Cancellation
        ) switch
        {
            ReadResult.Rows { Records: [] } => await Saving.SaveAsync(dataset, new Change.Insert(effect.Values), context),
            ReadResult.Rows { Records: [{ Key: { } key }] } => await Saving.SaveAsync(
                dataset,
                new Change.Update(key, FieldValues.None, new FieldValues(effect.Values.Where(pair => !effect.Match.Contains(pair.Key)))),
                context
            ),
            ReadResult.Rows => new RunCarried.Failed(
                $"More than one {dataset.RecordLabel} has these values: it is not clear which is meant."
            ),
            ReadResult.Denied denied => new RunCarried.Failed(denied.Reason),
            ReadResult.Invalid invalid => new RunCarried.Failed(invalid.Problem),
            ReadResult.Failed { Failure: var failure } => new RunCarried.Failed(failure.Message, Failures.MayPass(failure)),
            _ => throw new InvalidOperationException("unknown result"),
        };
    }

    protected override Task<RunCarried?> RecoverAsync(StepEffect.AddOrChange effect, RunContext context) =>
        Saving.RecoverAsync(context.Workspace.Datasets.Find(effect.Dataset), context);
}

/// <summary>Runs a statement that changes data.</summary>
internal sealed class RunningStatements : RunCarrier<StepEffect.RunStatement>
{
    public override EffectSafety Safety => EffectSafety.Outside;

    protected override string Says(StepEffect.RunStatement effect, RunContext context) =>
        context.Workspace.Datasets.Find(effect.Statement) is { } statement ? $"run “{statement.Label}”" : "";

    protected override async Task<RunCarried> CarryAsync(StepEffect.RunStatement effect, RunContext context) =>
        await context.Reading.Gate.RunAsync(
            context.Workspace.Datasets,
            effect.Statement,
            effect.Values,
            context.Reading.Grants,
            context.Cancellation
        ) switch
        {
            StatementResult.Done done => new RunCarried.Done((decimal)done.Rows, $"{done.Rows:N0} rows changed"),
            StatementResult.Denied denied => new RunCarried.Failed(denied.Reason),
            StatementResult.Failed { Failure: { IsUncertain: true } failure } => new RunCarried.Uncertain(failure.Message),
            StatementResult.Failed { Failure: var failure } => new RunCarried.Failed(failure.Message, Failures.MayPass(failure)),
            _ => throw new InvalidOperationException("unknown result"),
        };

    protected override Task<RunCarried?> RecoverAsync(StepEffect.RunStatement effect, RunContext context) =>
        Task.FromResult<RunCarried?>(new RunCarried.Uncertain("The worker was lost while the statement was running."));
}

/// <summary>What failures of sources mean for a run.</summary>
internal static class Failures
{
    /// <summary>It may go another time.</summary>
    public static bool MayPass(SourceFailure failure) =>
        failure.Reason is FailureReason.Refused or FailureReason.UnknownHost or FailureReason.TimedOut;
}

/// <summary>Saves records for runs so that each is saved once, whatever happens on the way.</summary>
internal static class Saving
{
    public static string Words(Dataset dataset, FieldValues values, RunContext context) =>
        string.Join(
            ", ",
            values.Select(pair =>
                dataset.Find(pair.Key) is { } field ? $"{dataset.LabelOf(pair.Key)} = {Shown(field, pair.Value, context)}" : pair.Key.Value
            )
        );

    private static string Shown(Field field, object? value, RunContext context) =>
        value is null ? "blank" : context.Get<RecordFormat>().Display(field, value);

    public static async Task<RunCarried> SaveAsync(Dataset dataset, Change change, RunContext context)
    {
        var changes = new ChangeSet(dataset.Id, [change]) { BeforeEnd = end => NoteAsync(context, dataset, end) };
        var result = await context.Reading.Gate.SaveAsync(
            context.Workspace.Datasets,
            changes,
            context.Reading.Grants,
            context.Cancellation
        );
        if (result is SaveResult.Warned warned)
        {
            // Nobody is there to be warned.
            result = await context.Reading.Gate.SaveAsync(
                context.Workspace.Datasets,
                changes with
                {
                    SeenWarnings = [.. warned.Problems.Select(problem => problem.Message)],
                },
                context.Reading.Grants,
                context.Cancellation
            );
        }

        return result switch
        {
            SaveResult.Saved { Changes: [var saved] } => new RunCarried.Done(
                Record(dataset, saved.Key, context),
                $"“{saved.Title}” {(change is Change.Insert ? "added" : change is Change.Delete ? "deleted" : "changed")}"
            ),
            SaveResult.Invalid invalid => new RunCarried.Failed(FieldProblem.Said(dataset, invalid.Problems)),
            SaveResult.Warned again => new RunCarried.Failed(FieldProblem.Said(dataset, again.Problems)),
            SaveResult.Conflict { Current: null } => new RunCarried.Failed($"This {dataset.RecordLabel} is no longer there."),
            SaveResult.Conflict => new RunCarried.Failed($"This {dataset.RecordLabel} was changed meanwhile."),
            SaveResult.Denied denied => new RunCarried.Failed(denied.Reason),
            SaveResult.Failed { Failure: var failure } => new RunCarried.Failed(failure.Message, Failures.MayPass(failure)),
            SaveResult.Uncertain => new RunCarried.AskLater(),
            _ => throw new InvalidOperationException("one change was asked for"),
        };
    }

    /// <summary>What became of a save that was begun: asked of the database by the name of its transaction.</summary>
    public static async Task<RunCarried?> RecoverAsync(Dataset? dataset, RunContext context)
    {
        if (dataset is null || context.Entry.Transaction is not { } transaction)
        {
            // It did not come so far.
            return null;
        }

        if (transaction.Length == 0)
        {
            return new RunCarried.Uncertain("The worker was lost while it was saving, and this database cannot say what became of it.");
        }

        return await context.Reading.Gate.CameToItsEndAsync(dataset, transaction, context.Cancellation) switch
        {
            true => new RunCarried.Done(
                context.Entry.Record is { Length: > 0 } key ? Record(dataset, RecordKey.Parse(dataset, key), context) : null,
                "it was saved"
            ),
            false => null,
            null => new RunCarried.AskLater(),
        };
    }

    private static FormulaRecord? Record(Dataset dataset, RecordKey? key, RunContext context)
    {
        var shape = context.Reading.Scope.Types.Shapes.Of(dataset);
        return key is null ? null : new FormulaRecord(shape.Shape, new object?[shape.Shape.Members.Length], key);
    }

    // By a connection of its own: it must be there whatever becomes of the run's.
    private static async Task NoteAsync(RunContext context, Dataset dataset, BeforeEnd end)
    {
        if (context.Entry.Id == 0)
        {
            return;
        }

        await using var store = await context.Get<IDbContextFactory<RostrumStore>>().CreateDbContextAsync(context.Cancellation);
        var (id, record) = (context.Entry.Id, end.Key?.ToText(dataset));
        await store
            .WorkflowRunSteps.Where(entry => entry.Id == id)
            .ExecuteUpdateAsync(row =>
                row.SetProperty(entry => entry.Transaction, end.Transaction).SetProperty(entry => entry.Record, record)
            );
    }
}
