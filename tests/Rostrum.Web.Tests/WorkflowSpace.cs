using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Sources;
using Rostrum.StandIns.Signal;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;
using Rostrum.Web.Build.Workflows;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Tests;

/// <summary>A demo application in which workflows are made, set off and looked at; with a signal room beside it.</summary>
public sealed class WorkflowSpace : DemoApplication
{
    private const string Address = "http://127.0.0.1:";
    private Guid? _signal;
    private Microsoft.AspNetCore.Builder.WebApplication? _room;

    /// <summary>What the chat got.</summary>
    public SignalRoom Signal { get; } = new();

    /// <summary>The signal room as a source.</summary>
    public async Task<SourceId> SignalAsync()
    {
        if (_signal is null)
        {
            _room = Signal.At(Address + "0");
            await _room.StartAsync();
            await using var scope = Services.CreateAsyncScope();
            var settings = new SourceSettings("", 0, "", "", SignalRoom.Token, Encrypted: false)
            {
                Kind = "http",
                Options = JsonSerializer.Serialize(new { Address = _room.Urls.First(), SignIn = "bearer" }),
            };
            var (source, refusal) = await scope
                .ServiceProvider.GetRequiredService<SourceSetUp>()
                .ConnectAsync("Signal room", settings, CancellationToken.None);
            Assert.Null(refusal);
            _signal = source!.Id;
        }

        return new SourceId(_signal.Value);
    }

    public Task<DatasetId> DatasetAsync(string name) =>
        InStoreAsync(async store => new DatasetId(
            (await store.Datasets.AsNoTracking().ToListAsync()).Single(row => row.Definition.Name.Value == name).Id
        ));

    /// <summary>Makes a workflow and publishes it; it must have no errors.</summary>
    public async Task<StoredWorkflow> PublishAsync(Workflow workflow)
    {
        await using var scope = Services.CreateAsyncScope();
        var drafts = scope.ServiceProvider.GetRequiredService<WorkflowDrafts>();
        var workspace = await Services.GetRequiredService<WorkspaceCache>().GetAsync(CancellationToken.None);
        var stored = await drafts.AddAsync(workflow, CancellationToken.None);
        var problems = WorkflowProblems.Of(
            stored.Name,
            workflow,
            workspace.Datasets,
            await drafts.AroundAsync(CancellationToken.None),
            workspace.Anybody
        );
        Assert.Empty(problems.Where(problem => !problem.Warns));
        await drafts.PublishAsync(stored.Id, "", "the test", CancellationToken.None);
        return stored;
    }

    /// <summary>It is heard no more: what other tests save is not its business.</summary>
    public async Task TurnOffAsync(StoredWorkflow workflow)
    {
        await using var scope = Services.CreateAsyncScope();
        await scope.ServiceProvider.GetRequiredService<WorkflowDrafts>().TurnAsync(workflow.Id, false, CancellationToken.None);
    }

    /// <summary>Saves a change with all rights of a role.</summary>
    internal async Task<SaveResult> SaveAsync(DatasetId dataset, Change change, string role = "superintendent")
    {
        var workspace = await Services.GetRequiredService<WorkspaceCache>().GetAsync(CancellationToken.None);
        var (id, person) = workspace.People.First(known => known.Value.Roles.Contains(role));
        var grants = workspace.GrantsOf(new HashSet<string> { role }, person.AsUser);
        using var asThem = RunAmbient.Begin(new RunAmbient(id, person.Name, 0));
        var gate = Services.GetRequiredService<RecordGate>();
        var changes = new ChangeSet(dataset, [change]);
        var result = await gate.SaveAsync(workspace.Datasets, changes, grants, CancellationToken.None);
        return result is SaveResult.Warned warned
            ? await gate.SaveAsync(
                workspace.Datasets,
                changes with
                {
                    SeenWarnings = [.. warned.Problems.Select(problem => problem.Message)],
                },
                grants,
                CancellationToken.None
            )
            : result;
    }

    /// <summary>The values of a new defect.</summary>
    public static FieldValues Defect(string title, params (string Field, object? Value)[] more) =>
        more.Aggregate(
            new FieldValues([
                KeyValuePair.Create(new FieldName("vessel"), (object?)"BF-101"),
                KeyValuePair.Create(new FieldName("title"), (object?)title),
            ]),
            (all, one) => all.With(new FieldName(one.Field), one.Value)
        );

