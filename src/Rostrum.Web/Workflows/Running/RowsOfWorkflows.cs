using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Sources;
using Rostrum.Sources.Workflows;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>
/// Workflows as tables: those on demand that run as a role and finish with a list of rows. They read and compute; whoever sees the rows is
/// decided by the dataset, as with any other.
/// </summary>
internal sealed class RowsOfWorkflows(IServiceProvider services, TimeProvider time) : IWorkflowRows
{
    private const int MostKept = 200;
    private const int MostWithin = 3;
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(30);
    private static readonly AsyncLocal<int> Within = new();
    private readonly ConcurrentDictionary<string, (WorkflowRows Rows, DateTimeOffset Until)> _kept = new(StringComparer.Ordinal);

    public async ValueTask<ImmutableArray<TableStructure>> TablesAsync(CancellationToken cancellation)
    {
        var workspace = await services.GetRequiredService<WorkspaceCache>().GetAsync(cancellation);
        return
        [
            .. from known in workspace.SetOffBy<OnDemand>()
            where known.Workflow.Live.RunsAs is not null
            let shape = ShapeOf(workspace, known.Workflow.Live)
            where shape is not null
            orderby known.Workflow.Name
            select new TableStructure
            {
                Name = new TableName("", known.Workflow.Name),
                IsView = true,
                Comment = known.Workflow.Live.Description,
                Columns =
                [
                    .. from member in shape.Members
                    where IsPlain(member.Value)
                    let type = DatasetShapes.FieldTypeOf(member.Value)
                    select new ColumnStructure(member.Key, type, type.Word, Nullable: true),
                ],
                PrimaryKey = shape.Members.Any(member => member.Key == KeyColumn && IsPlain(member.Value)) ? [KeyColumn] : [],
                Inputs =
                [
                    .. known
                        .Trigger.Inputs.Where(input => input.Dataset is null)
                        .Select(input => new QueryParameter(new FieldName(input.Name), input.Type, null)),
                ],
            },
        ];
    }

    /// <summary>The column that names a row, where there is one of that name.</summary>
    private const string KeyColumn = "id";

    public async ValueTask<WorkflowRows> RowsAsync(
        string workflow,
        ImmutableDictionary<string, object?> inputs,
        bool isFresh,
        CancellationToken cancellation
    )
    {
        var workspace = await services.GetRequiredService<WorkspaceCache>().GetAsync(cancellation);
        if (workspace.SetOffBy<OnDemand>().FirstOrDefault(known => known.Workflow.Name == workflow) is not { Workflow: { } entry } found)
        {
            return new WorkflowRows([], $"The workflow “{workflow}” is not there, or is off.");
        }

        if (entry.Live.RunsAs is null || ShapeOf(workspace, entry.Live) is not { } shape)
        {
            return new WorkflowRows([], $"“{entry.Live.Label}” gives no rows any more: it must run as a role and finish with a list.");
        }

        var values = new RunValues(DatasetShapes.Of(workspace.Datasets, Grants.ViewEverything));
        var given = new JsonObject(
            found
                .Trigger.Inputs.Where(input => inputs.ContainsKey(input.Name))
                .Select(input => KeyValuePair.Create(input.Name, values.Write(inputs[input.Name])))
        ).ToJsonString();
        var key = $"{entry.Id} {entry.Version} {given}";
        if (!isFresh && _kept.TryGetValue(key, out var kept) && kept.Until > time.GetUtcNow())
        {
            return kept.Rows with { WasKept = true };
        }

        var rows = await MadeAsync(workspace, entry, shape, given, cancellation);
        if (rows.Problem is null && found.Trigger.KeptSeconds > 0)
        {
            if (_kept.Count >= MostKept)
            {
                _kept.Clear();
            }

            _kept[key] = (rows, time.GetUtcNow().AddSeconds(found.Trigger.KeptSeconds));
        }

        return rows;
    }

    private async Task<WorkflowRows> MadeAsync(
        Workspace workspace,
        WorkflowEntry entry,
        FormulaShape shape,
        string given,
        CancellationToken cancellation
    )
    {
        if (Within.Value >= MostWithin)
        {
            return new WorkflowRows([], $"“{entry.Live.Label}” reads rows that it gives itself.");
        }

        using var limit = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        limit.CancelAfter(Longest);
        Within.Value++;
        try
        {
            var identity = services.GetRequiredService<RunIdentity>();
            var format = services.GetRequiredService<RecordFormat>();
            var grants = await identity.GrantsAsync(workspace, entry.Live, null, limit.Token);
            var scope = identity.ScopeOf(workspace, entry.Live, grants);
            var reading = new RunReading(scope, services.GetRequiredService<RecordGate>(), grants, format);
            using var input = JsonDocument.Parse(given);
            var (end, _) = await services
                .GetRequiredService<InstantRun>()
                .ToEndAsync(workspace, entry, reading, input.RootElement, "in a workflow that gives rows", mayAsk: true, limit.Token);
            return end is { How: RunEnding.Done, Result: var result }
                ? new WorkflowRows([
                    .. from row in result is { ValueKind: JsonValueKind.Array } list ? list.EnumerateArray() : default
                    where row.ValueKind is JsonValueKind.Object
                    select Row(shape, row),
                ])
                : new WorkflowRows([], $"“{entry.Live.Label}” gave no rows: {end.Message}");
        }
        catch (OperationCanceledException) when (!cancellation.IsCancellationRequested)
        {
            return new WorkflowRows([], $"“{entry.Live.Label}” took longer than {Longest.TotalSeconds:0} seconds.");
        }
        finally
        {
            Within.Value--;
        }
    }

    private static Dictionary<string, object?> Row(FormulaShape shape, JsonElement row) =>
        shape
            .Members.Where(member => IsPlain(member.Value))
            .ToDictionary(
                member => member.Key,
                member => row.TryGetProperty(member.Key, out var value) ? JsonShape.Read(member.Value, value) : null,
                StringComparer.Ordinal
            );

    private static bool IsPlain(FormulaType type) =>
        type
            is FormulaType.Text
                or FormulaType.Choice
                or FormulaType.Number
                or FormulaType.Boolean
                or FormulaType.Date
                or FormulaType.Time
                or FormulaType.DateTime;

    // The rows with which it finishes: records of datasets are kept by their keys alone, and are none.
    private FormulaShape? ShapeOf(Workspace workspace, Workflow workflow)
    {
        // What was found out about a live workflow once is kept.
        var grants = new Grants(Grants.ViewEverything.Rights, workspace.Anybody);
        var scope = services.GetRequiredService<RunIdentity>().ScopeOf(workspace, workflow, grants);
        return workflow
            .All.Where(step => step.Does is Finish { Value.Length: > 0 })
            .Select(step => scope.Check(step.Id, new FormulaPlace(((Finish)step.Does).Value)).Tree?.Type)
            .OfType<FormulaType.List>()
            .Select(list => list.Element)
            .OfType<FormulaType.Record>()
            .Select(record => record.Shape)
            .FirstOrDefault(shape => !scope.Types.Shapes.Knows(shape) && shape.Members.Any(member => IsPlain(member.Value)));
    }
}
