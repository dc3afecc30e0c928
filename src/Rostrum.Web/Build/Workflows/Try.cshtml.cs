using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.People;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Build.Workflows;

/// <summary>Tries a draft: with a real record, the input of an earlier run, or typed input.</summary>
internal sealed class TryModel(
    RostrumStore store,
    WorkflowDrafts drafts,
    WorkspaceCache workspaces,
    CurrentPerson person,
    RunStarts starts,
    RunRights rights,
    RecordGate gate,
    RecordFormat format
) : PageModel
{
    public StoredWorkflow Stored { get; private set; } = null!;

    public ImmutableArray<WorkflowProblem> Problems { get; private set; } = [];

    /// <summary>Records to try it with, by their keys.</summary>
    public ImmutableArray<(string Key, string Title)> Records { get; private set; } = [];

    public ImmutableArray<(long Id, string Label)> Earlier { get; private set; } = [];

    public string Input { get; private set; } = "{}";

    public string? Problem { get; private set; }

    public string Here => $"/build/workflows/{Stored.Name}/try";

    public async Task<IActionResult> OnGetAsync(string name, string? record, long? run, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        Input = await InputAsync(record, run, cancellation);
        return Page();
    }

    public async Task<IActionResult> OnPostAsync(string name, string input, bool real, bool steps, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        Input = input;
        try
        {
            if (JsonNode.Parse(input) is not JsonObject)
            {
                Problem = "The input is no JSON object.";
            }
        }
        catch (JsonException exception)
        {
            Problem = $"The input cannot be read: line {exception.LineNumber + 1}.";
        }

        if (Problems.Any(problem => !problem.Warns))
        {
            Problem = "Fix the errors first: a draft with errors cannot be tried.";
        }

        Problem ??= await rights.RefusalAsync(Stored.Draft, cancellation);
        if (Problem is not null)
        {
            return Page();
        }

        var run = starts.Try(
            Stored.Id,
            Stored.Draft,
            isDry: !real,
            new RunStart("a trial", input) { PersonId = person.Id, PersonName = await person.NameAsync(cancellation) }
        );
        if (steps)
        {
            // It halts before its first step.
            (run.IsStepByStep, run.Status, run.Due) = (true, RunStatus.Waiting, null);
        }

        store.WorkflowRuns.Add(run);
        await store.SaveChangesAsync(cancellation);
        await RunStarts.WakeAsync(store, cancellation);
        return Redirect($"/build/workflows/runs/{run.Id}");
    }

    private async Task<bool> LoadAsync(string name, CancellationToken cancellation)
    {
        if (await drafts.FindAsync(name, cancellation) is not { } stored)
        {
            return false;
        }

        Stored = stored;
        var workspace = await workspaces.GetAsync(cancellation);
        Problems = WorkflowProblems.Of(name, stored.Draft, workspace.Datasets, await drafts.AroundAsync(cancellation), workspace.Anybody);
        if (stored.Draft.Trigger.Of is { } of && workspace.Datasets.Find(of) is { } dataset)
        {
            var request = new ReadRequest(dataset.Id) { Window = new PageWindow.FromStart(0, 20) };
            Records = await gate.ReadAsync(workspace.Datasets, request, await person.GrantsAsync(cancellation), cancellation)
                is ReadResult.Rows rows
                ? [.. rows.Records.Where(record => record.Key is not null).Select(record => (record.Key!.ToText(dataset), record.Title))]
                : [];
        }

        Earlier =
        [
            .. (
                await store
                    .WorkflowRuns.AsNoTracking()
                    .Where(run => run.WorkflowId == stored.Id)
                    .OrderByDescending(run => run.Id)
                    .Take(10)
                    .Select(run => new { run.Id, run.SetOffBy })
                    .ToListAsync(cancellation)
            ).Select(run => (run.Id, $"run {run.Id}: {run.SetOffBy}")),
        ];
        return true;
    }

    private async Task<string> InputAsync(string? record, long? run, CancellationToken cancellation)
    {
        if (
            run is { } id
            && await store
                .WorkflowRuns.Where(known => known.Id == id && known.WorkflowId == Stored.Id)
                .Select(known => known.Input)
                .FirstOrDefaultAsync(cancellation)
                is { } before
        )
        {
            return Indented(before);
        }

        if (await PickedAsync(record, cancellation) is var (dataset, key, found))
        {
            var values = SavedChangeJson.Written(dataset, found.Values(found.Layout.Fields))!;
            switch (Stored.Draft.Trigger)
            {
                case RecordTrigger trigger:
                    var kind =
                        trigger.Added ? "added"
                        : trigger.Changed ? "changed"
                        : "deleted";
                    return Indented(
                        new SavedChangeJson(
                            key,
                            found.Title,
                            kind,
                            [],
                            kind == "added" ? null : values,
                            kind == "deleted" ? null : (JsonObject)values.DeepClone()
                        ).Input(await person.NameAsync(cancellation))
                    );
                case InPlaceOfSave:
                    values["record"] = new JsonObject { [RunValues.Key] = key };
                    return Indented(
                        new JsonObject
                        {
                            ["changed"] = new JsonArray(values),
                            ["original"] = new JsonArray(values.DeepClone()),
                            ["inserted"] = new JsonArray(),
                            ["deleted"] = new JsonArray(),
                            ["person"] = await person.NameAsync(cancellation),
                        }.ToJsonString()
                    );
            }
        }

        return Indented(
            Stored.Draft.Trigger switch
            {
                OnSchedule => new JsonObject { ["at"] = format.Clock.GetUtcNow().ToString("O") }.ToJsonString(),
                OnCall { Sample: { Length: > 0 } sample } => sample,
                OnDemand onDemand => new JsonObject(
                    onDemand.Inputs.Select(input =>
                        KeyValuePair.Create(input.Name, input.Dataset is null ? (JsonNode?)"" : new JsonObject { [RunValues.Key] = "" })
                    )
                ).ToJsonString(),
                _ => "{}",
            }
        );
    }

    // The record that was picked, or else the first, with all of its values.
    private async Task<(Dataset Dataset, string Key, Record Found)?> PickedAsync(string? record, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (
            Stored.Draft.Trigger.Of is not { } of
            || workspace.Datasets.Find(of) is not { } dataset
            || (record ?? Records.FirstOrDefault().Key) is not { } key
            || RecordKey.Parse(dataset, key) is not { } parsed
        )
        {
            return null;
        }

        var request = ReadRequest.Of(dataset, parsed) with { Fields = [.. dataset.StoredFields.Select(field => field.Name)] };
        return
            await gate.ReadAsync(workspace.Datasets, request, await person.GrantsAsync(cancellation), cancellation)
                is ReadResult.Rows { Records: [var found] }
            ? (dataset, key, found)
            : null;
    }

    private static string Indented(string json)
    {
        try
        {
            return JsonNode
                .Parse(json)!
                .ToJsonString(
                    new JsonSerializerOptions
                    {
                        WriteIndented = true,
                        Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
                    }
                );
        }
        catch (JsonException)
        {
            return json;
        }
    }
}
