using System.Text.Json;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Workflows;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>Writes down what became of a step. Each says whether the run goes on at once.</summary>
internal sealed class RunOutcomes(TimeProvider time)
{
    private readonly RunEnds _ends = new(time);

    /// <summary>The pauses after which a step that failed for a while is tried again.</summary>
    private static readonly TimeSpan[] Pauses =
    [
        TimeSpan.FromSeconds(5),
        TimeSpan.FromSeconds(30),
        TimeSpan.FromMinutes(2),
        TimeSpan.FromMinutes(10),
        TimeSpan.FromHours(1),
    ];

    private static readonly TimeSpan ALittleLater = TimeSpan.FromSeconds(2);

    /// <summary>What a step wanted was carried out, or not.</summary>
    public async Task<bool> TakeAsync(RunWork work, RunContext context, RunCarried carried, CancellationToken cancellation)
    {
        switch (carried)
        {
            case RunCarried.Done done:
                context.Entry.Output = done.Output;
                return await DoneAsync(work, context, work.Reading.Values.Element(done.Result), cancellation);
            case RunCarried.Failed failed:
                return await FailedAsync(work, context.Due, context.Entry, failed.Reason, failed.Again, cancellation);
            case RunCarried.Waits waits:
                context.Entry.Output = waits.Output;
                context.Entry.Status = StepEntryStatus.Done;
                context.Entry.EndedAt = time.GetUtcNow();
                work.Run.State = work.Run.State.With(
                    context.Due.Path,
                    work.Run.State[context.Due.Path]! with
                    {
                        Status = StepStatus.Waiting,
                    }
                );
                await work.Store.SaveChangesAsync(cancellation);
                return true;
            case RunCarried.AskLater:
                work.Run.Due = time.GetUtcNow() + ALittleLater;
                await work.Store.SaveChangesAsync(cancellation);
                return false;
            case RunCarried.Uncertain uncertain:
                context.Entry.Status = StepEntryStatus.Uncertain;
                context.Entry.Failure = uncertain.Reason;
                work.Run.Status = RunStatus.Uncertain;
                work.Run.Message = uncertain.Reason;
                work.Run.Due = null;
                _ends.TellOfFailure(work, $"does not know whether a step was done: {uncertain.Reason}");
                await work.Store.SaveChangesAsync(cancellation);
                return false;
            default:
                throw new InvalidOperationException("unknown outcome");
        }
    }

    /// <summary>The step is done, with what it gives.</summary>
    public async Task<bool> DoneAsync(RunWork work, RunContext context, JsonElement? result, CancellationToken cancellation)
    {
        context.Entry.Status = StepEntryStatus.Done;
        context.Entry.EndedAt = time.GetUtcNow();
        work.Run.State = Interpreter.Done(work.Run.State, context.Due.Path, result);
        await work.Store.SaveChangesAsync(cancellation);
        return true;
    }

    /// <summary>The step wanted nothing done: it says where the run goes on.</summary>
    public async Task<bool> FlowAsync(RunWork work, DueStep due, WorkflowRunStep entry, StepFlow flow, CancellationToken cancellation)
    {
        var run = work.Run;
        run.State = Interpreter.After(run.State, due, flow, work.Reading.Values.Element);
        entry.Output = Words(due.Step, flow, run.State[due.Path]);
        entry.Status = StepEntryStatus.Done;
        entry.EndedAt = time.GetUtcNow();
        if (flow is StepFlow.Repeats && run.State[due.Path]?.Items is { } items)
        {
            work.Store.WorkflowRunLists.Add(
                new WorkflowRunList
                {
                    RunId = run.Id,
                    Path = due.Path,
                    Items = items.GetRawText(),
                }
            );
            await work.Store.SaveChangesAsync(cancellation);
        }

        return true;
    }

    private static string Words(FlowStep step, StepFlow flow, StepState? state) =>
        flow switch
        {
            StepFlow.Gives => state?.Result is { } result ? Short(result.GetRawText()) : "blank",
            StepFlow.Enters { Blocks: var blocks } => string.Join(", ", blocks.Select(at => step.Blocks[at].Label)),
            StepFlow.Repeats repeats => $"{repeats.Items.Count:N0} to do",
            StepFlow.Waits waits => $"waits until {waits.Until:u}",
            StepFlow.Ends { Message: { } message } => message,
            _ => "",
        };

    private static string Short(string text) => text.Length > 500 ? text[..500] + "…" : text;

    /// <summary>The step failed; where <paramref name="again"/>, it is tried again after a while.</summary>
    public async Task<bool> FailedAsync(
        RunWork work,
        DueStep due,
        WorkflowRunStep entry,
        string reason,
        bool again,
        CancellationToken cancellation
    )
    {
        var known = work.Run.State[due.Path]!;
        entry.Failure = reason;
        entry.EndedAt = time.GetUtcNow();
        if (again && known.Tries < Pauses.Length)
        {
            entry.Status = StepEntryStatus.TriedInVain;
            work.Run.State = work.Run.State.With(
                due.Path,
                known with
                {
                    Status = StepStatus.Waiting,
                    Tries = known.Tries + 1,
                    Until = time.GetUtcNow() + Pauses[known.Tries],
                }
            );
        }
        else
        {
            entry.Status = StepEntryStatus.Failed;
            work.Run.State = Interpreter.Failed(work.Run.State, due.Path, reason);
        }

        await work.Store.SaveChangesAsync(cancellation);
        return true;
    }
}
