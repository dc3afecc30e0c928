using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.WebUtilities;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Bulk;
using Rostrum.Web.People;
using Rostrum.Web.People.Auditing;

namespace Rostrum.Web.Logbook;

/// <summary>The changes of all records of a dataset that somebody sees, those of deleted ones among them; narrowed, and undone.</summary>
internal sealed class OfDatasetModel(
    WorkspaceCache workspaces,
    RecordLogbook logbook,
    BulkChanges many,
    CurrentPerson person,
    RecordFormat format
) : LogbookModel("/Logbook/_OfDataset.cshtml", logbook, many, person)
{
    /// <summary>They go on below others.</summary>
    public bool GoesOn { get; private set; }

    /// <summary>The fields that can be asked for.</summary>
    public ImmutableArray<Field> Fields { get; private set; } = [];

    [BindProperty(SupportsGet = true)]
    public string? By { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Title { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Kind { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Field { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? From { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? To { get; set; }

    public string? Problem { get; private set; }

    public bool IsNarrowed => new[] { By, Title, Kind, Field, From, To }.Any(text => !string.IsNullOrWhiteSpace(text));

    public string Start => $"/logbook/all?dataset={Dataset.Id}";

    /// <summary>The address of what is shown, with its filter.</summary>
    public string Here =>
        QueryHelpers.AddQueryString(
            Start,
            new Dictionary<string, string?>
            {
                ["by"] = By,
                ["title"] = Title,
                ["kind"] = Kind,
                ["field"] = Field,
                ["from"] = From,
                ["to"] = To,
            }
                .Where(pair => !string.IsNullOrWhiteSpace(pair.Value))
                .ToDictionary()
        );

    public async Task<IActionResult> OnGetAsync(Guid dataset, long? before, CancellationToken cancellation) =>
        await LoadAsync(dataset, before, cancellation) ? Shown() : NotFound();

    public async Task<IActionResult> OnPostUndoAsync(Guid dataset, long id, bool overwrites, CancellationToken cancellation)
    {
        if (await FindAsync(dataset, id, cancellation) is not { } change)
        {
            return NotFound();
        }

        var grants = await Visitor.GrantsAsync(cancellation);
        var result = await Log.UndoAsync(id, overwrites, grants, cancellation);
        return result is SaveResult.Conflict { Current: not null }
            ? Refuse(await Log.InTheWayAsync(Dataset, change.Key, id, grants, cancellation))
            : Answer(id, result);
    }

    public async Task<IActionResult> OnPostUndoTogetherAsync(Guid dataset, long id, CancellationToken cancellation)
    {
        return await FindAsync(dataset, id, cancellation) is { } change ? await TogetherAsync(change, cancellation) : NotFound();
    }

    // One that is seen: where it is older than those of the first page, from it on.
    private async Task<LogChange?> FindAsync(Guid dataset, long id, CancellationToken cancellation)
    {
        LogChange? Found() => Changes.FirstOrDefault(change => change.Id == id);
        if (!await LoadAsync(dataset, null, cancellation))
        {
            return null;
        }

        return Found() ?? (await LoadAsync(dataset, id + 1, cancellation) ? Found() : null);
    }

    private async Task<bool> LoadAsync(Guid dataset, long? before, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var grants = await Visitor.GrantsAsync(cancellation);
        if (workspace.Datasets.Find(new DatasetId(dataset)) is not { } known || !grants.For(known.Id).Allows(Verbs.View))
        {
            return false;
        }

        var grant = grants.For(known.Id);
        Dataset = known;
        GoesOn = before is not null;
        MayUndo = grants.ReadOnlyBecause is null && (grant.Verbs & (Verbs.Update | Verbs.Delete | Verbs.Create)) != Verbs.None;
        Fields = [.. known.Fields.Where(field => field.Formula is null && grant.Readable.Has(field.Name))];
        var (from, fromProblem) = SinceInput.Read(From, format);
        var (to, toProblem) = SinceInput.Read(To, format);
        Problem = fromProblem ?? toProblem;

        // What may not be read is not looked for either.
        var field = Fields.Any(one => one.Name.Value == Field) ? Field! : "";
        var filter = new LogFilter(By?.Trim() ?? "", Title?.Trim() ?? "", Kind ?? "", field, from, to?.AddDays(1));
        (Changes, Older) = await Log.ReadAllAsync(known, filter, before, grants, cancellation);
        return true;
    }
}
