using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Workflows;

/// <summary>The sign-offs about a record, beside it: for whoever sees the record.</summary>
internal sealed class BesideModel(RostrumStore store, WorkspaceCache workspaces, RecordGate gate, CurrentPerson person, RecordFormat format)
    : PageModel
{
    private const int Most = 5;

    /// <summary>A sign-off as it is shown there.</summary>
    public sealed record Entry(Guid Id, string Says, bool IsTheirs, bool IsOpen);

    public ImmutableArray<Entry> Entries { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync(Guid dataset, string record, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (
            workspace.Datasets.Find(new DatasetId(dataset)) is not { } known
            || RecordKey.Parse(known, record) is not { } key
            || (await gate.SeenAsync(workspace.Datasets, known, [key], await person.GrantsAsync(cancellation), cancellation)).Count == 0
        )
        {
            return new EmptyResult();
        }

        var asked = await store
            .SignOffs.AsNoTracking()
            .Where(request => request.DatasetId == dataset && request.RecordKey == record && !request.IsWithdrawn)
            .OrderByDescending(request => request.AskedAt)
            .Take(Most)
            .ToListAsync(cancellation);
        Entries =
        [
            .. asked.Select(request => new Entry(
                request.Id,
                request.AnsweredAt is { } at
                    ? $"{request.Question} {request.Answer}, {request.AnsweredBy}, {format.Display(new FieldType.Instant(), at)}"
                    : $"{request.Question} Waits for {Names(workspace, request)}.",
                request.AnsweredAt is null && request.People.Contains(person.Id ?? Guid.Empty),
                request.AnsweredAt is null
            )),
        ];
        return Entries.IsEmpty ? new EmptyResult() : Partial("/Workflows/_Beside.cshtml", this);
    }

    private static string Names(Workspace workspace, SignOffRequest request) =>
        string.Join(" or ", request.People.Select(id => workspace.People.GetValueOrDefault(id)?.Name ?? "somebody who has gone"));
}
