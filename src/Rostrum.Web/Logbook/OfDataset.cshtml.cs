using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.Extensions.Primitives;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
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

    /// <summary>The panel of the page in which they are shown; null where it is none.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Panel { get; set; }

    public string? Problem { get; private set; }

    public bool IsNarrowed => Asked.Count > 0;

    public string Start => QueryHelpers.AddQueryString("/logbook/all", Of(("dataset", $"{Dataset.Id}"), ("panel", Panel)));

    /// <summary>The address of what is shown, with its filter.</summary>
    public string Here => QueryHelpers.AddQueryString(Start, Asked);

    private Dictionary<string, string?> Asked =>
        Of(("by", By), ("title", Title), ("kind", Kind), ("field", Field), ("from", From), ("to", To));

    private static Dictionary<string, string?> Of(params (string Name, string? Value)[] parts) =>
        parts.Where(part => !string.IsNullOrWhiteSpace(part.Value)).ToDictionary(part => part.Name, part => part.Value);

    public async Task<IActionResult> OnGetAsync(Guid dataset, long? before, CancellationToken cancellation)
    {
        if (!await LoadAsync(dataset, before, cancellation))
        {
            return NotFound();
        }

        if (PageWithFilter() is { } page)
        {
            Response.Headers["HX-Replace-Url"] = page;
        }

        return Shown();
    }

    // The page's address says what its panel is narrowed by, so that it can be sent, and is there again after a reload.
    private string? PageWithFilter()
    {
        if (
            string.IsNullOrEmpty(Panel)
            || GoesOn
            || !Uri.TryCreate(Request.Headers["HX-Current-URL"], UriKind.Absolute, out var page)
            || page.Authority != Request.Host.Value
        )
        {
            return null;
        }

        var others = QueryHelpers
            .ParseQuery(page.Query)
            .Where(pair => !LogbookState.Names.Any(name => pair.Key == $"{Panel}.{name}"))
            .Concat(Asked.Select(pair => KeyValuePair.Create($"{Panel}.{pair.Key}", new StringValues(pair.Value))));
        var now = QueryHelpers.AddQueryString(page.AbsolutePath, others);
        return now == page.PathAndQuery ? null : now;
    }

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
        Fields = [.. known.Fields.Where(field => field.Formula is null && grant.IsReadableInAll(field.Name))];
        (var from, var to, Problem) = SinceInput.Read(From, To, format);

        // What may not be read is not looked for either.
        var field = Fields.Any(one => one.Name.Value == Field) ? Field! : "";
        var filter = new LogFilter(By?.Trim() ?? "", Title?.Trim() ?? "", Kind ?? "", field, from, to?.AddDays(1));
        (Changes, Older) = await Log.ReadAllAsync(known, filter, before, grants, cancellation);
        return true;
    }
}
