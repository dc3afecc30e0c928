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

    public async Task<IActionResult> OnPostUndoAsync(Guid dataset, long id, bool overwrites, CancellationToken cancellation) =>
        await FindAsync(dataset, id, cancellation) is { } change ? await UndoneAsync(change, overwrites, cancellation) : NotFound();

    public async Task<IActionResult> OnPostUndoTogetherAsync(Guid dataset, long id, CancellationToken cancellation) =>
        await FindAsync(dataset, id, cancellation) is { } change ? await TogetherAsync(change, cancellation) : NotFound();

    private Task<LogChange?> FindAsync(Guid dataset, long id, CancellationToken cancellation) =>
        FindAsync(id, before => LoadAsync(dataset, before, cancellation));

    private async Task<bool> LoadAsync(Guid dataset, long? before, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var grants = await Visitor.GrantsAsync(cancellation);
        if (workspace.Datasets.Find(new DatasetId(dataset)) is not { } known || !grants.For(known.Id).Allows(Verbs.View))
        {
            return false;
        }

        var grant = grants.For(known.Id);
        Open(known, grants);
        GoesOn = before is not null;
        Fields = [.. known.Fields.Where(field => field.Formula is null && grant.Readable.Has(field.Name))];
        (var from, var to, Problem) = SinceInput.Read(From, To, format);

        // What may not be read is not looked for either.
        var field = Fields.Any(one => one.Name.Value == Field) ? Field! : "";
        var filter = new LogFilter(By?.Trim() ?? "", Title?.Trim() ?? "", Kind ?? "", field, from, to?.AddDays(1));
        (Changes, Older) = await Log.ReadAllAsync(known, filter, before, grants, cancellation);
        return true;
    }
}
