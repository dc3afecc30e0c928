using System.Diagnostics;
using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Memory;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Workflows;

/// <summary>Rows that workflows give: all of them are fetched, and memory decides what a request wants of them.</summary>
internal sealed class WorkflowSource(IWorkflowRows? workflows) : ISource
{
    public async Task<Look> LookAsync(Wanted wanted, Gathering? gathering, CancellationToken cancellation)
    {
        var dataset = wanted.Dataset;
        var given = wanted.Request.Filter.Parameters;
        var begun = Stopwatch.GetTimestamp();
        var answer = workflows is null
            ? new WorkflowRows([], "There are no workflows here.")
            : await workflows.RowsAsync(dataset.Table.Name, given, wanted.IsFresh, cancellation);
        if (answer.Problem is { } problem)
        {
            throw new SourceFailedException(new SourceFailure(FailureReason.Other, problem));
        }

        wanted.Told?.Invoke(
            new SourceCall(
                dataset.Source,
                $"workflow {dataset.Table.Name}",
                [.. given.Select(value => $"{value.Key} = {Convert.ToString(value.Value, CultureInfo.InvariantCulture)}")],
                Stopwatch.GetElapsedTime(begun),
                answer.Rows.Length
            )
            {
                Note = answer.WasKept ? "These rows were kept from an earlier time." : null,
            }
        );
        List<object?[]> rows = [.. answer.Rows.Select(row => MemoryTable.Row(dataset, field => Value(field, row)))];
        return new FetchedLook(new MemoryStatements(dataset, rows, areDecided: false), wanted.Request, null, 0);
    }

    public Task<Writing> WriteAsync(Dataset dataset, IReadOnlyCollection<Change> changes, CancellationToken cancellation) =>
        throw new SourceFailedException(new SourceFailure(FailureReason.NoRight, "What a workflow gives can only be read."));

    public Task PingAsync(CancellationToken cancellation) => Task.CompletedTask;

    public async Task<SourceStructure> ReadStructureAsync(bool withValues, CancellationToken cancellation) =>
        new(workflows is null ? [] : await workflows.TablesAsync(cancellation));

    public Task<RelationEvidence> WeighAsync(RelationCandidate candidate, CancellationToken cancellation) =>
        Task.FromResult(new RelationEvidence(candidate, 0, 0));

    public bool IsExpected(Exception exception) => false;

    public SourceFailure FailureOf(Exception exception) => new(FailureReason.Other, exception.Message);

    // What a formula gives, as a field of that type has it.
    private static object? Value(Field field, IReadOnlyDictionary<string, object?> row) =>
        row.GetValueOrDefault(field.Column) is not { } value ? null
        : FieldDefault.FieldValue(field.Type, new FormulaType.Text(), value, TimeZoneInfo.Utc) is Parsed.Value { Is: var read } ? read
        : new Unreadable(Convert.ToString(value, CultureInfo.InvariantCulture) ?? "");

    public void Dispose() { }

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;
}
