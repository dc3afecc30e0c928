using System.Text.Json.Nodes;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live.Actions;
using Rostrum.Web.People;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Live.Panels.Table.Grid;

/// <summary>What was typed into a table and could be saved.</summary>
/// <param name="Table">The table.</param>
/// <param name="Rows">The rows.</param>
/// <param name="Saved">What the save of each would come to.</param>
internal sealed record HandedOver(TableView Table, RowToSave[] Rows, SavedChange[] Saved)
{
    /// <summary>What the trigger gives.</summary>
    public JsonObject Input(string who)
    {
        var changed = Saved.Where(saved => saved.Applied is Change.Update).ToArray();
        return new JsonObject
        {
            ["changed"] = List(changed.Select(saved => With(saved, saved.After))),
            ["original"] = List(changed.Select(saved => With(saved, saved.Before))),
            ["inserted"] = List(
                Saved
                    .Select(saved => saved.Applied)
                    .OfType<Change.Insert>()
                    .Select(insert => SavedChangeJson.Written(Table.Dataset, insert.Values))
            ),
            ["deleted"] = List(Saved.Where(saved => saved.Applied is Change.Delete).Select(saved => With(saved, saved.Before))),
            ["person"] = who,
        };
    }

    private static JsonArray List(IEnumerable<JsonObject?> rows) => new([.. rows]);

    private JsonObject With(SavedChange saved, FieldValues? values)
    {
        var row = SavedChangeJson.Written(Table.Dataset, values) ?? [];
        if ((saved.Key ?? (saved.Applied as Change.Delete)?.Key) is { } key)
        {
            row["record"] = new JsonObject { [RunValues.Key] = key.ToText(Table.Dataset) };
        }

        return row;
    }
}

/// <summary>Has a workflow save what was typed into a table.</summary>
/// <remarks>The run begins in the transaction that notes it beside what was typed: pressed twice, or cut off, it runs once.</remarks>
internal sealed class GridWorkflow(
    RostrumStore store,
    UnsavedTables tables,
    WorkspaceCache workspaces,
    RunStarts starts,
    WorkSignal signal,
    CurrentPerson person
)
{
    /// <summary>What is said of it, and the datasets that the workflow may have changed.</summary>
    public async Task<(AppPageModel.Message Said, IEnumerable<DatasetId> Changed)> SaveAsync(
        AppPageModel page,
        TablePanel table,
        HandedOver handed,
        CancellationToken cancellation
    )
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var (workflow, _) = workspace
            .SetOffBy<InPlaceOfSave>()
            .FirstOrDefault(known => known.Workflow.Name == table.SaveWorkflow && known.Trigger.Dataset == handed.Table.Dataset.Id);
        if (workflow is null)
        {
            return (new("Not saved: the workflow that saves this table is not there, or is off. What was typed is kept."), []);
        }

        var who = await person.NameAsync(cancellation);
        var start = new RunStart($"a save of {handed.Table.Dataset.LabelInSentence}", handed.Input(who).ToJsonString())
        {
            PersonId = person.Id,
            PersonName = who,
            DatasetId = handed.Table.Dataset.Id.Value,
        };
        KeyValuePair<string, UnsavedRow>[] rows = [.. handed.Rows.Select(row => KeyValuePair.Create(row.Key, row.Row))];
        var (_, after) = await tables.ChangeAsync(
            page,
            table.Name,
            async (known, token) =>
            {
                // Pressed twice, the first may have begun it, or have saved them already.
                if (known.Handed is not null || !known.Has(rows))
                {
                    return known;
                }

                var begun = starts.Run(workflow, start);
                store.WorkflowRuns.Add(begun);
                await store.SaveChangesAsync(token);
                return known.HandedTo(begun.Id, rows);
            },
            cancellation
        );
        if (after.Handed is not { Run: { } number })
        {
            return (new("What was typed has changed or was saved meanwhile. Look at it, and save again where something is left."), []);
        }

        signal.Wake();
        await RunStarts.WakeAsync(store, cancellation);
        var run = await RunWait.EndAsync(store, number, cancellation);
        return (Said(run, workflow.Live), workflow.Live.Datasets);
    }

    private static AppPageModel.Message Said(WorkflowRun run, Workflow workflow) =>
        run.Status switch
        {
            RunStatus.Done => new(run.Message ?? $"Saved by “{workflow.Label}”."),
            RunStatus.Stopped => new($"Not saved: {run.Message} What was typed is kept."),
            RunStatus.Failed or RunStatus.Cancelled => new($"Not saved: “{workflow.Label}” failed: {run.Message} What was typed is kept."),
            _ => ProgressHandler.Said(run, workflow),
        };
}
