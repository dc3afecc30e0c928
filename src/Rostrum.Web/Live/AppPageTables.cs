using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live.Panels;
using Rostrum.Web.Live.Panels.Cards;
using Rostrum.Web.Live.Panels.Table;
using Rostrum.Web.Live.Panels.Table.Bulk;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live;

/// <summary>What a person does with a table beside looking at it: scrolls on, has it otherwise, downloads it, changes what is checked.</summary>
internal sealed partial class AppPageModel
{
    private const int MostFilters = 30;

    /// <summary>The rows that follow, for a table that goes on by scrolling.</summary>
    public async Task<IActionResult> OnGetRowsAsync(string app, string? address, string panel, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        if (Current.Find(panel) is not ListPanel list)
        {
            return NotFound();
        }

        await PrepareAsync(cancellation);
        return (await new PageReading(Run).ReadAsync(list, cancellation)).Content switch
        {
            TableView { Rows: not null } table => Partial("/Live/Panels/Table/_Rows.cshtml", table),
            CardsView { Rows: not null } cards => Partial("/Live/Panels/Cards/_CardItems.cshtml", cards),
            _ => new NoContentResult(),
        };
    }

    /// <summary>What a table shows, all its pages, as a file.</summary>
    public async Task<IActionResult> OnGetDownloadAsync(string app, string? address, string panel, CancellationToken cancellation)
    {
        var (refusal, table) = await TableAsync(app, address, panel, cancellation);
        if (refusal is not null)
        {
            return refusal;
        }

        return !table!.Downloadable || await new PageReading(Run).ReadAsync(table, cancellation) is not { Content: TableView { Rows: not null } view } ? NotFound()
            : File(await TableFile.WriteAsync(view, cancellation), "text/csv; charset=utf-8", $"{view.Dataset.Name} {TimeZoneInfo.ConvertTime(Run.Context.Now, format.Zone):yyyy-MM-dd}.csv");
    }

    /// <summary>Has a table otherwise than its builder, for the person alone.</summary>
    public async Task<IActionResult> OnPostViewAsync(string app, string? address, string panel, string does, string? name, CancellationToken cancellation)
    {
        var (refusal, table) = await TableAsync(app, address, panel, cancellation);
        if (refusal is not null)
        {
            return refusal;
        }

        var now = Run.Personal.GetValueOrDefault(panel) ?? PersonalTable.AsBuilt;
        var changed = does switch
        {
            "columns" => Columns(now, table!),
            "width" => Width(now, Request.Form["field"].ToString(), Request.Form["width"].ToString()),
            "keep" when name?.Trim() is { Length: > 0 and <= 40 } kept => now with { Filters = [.. now.Filters.Where(filter => filter.Name != kept).Append(new SavedFilter(kept, Run.State.List(panel).ToKeep())).Take(MostFilters)] },
            "forget" => now with { Filters = [.. now.Filters.Where(filter => filter.Name != name)] },
            "reset" => PersonalTable.AsBuilt with { Filters = now.Filters },
            _ => now,
        };
        await KeepAsync(panel, changed, cancellation);
        if (does == "width")
        {
            return new NoContentResult();
        }

        Run.Personal = new Dictionary<string, PersonalTable>(Run.Personal) { [panel] = changed };
        Run.OpenMenu = panel;
        return Request.IsPartial() ? await PartsAsync([panel], false, cancellation) : Redirect(Run.State.At(Path));
    }

    /// <summary>The form for changes of the checked records, or what would come of their deletion.</summary>
    public async Task<IActionResult> OnGetBulkAsync(string app, string? address, string panel, string does, CancellationToken cancellation)
    {
        var (refusal, bulk) = await BulkAsync(app, address, panel, does, cancellation);
        return refusal ?? Asking(does == "delete" ? await bulk!.PreviewAsync(bulk.Begin(), cancellation) : bulk!.Begin());
    }

    /// <summary>Shows what would come of changes of the checked records, or makes them.</summary>
    public async Task<IActionResult> OnPostBulkAsync(string app, string? address, string panel, string does, string step, CancellationToken cancellation)
    {
        var (refusal, bulk) = await BulkAsync(app, address, panel, does, cancellation);
        if (refusal is not null)
        {
            return refusal;
        }

        var view = bulk!.Filled(Request.Form);
        if (step is not ("all" or "possible"))
        {
            return Asking(step == "preview" ? await bulk.PreviewAsync(view, cancellation) : view);
        }

        var (saved, left, after) = await bulk.DoAsync(view, step == "possible", cancellation);
        if (saved is not { } changes)
        {
            return Asking(after);
        }

        var said = $"{changes.Length} {view.Noun(changes.Length)} {(view.Deletes ? "deleted" : "changed")}.{(left > 0 ? $" {left} stayed as {(left == 1 ? "it was" : "they were")}." : "")}";
        var undo = await undoing.KeepAsync(person.Id!.Value, view.Dataset, changes, said, cancellation);
        Said = new Message(undo is null && changes.Length > 0 ? said + " This cannot be undone." : said, undo);
        return await NowAsync(Run.State.With(panel, Run.State.List(panel) with { Checked = [] }), [view.Dataset.Id], null, [panel], cancellation);
    }

    private PartialViewResult Asking(BulkView view) => Partial("/Live/Panels/Table/Bulk/_Bulk.cshtml", view);

    private async Task<(IActionResult? Refusal, BulkEditing? Bulk)> BulkAsync(string app, string? address, string panel, string does, CancellationToken cancellation)
    {
        var (refusal, table) = await TableAsync(app, address, panel, cancellation);
        return refusal is not null ? (refusal, null)
            : !table!.Checkable || App.Datasets.Find(table.Dataset) is null ? (NotFound(), null)
            : (null, new BulkEditing(Run, table, does == "delete"));
    }

    private async Task<(IActionResult? Refusal, TablePanel? Table)> TableAsync(string app, string? address, string panel, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return (refusal, null);
        }

        if (Current.Find(panel) is not TablePanel table)
        {
            return (NotFound(), null);
        }

        await PrepareAsync(cancellation);
        return await new PageReading(Run).IsThereAsync(table, cancellation) ? (null, table) : (NotFound(), null);
    }

    private PersonalTable Columns(PersonalTable now, TablePanel table)
    {
        var shown = Request.Form["shown"].OfType<string>().ToHashSet();
        ImmutableArray<string> hidden = [.. table.Columns.Select(column => column.Value).Where(column => !shown.Contains(column))];
        return now with { Hidden = shown.Count == 0 ? now.Hidden : hidden, Rows = Request.Form["rows"].ToString() is var rows && rows is "close" or "comfortable" ? rows : now.Rows };
    }

    private static PersonalTable Width(PersonalTable now, string field, string width) =>
        int.TryParse(width, System.Globalization.CultureInfo.InvariantCulture, out var characters) && characters is >= 2 and <= 99 && now.Widths.Count < 200 ? now with { Widths = now.Widths.SetItem(field, characters) } : now;

    private async Task KeepAsync(string panel, PersonalTable view, CancellationToken cancellation)
    {
        var id = person.Id!.Value;
        var row = await store.PersonalTables.FindAsync([id, App.Address, Current.Address, panel], cancellation);
        if (row is null)
        {
            store.PersonalTables.Add(new StoredPersonalTable { PersonId = id, App = App.Address, Page = Current.Address, Panel = panel, View = view });
        }
        else
        {
            row.View = view;
        }

        await store.SaveChangesAsync(cancellation);
    }
}
