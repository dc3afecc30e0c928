using System.Collections.Immutable;
using System.Diagnostics;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Memory;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.People;

/// <summary>The people of the workspace as records: they are at hand, and memory decides what a request wants of them.</summary>
internal sealed class PeopleSource(IWorkspacePeople? people) : ISource
{
    private const string Key = WorkspacePeople.Key;

    private static readonly ImmutableArray<(ColumnStructure Column, Func<WorkspacePerson, object?> Value)> Usual =
    [
        (Column(Key, new FieldType.Uuid(), nullable: false), person => person.Id),
        (Column(WorkspacePeople.Name, new FieldType.Text(), nullable: false), person => person.Name),
        (Column("email", new FieldType.Text()), person => person.Email),
        (Column("groups", new FieldType.List(new FieldType.Text())), person => new ListValue([.. person.Groups])),
        (Column("active", new FieldType.YesNo(), nullable: false), person => person.IsActive),
    ];

    public async Task<Look> LookAsync(Wanted wanted, Gathering? gathering, CancellationToken cancellation)
    {
        var began = Stopwatch.GetTimestamp();
        var dataset = wanted.Dataset;
        var here = await PeopleAsync(cancellation);
        var columns = Columns(here).ToDictionary(column => column.Column.Name, column => column.Value);
        var all = Named(wanted) is { } named ? here.All.Where(person => named.Contains(person.Id)) : here.All;
        List<object?[]> rows =
        [
            .. all.Select(person => MemoryTable.Row(dataset, field => columns.GetValueOrDefault(field.Column)?.Invoke(person))),
        ];
        wanted.Told?.Invoke(new SourceCall(dataset.Source, "people", [], Stopwatch.GetElapsedTime(began), rows.Count));
        return new FetchedLook(new MemoryStatements(dataset, rows, areDecided: false), wanted.Request, null, 0);
    }

    // Most requests want the names of a few: the others need not be looked at.
    private static HashSet<object?>? Named(Wanted wanted) =>
        RequestFormulas
            .Conjuncts(wanted.Narrowing)
            .OfType<Filter.OneOf>()
            .FirstOrDefault(one => wanted.Dataset[one.Field].Column == Key && !wanted.IsSometimesHidden(one.Field))
            is { } one
            ? [.. one.Values]
            : null;

    public Task<Writing> WriteAsync(Dataset dataset, IReadOnlyCollection<Change> changes, CancellationToken cancellation) =>
        throw new SourceFailedException(new SourceFailure(FailureReason.NoRight, "People are kept under People."));

    public Task PingAsync(CancellationToken cancellation) => Task.CompletedTask;

    public async Task<SourceStructure> ReadStructureAsync(bool withValues, CancellationToken cancellation) =>
        new([
            new TableStructure
            {
                Name = WorkspacePeople.Table,
                IsView = true,
                Columns = [.. Columns(await PeopleAsync(cancellation)).Select(column => column.Column)],
                PrimaryKey = [Key],
            },
        ]);

    public Task<RelationEvidence> WeighAsync(RelationCandidate candidate, CancellationToken cancellation) =>
        Task.FromResult(new RelationEvidence(candidate, 0, 0));

    public bool IsExpected(Exception exception) => false;

    public SourceFailure FailureOf(Exception exception) => new(FailureReason.Other, exception.Message);

    // An attribute of a usual name has its kind before it.
    private static ImmutableArray<(ColumnStructure Column, Func<WorkspacePerson, object?> Value)> Columns(WorkspacePeople here) =>
        [
            .. Usual,
            .. here.Attributes.Select(
                (attribute, at) =>
                    (
                        Column(
                            Usual.Any(known => known.Column.Name == attribute.Name) ? $"attribute_{attribute.Name}" : attribute.Name,
                            attribute.Type
                        ),
                        (Func<WorkspacePerson, object?>)(person => person.Attributes[at].Value)
                    )
            ),
        ];

    private async ValueTask<WorkspacePeople> PeopleAsync(CancellationToken cancellation) =>
        people is null ? new WorkspacePeople([], []) : await people.GetAsync(cancellation);

    private static ColumnStructure Column(string name, FieldType type, bool nullable = true) => new(name, type, type.Word, nullable);

    public void Dispose() { }

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;
}
