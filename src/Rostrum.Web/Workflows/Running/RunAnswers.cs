using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>What others say to a step that waits for them: a person who decides, a workflow that was called.</summary>
internal static class RunAnswers
{
    /// <summary>Whether there is an answer.</summary>
    public static async Task<bool> IsThereAsync(RunWork work, DueStep due, CancellationToken cancellation) =>
        due.Step.Does switch
        {
            SignOff => await work.Store.SignOffs.AnyAsync(
                request => request.RunId == work.Run.Id && request.Path == due.Path && request.AnsweredAt != null,
                cancellation
            ),
            CallWorkflow => await work.Store.WorkflowRuns.AnyAsync(
                run => run.CallerId == work.Run.Id && run.CallerPath == due.Path && run.EndedAt != null,
                cancellation
            ),
            _ => false,
        };

    /// <summary>The step goes on with the answer.</summary>
    public static async Task TakeAsync(RunWork work, DueStep due, DateTimeOffset now, CancellationToken cancellation)
    {
        var (run, store) = (work.Run, work.Store);
        JsonElement? result;
        string words;
        if (due.Step.Does is SignOff)
        {
            var request = await store.SignOffs.FirstAsync(
                known => known.RunId == run.Id && known.Path == due.Path && known.AnsweredAt != null,
                cancellation
            );
            result = SignOffs.Result(request);
            words = $"{request.AnsweredBy}: {request.Answer}{(string.IsNullOrEmpty(request.Comment) ? "" : $" — {request.Comment}")}";
        }
        else
        {
            var called = await store
                .WorkflowRuns.AsNoTracking()
                .OrderByDescending(known => known.Id)
                .FirstAsync(known => known.CallerId == run.Id && known.CallerPath == due.Path && known.EndedAt != null, cancellation);
            if (called.Status is RunStatus.Failed or RunStatus.Cancelled)
            {
                run.State = Interpreter.Failed(run.State, due.Path, $"The workflow that it called failed: {called.Message}");
                return;
            }

            var given = new JsonObject
            {
                ["ended"] = called.Status.ToString().ToLowerInvariant(),
                ["message"] = called.Message,
                ["result"] = called.State.End?.Result is { } end ? JsonNode.Parse(end.GetRawText()) : null,
            };
            result = JsonSerializer.SerializeToElement(given);
            words = $"it ended: {called.Status.ToString().ToLowerInvariant()}";
        }

        run.State = Interpreter.Done(run.State, due.Path, result);
        store.WorkflowRunSteps.Add(
            new WorkflowRunStep
            {
                RunId = run.Id,
                Path = due.Path,
                StepId = due.Step.Id,
                Label = due.Step.Does.Kind.Label,
                Status = StepEntryStatus.Done,
                Output = words,
                BegunAt = now,
                EndedAt = now,
            }
        );
    }
}
