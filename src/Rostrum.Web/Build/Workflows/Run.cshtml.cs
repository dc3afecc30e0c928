using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.People;
using Rostrum.Web.Security;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Build.Workflows;

/// <summary>One run: what each step got, gave, how long it took, and why it failed.</summary>
internal sealed class RunModel(
    RostrumStore store,
    IDbContextFactory<RostrumStore> stores,
    RunStarts starts,
    RunRights rights,
    CurrentPerson person,
    RecordFormat format,
    TimeProvider time
) : PageModel
{
    /// <summary>An entry of its log.</summary>
    public sealed record Entry(
        string Path,
        string Label,
        StepEntryStatus Status,
        string Input,
        string Output,
        string? Failure,
        string At,
        string Took,
        int Depth
    );

    /// <summary>What became of a step of the workflow.</summary>
    /// <param name="Word">In a word.</param>
    /// <param name="Badge">Its colour.</param>
    /// <param name="Times">How often it was done.</param>
    /// <param name="Tries">How often it was tried in vain.</param>
    /// <param name="Took">How long it took, all times together.</param>
    public sealed record Mark(string Word, string Badge, int Times, int Tries, string Took);

    /// <summary>The workflow as it was when the run began.</summary>
    public Workflow Workflow { get; private set; } = null!;

    /// <summary>What became of its steps, by their identities.</summary>
    public ImmutableDictionary<string, Mark> Marks { get; private set; } = ImmutableDictionary<string, Mark>.Empty;

    /// <summary>The step before which a trial halts; null where it does not.</summary>
    public FlowStep? Next { get; private set; }

    public WorkflowRun Run { get; private set; } = null!;

    public StoredWorkflow Stored { get; private set; } = null!;

    public ImmutableArray<Entry> Entries { get; private set; } = [];

    /// <summary>What its trigger gave, as people read it.</summary>
    public string Input { get; private set; } = "";

    /// <summary>Whoever looks may see what the run saw; otherwise how far it is, and nothing of its values.</summary>
    public bool ShowsValues { get; private set; }

    public ImmutableArray<SignOffRequest> Asked { get; private set; } = [];

    public string When(DateTimeOffset at) => format.Display(new FieldType.Instant(), at);

    public string Here => $"/build/workflows/runs/{Run.Id}";

    public async Task<IActionResult> OnGetAsync(long id, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation))
        {
            return NotFound();
        }

        return Request.IsPartial() ? Partial("/Build/Workflows/_Run.cshtml", this) : Page();
    }

    /// <summary>Goes on from the step that failed.</summary>
    public async Task<IActionResult> OnPostRetryAsync(long id, CancellationToken cancellation) =>
        await ChangeAsync(
            id,
            run =>
            {
                if (run.Status is not RunStatus.Failed)
                {
                    return "Only a run that failed can be tried again.";
                }

                run.State = Interpreter.Retried(run.State);
                Ready(run);
                return null;
            },
            "It goes on from the step that failed.",
            cancellation
        );

    /// <summary>A trial that goes step by step does the next one, or all the others.</summary>
    /// <param name="id">The run.</param>
    /// <param name="carriesOut">What the step does outside is carried out.</param>
    /// <param name="rest">It halts no more.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<IActionResult> OnPostNextAsync(long id, bool carriesOut, bool rest, CancellationToken cancellation) =>
        await ChangeAsync(
            id,
            run =>
            {
                if (run is not { IsStepByStep: true, IsOver: false })
                {
                    return "It goes on already.";
                }

                (run.CarriesNextOut, run.IsStepByStep) = (carriesOut, !rest);
                Ready(run);
                return null;
            },
            null,
            cancellation
        );

    public async Task<IActionResult> OnPostCancelAsync(long id, CancellationToken cancellation) =>
        await ChangeAsync(
            id,
            run =>
            {
                if (run.IsOver)
                {
                    return "It has ended already.";
                }

                run.State = run.State with { End = new RunEnd(RunEnding.Cancelled, "cancelled") };
                (run.Status, run.Message, run.EndedAt, run.Due) = (RunStatus.Cancelled, "cancelled", time.GetUtcNow(), null);
                return null;
            },
            "It was cancelled. What it had done stays done.",
            cancellation
        );

    /// <summary>A person says what became of a step of which that is not known.</summary>
    public async Task<IActionResult> OnPostSettleAsync(long id, bool done, CancellationToken cancellation) =>
        await ChangeAsync(
            id,
            run =>
            {
                if (run.Status is not RunStatus.Uncertain)
                {
                    return "It is known already.";
                }

                foreach (var (path, step) in run.State.Steps.Where(step => step.Value.Status is StepStatus.Begun).ToArray())
                {
                    run.State = done ? Interpreter.Done(run.State, path, null) : run.State with { Steps = run.State.Steps.Remove(path) };
                }

                Ready(run);
                return null;
            },
            done ? "Taken as done: it goes on with the next step." : "It does the step once more.",
            cancellation
        );

    /// <summary>A new run with the same input.</summary>
    public async Task<IActionResult> OnPostAgainAsync(long id, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation))
        {
            return NotFound();
        }

        var entry = new WorkflowEntry(Stored.Id, Stored.Name, Run.Version ?? 0, Stored.IsOn, Stored.Draft);
        var start = new RunStart($"run {Run.Id}, again", Run.Input)
        {
            PersonId = person.Id,
            PersonName = await person.NameAsync(cancellation),
            DatasetId = Run.DatasetId,
            RecordKey = Run.RecordKey,
            RecordTitle = Run.RecordTitle,
        };
        var again = Run.Version is null
            ? starts.Try(Stored.Id, Stored.Draft, Run.IsDry, start)
            : starts.Run(entry with { Version = Stored.LiveVersion ?? Run.Version.Value }, start);
        store.WorkflowRuns.Add(again);
        await store.SaveChangesAsync(cancellation);
        await RunStarts.WakeAsync(store, cancellation);
        return Redirect($"/build/workflows/runs/{again.Id}");
    }

    private static void Ready(WorkflowRun run) =>
        (run.Status, run.Message, run.EndedAt, run.Due) = (RunStatus.Ready, null, null, DateTimeOffset.UtcNow);

    // Whoever goes on with the run at this moment is waited for.
    private async Task<IActionResult> ChangeAsync(long id, Func<WorkflowRun, string?> change, string? said, CancellationToken cancellation)
    {
        await using var held = await stores.CreateDbContextAsync(cancellation);
        await held.Database.OpenConnectionAsync(cancellation);
        if (!await RunLock.WaitAsync(held, id, cancellation))
        {
            TempData["refused"] = "It is at work just now: try again in a moment.";
            return Redirect($"/build/workflows/runs/{id}");
        }

        try
        {
            if (await held.WorkflowRuns.FirstOrDefaultAsync(run => run.Id == id, cancellation) is not { } run)
            {
                return NotFound();
            }

            if (change(run) is { } refusal)
            {
                TempData["refused"] = refusal;
            }
            else
            {
                await held.SaveChangesAsync(cancellation);
                if (run.Status is RunStatus.Cancelled)
                {
                    await held
                        .SignOffs.Where(request => request.RunId == id && request.AnsweredAt == null)
                        .ExecuteUpdateAsync(row => row.SetProperty(request => request.IsWithdrawn, true), cancellation);
                    await RunEnds.WakeCallerAsync(held, run, time.GetUtcNow(), cancellation);
                }

                TempData["note"] = said;
                await RunStarts.WakeAsync(held, cancellation);
            }
        }
        finally
        {
            await RunLock.ReleaseAsync(held, id);
        }

        return Redirect($"/build/workflows/runs/{id}");
    }

    private async Task<bool> LoadAsync(long id, CancellationToken cancellation)
    {
        if (await store.WorkflowRuns.AsNoTracking().FirstOrDefaultAsync(run => run.Id == id, cancellation) is not { } run)
        {
            return false;
        }

        Run = run;
        Stored = await store.Workflows.AsNoTracking().FirstAsync(workflow => workflow.Id == run.WorkflowId, cancellation);
        Workflow = await store.WorkflowOfAsync(run, cancellation);
        ShowsValues = await rights.MaySeeAllAsync(Workflow, run.PersonId, cancellation);
        var log = await store
            .WorkflowRunSteps.AsNoTracking()
            .Where(entry => entry.RunId == id)
            .OrderBy(entry => entry.Id)
            .Take(2_000)
            .ToListAsync(cancellation);
        Marks = log.GroupBy(entry => entry.StepId).ToImmutableDictionary(entries => entries.Key, entries => MarkOf([.. entries]));
        Next = run is { IsStepByStep: true, Status: RunStatus.Waiting }
            ? Interpreter.Settle(Workflow, run.State).Due.FirstOrDefault(due => run.State[due.Path] is null)?.Step
            : null;
        Entries =
        [
            .. log.Select(entry => new Entry(
                entry.Path,
                entry.Label,
                entry.Status,
                ShowsValues ? entry.Input : "",
                ShowsValues ? entry.Output : "",
                ShowsValues ? entry.Failure : null,
                format.Display(new FieldType.Instant(), entry.BegunAt),
                RunsModel.Took(entry.BegunAt, entry.EndedAt),
                entry.Path.Count(letter => letter == '/')
            )),
        ];
        Asked =
        [
            .. await store
                .SignOffs.AsNoTracking()
                .Where(request => request.RunId == id)
                .OrderBy(request => request.AskedAt)
                .ToListAsync(cancellation),
        ];
        using var json = JsonDocument.Parse(run.Input);
        Input = ShowsValues ? JsonSerializer.Serialize(json.RootElement, Indented) : "";
        return true;
    }

    private Mark MarkOf(IReadOnlyList<WorkflowRunStep> entries)
    {
        var last = entries[^1];
        var took = entries.Where(entry => entry.EndedAt is not null).Sum(entry => (entry.EndedAt!.Value - entry.BegunAt).TotalSeconds);
        var waits = Run.State.Steps.Any(step => step.Value.Status is StepStatus.Waiting && RunState.StepAt(step.Key) == last.StepId);
        return new Mark(
            waits ? "waits" : RunWords.Of(last.Status),
            waits ? "text-bg-warning" : RunWords.Badge(last.Status),
            entries.Count(entry => entry.Status is not StepEntryStatus.TriedInVain),
            entries.Count(entry => entry.Status is StepEntryStatus.TriedInVain),
            RunsModel.Took(last.BegunAt, last.BegunAt.AddSeconds(took))
        );
    }

    private static readonly JsonSerializerOptions Indented = new()
    {
        WriteIndented = true,
        Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };
}