    /// <summary>Waits until all runs of a workflow have ended or wait for somebody, and gives them, the oldest first.</summary>
    public async Task<IReadOnlyList<WorkflowRun>> RunsAsync(StoredWorkflow workflow, int count = 1, RunStatus? status = null)
    {
        for (var tries = 0; tries < 600; tries++)
        {
            var runs = await InStoreAsync(store =>
                store.WorkflowRuns.AsNoTracking().Where(run => run.WorkflowId == workflow.Id).OrderBy(run => run.Id).ToListAsync()
            );
            if (
                runs.Count >= count
                && runs.All(run =>
                    status is { } wanted
                        ? run.Status == wanted
                        : run.Status is not RunStatus.Ready || run.Due > DateTimeOffset.UtcNow.AddSeconds(2)
                )
            )
            {
                return runs;
            }

            await Task.Delay(50);
        }

        var found = await InStoreAsync(store =>
            store.WorkflowRuns.AsNoTracking().Where(run => run.WorkflowId == workflow.Id).ToListAsync()
        );
        throw new InvalidOperationException(
            $"{found.Count} runs: {string.Join(", ", found.Select(run => $"{run.Status} {run.Message} due {run.Due:O}"))}"
        );
    }

    /// <summary>Begins a run of an on-demand workflow, or of any with an input.</summary>
    public Task<long> BeginAsync(StoredWorkflow workflow, string input = "{}", Action<WorkflowRun>? otherwise = null) =>
        InStoreAsync(async store =>
        {
            var entry = new WorkflowEntry(workflow.Id, workflow.Name, 1, true, workflow.Draft);
            var run = Services.GetRequiredService<RunStarts>().Run(entry, new RunStart("the test", input) { PersonName = "the test" });
            otherwise?.Invoke(run);
            store.WorkflowRuns.Add(run);
            await store.SaveChangesAsync();
            await RunStarts.WakeAsync(store, CancellationToken.None);
            return run.Id;
        });

    public Task<List<WorkflowRunStep>> EntriesAsync(long run) =>
        InStoreAsync(store =>
            store.WorkflowRunSteps.AsNoTracking().Where(entry => entry.RunId == run).OrderBy(entry => entry.Id).ToListAsync()
        );

    /// <summary>Something goes on at once that waits for its moment.</summary>
    public Task<int> HurryAsync(StoredWorkflow workflow) =>
        InStoreAsync(async store =>
        {
            var now = DateTimeOffset.UtcNow;
            foreach (var run in await store.WorkflowRuns.Where(run => run.WorkflowId == workflow.Id).ToListAsync())
            {
                run.Due = now;
                run.State = run.State with
                {
                    Steps = run.State.Steps.SetItems(
                        run.State.Steps.Where(step => step.Value.Until is not null)
                            .Select(step => KeyValuePair.Create(step.Key, step.Value with { Until = now }))
                            .ToArray()
                    ),
                };
            }

            return await store.SaveChangesAsync();
        });

    public static FlowStep Compute(string id, string formula) => new(id, new ComputeValue { Name = id, Formula = formula });

    /// <summary>A transaction of the fleet's database, ended or taken back: its name.</summary>
    public async Task<string> TransactionAsync(string sql, bool commit)
    {
        await using var source = NpgsqlDataSource.Create(FleetConnection);
        await using var connection = await source.OpenConnectionAsync();
        await using var transaction = await connection.BeginTransactionAsync();
        await using (var command = new NpgsqlCommand(sql, connection, transaction))
        {
            await command.ExecuteNonQueryAsync();
        }

        await using var named = new NpgsqlCommand("SELECT pg_current_xact_id()::text", connection, transaction);
        var name = (string)(await named.ExecuteScalarAsync())!;
        await (commit ? transaction.CommitAsync() : transaction.RollbackAsync());
        return name;
    }

    protected override void Dispose(bool disposing)
    {
        base.Dispose(disposing);
        if (disposing)
        {
            (_room as IDisposable)?.Dispose();
        }
    }
}
