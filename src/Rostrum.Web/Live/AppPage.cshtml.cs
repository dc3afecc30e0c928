using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Panels.Table;
using Rostrum.Web.Live.Sheet;
using Rostrum.Web.People;
using Rostrum.Web.Security;
using Page = Rostrum.Core.Apps.Page;

namespace Rostrum.Web.Live;

/// <summary>A page of an app: of its live version below <c>/apps</c>, of its draft below <c>/try</c>.</summary>
internal sealed class AppPageModel(PublishedApps apps, RecordGate gate, RecordFormat format, CurrentPerson person, Undoing undoing) : PageModel
{
    public RunningApp App { get; private set; } = null!;

    public Page Current { get; private set; } = null!;

    public ImmutableArray<Page> Pages { get; private set; } = [];

    public TableView Table { get; private set; } = null!;

    public SheetView Sheet { get; private set; } = new SheetView.Closed();

    public Message? Said { get; private set; }

    public bool IsDraft => Request.Path.StartsWithSegments("/try", StringComparison.Ordinal);

    public string Path => $"/{(IsDraft ? "try" : "apps")}/{App.Address}/{Current.Address}";

    /// <summary>What just happened, for the bar at the foot.</summary>
    public sealed record Message(string Text, Guid? Undo = null);

    private TablePanel Panel => Current.Panels.OfType<TablePanel>().First();

    private Dataset Dataset => App.Datasets.Find(Panel.Dataset)!;

    public async Task<IActionResult> OnGetAsync(string app, string? address, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        if (address is null)
        {
            return Redirect(Path);
        }

        var grants = await person.GrantsAsync(cancellation);
        var state = ListState.Read(Request.Query);
        if (Request.IsPartial() && Request.Target() == "sheet")
        {
            Sheet = await ReadSheetAsync(grants, state, cancellation);
            return Partial("/Live/Sheet/_Sheet.cshtml", Sheet);
        }

        Table = await TableReader.ReadAsync(gate, format, App, Path, Panel, grants, state, null, cancellation);
        if (Request.IsPartial())
        {
            return Partial("/Live/Panels/Table/_Table.cshtml", Table);
        }

        Sheet = await ReadSheetAsync(grants, state, cancellation);
        return Page();
    }

    /// <summary>The choices of one part of the filter sentence.</summary>
    public async Task<IActionResult> OnGetFilterAsync(string app, string? address, string field, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        var grants = await person.GrantsAsync(cancellation);
        return await FilterEditorView.ReadAsync(gate, format, App, Path, Dataset, grants, ListState.Read(Request.Query), new FieldName(field), cancellation) is { } view
            ? Partial("/Live/Panels/Table/_FilterEditor.cshtml", view)
            : NotFound();
    }

    /// <summary>Related records whose title or texts match what was typed.</summary>
    public async Task<IActionResult> OnGetLookupAsync(string app, string? address, string field, string? q, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        if (Dataset.RelationOf(new FieldName(field)) is not { } relation || App.Datasets.Find(relation.Target) is not { } target)
        {
            return NotFound();
        }

        var request = new ReadRequest(target.Id)
        {
            Fields = [relation.TargetField],
            Search = q ?? "",
            Sort = target.Title is [{ Relations: [] } first, ..] ? [new SortBy(first.Field)] : [],
            Window = new PageWindow.FromStart(0, 30),
        };
        return await gate.ReadAsync(App.Datasets, request, await person.GrantsAsync(cancellation), cancellation) is ReadResult.Rows rows
            ? new JsonResult(rows.Records.Where(record => record[relation.TargetField] is not null).Select(record => new
            {
                value = FieldText.ToInput(target[relation.TargetField].Type, record[relation.TargetField], format.Zone),
                text = record.Title,
            }))
            : StatusCode(StatusCodes.Status503ServiceUnavailable);
    }

    /// <summary>A picture of a record. It is served so that nothing in it can run.</summary>
    public async Task<IActionResult> OnGetImageAsync(string app, string? address, string field, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        var name = new FieldName(field);
        var key = RecordKey.Parse(Dataset, Request.Query["record"].ToString());
        if (key is null || Dataset.Find(name)?.Type is not FieldType.Image
            || await TableReader.OneAsync(gate, App, Dataset, key, [name], [], await person.GrantsAsync(cancellation), cancellation) is not { } record
            || record[name] is not byte[] bytes || Pictures.MediaType(bytes) is not { } type)
        {
            return NotFound();
        }

        Response.Headers.ContentSecurityPolicy = "default-src 'none'; style-src 'unsafe-inline'; sandbox";
        Response.Headers.CacheControl = "private, max-age=60";
        return File(bytes, type);
    }

    public async Task<IActionResult> OnPostSaveAsync(string app, string? address, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        var grants = await person.GrantsAsync(cancellation);
        var state = ListState.Read(Request.Query);
        var sheet = await ReadSheetAsync(grants, state, cancellation);
        if (OpenForSaving(sheet, grants, state) is not { } open)
        {
            return await NotOpenAsync(sheet, grants, state, cancellation);
        }

        var form = open.Form.Filled(Request.Form);
        var typed = form.Read(format.Zone);
        Change change = open.IsNew
            ? new Change.Insert(typed.Changed)
            : new Change.Update(RecordKey.Parse(Dataset, open.KeyText!)!, typed.Original, typed.Changed);
        if (!typed.Problems.IsEmpty)
        {
            var others = ChangeChecks.Problems(Dataset, change).Where(problem => typed.Problems.All(known => known.Field != problem.Field));
            return await ShowAsync(grants, state, open with { Form = form.WithProblems([.. typed.Problems, .. others]) }, cancellation);
        }

        if (!open.IsNew && typed.Changed.Count == 0)
        {
            return await DoneAsync(grants, state, null, new Message("Nothing was changed."), cancellation);
        }

        return await gate.SaveAsync(App.Datasets, new ChangeSet(Dataset.Id, [change]), grants, cancellation) switch
        {
            SaveResult.Saved { Changes: [var saved] } => await SavedAsync(grants, state, saved, open.IsNew ? "added" : "saved", cancellation),
            SaveResult.Invalid invalid => await ShowAsync(grants, state, open with
            {
                Form = form.WithProblems(invalid.Problems),
                Problems = [.. invalid.Problems.Where(problem => problem.Field is null || form.Fields.All(field => field.Field.Name != problem.Field)).Select(problem => Outside(problem))],
            }, cancellation),
            SaveResult.Conflict { Current: { } current } => await ShowConflictAsync(grants, state, open, form, current, cancellation),
            SaveResult.Conflict => await ShowAsync(grants, state, open with { Form = form, Problems = [$"Somebody deleted this {Dataset.RecordLabel} while you were editing it. What you typed still stands here; copy what you need."] }, cancellation),
            SaveResult.Denied denied => await ShowAsync(grants, state, open with { Form = form, Problems = [denied.Reason] }, cancellation),
            SaveResult.Failed failed => await ShowAsync(grants, state, open with { Form = form, Problems = [failed.Failure.Message + " Nothing was saved; what you typed still stands here."] }, cancellation),
            _ => throw new InvalidOperationException("one change was asked for"),
        };
    }

    public async Task<IActionResult> OnPostDeleteAsync(string app, string? address, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        var grants = await person.GrantsAsync(cancellation);
        var state = ListState.Read(Request.Query);
        var sheet = await ReadSheetAsync(grants, state, cancellation);
        if (sheet is not SheetView.Open { IsNew: false } open)
        {
            return await NotOpenAsync(sheet, grants, state, cancellation);
        }

        var original = open.Form.Filled(Request.Form).Read(format.Zone).Original;
        var change = new Change.Delete(RecordKey.Parse(Dataset, open.KeyText!)!, original);
        return await gate.SaveAsync(App.Datasets, new ChangeSet(Dataset.Id, [change]), grants, cancellation) switch
        {
            SaveResult.Saved { Changes: [var saved] } => await SavedAsync(grants, state, saved, "deleted", cancellation),
            SaveResult.Invalid invalid => await ShowAsync(grants, state, open with { Problems = [.. invalid.Problems.Select(problem => problem.Message)] }, cancellation),
            SaveResult.Conflict { Current: not null } => await ShowAsync(grants, state, open with { Problems = [$"Somebody changed this {Dataset.RecordLabel} after you opened it. It is shown as it is now; look again, then delete it."] }, cancellation),
            SaveResult.Conflict => await DoneAsync(grants, state, null, new Message("It was deleted already."), cancellation),
            SaveResult.Denied denied => await ShowAsync(grants, state, open with { Problems = [denied.Reason] }, cancellation),
            SaveResult.Failed failed => await ShowAsync(grants, state, open with { Problems = [failed.Failure.Message] }, cancellation),
            _ => throw new InvalidOperationException("one change was asked for"),
        };
    }

    public async Task<IActionResult> OnPostUndoAsync(string app, string? address, Guid undo, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        var grants = await person.GrantsAsync(cancellation);
        var state = ListState.Read(Request.Query).Closed();
        return await undoing.UndoAsync(undo, person.Id!.Value, App.Datasets, grants, cancellation) switch
        {
            null => await DoneAsync(grants, state, null, new Message("There is nothing to undo any more."), cancellation),
            (SaveResult.Saved { Changes: [var done] }, var said) => await DoneAsync(grants, state, done.Key, new Message($"Undone: {said}"), cancellation),
            (SaveResult.Conflict, _) => await DoneAsync(grants, state, null, new Message("It was not undone: the record has been changed since."), cancellation),
            (SaveResult.Denied denied, _) => await DoneAsync(grants, state, null, new Message($"It was not undone. {denied.Reason}"), cancellation),
            (SaveResult.Invalid invalid, _) => await DoneAsync(grants, state, null, new Message($"It was not undone. {string.Join(" ", invalid.Problems.Select(problem => problem.Message))}"), cancellation),
            (SaveResult.Failed failed, _) => await DoneAsync(grants, state, null, new Message($"It was not undone. {failed.Failure.Message}"), cancellation),
            _ => throw new InvalidOperationException("one change was asked for"),
        };
    }

    private async Task<IActionResult?> OpenAsync(string app, string? address, CancellationToken cancellation)
    {
        if (IsDraft && !await person.MayBuildAsync(cancellation))
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        if ((IsDraft ? await apps.DraftAsync(app, cancellation) : await apps.LiveAsync(app, cancellation)) is not { } running)
        {
            return NotFound();
        }

        var roles = await person.RolesAsync(cancellation);
        Pages = [.. running.Definition.Pages.Where(page => page.IsFor(roles))];
        if (Pages.IsEmpty)
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        if (address is not null && running.Definition.Find(address) is null)
        {
            return NotFound();
        }

        if ((address is null ? Pages[0] : Pages.FirstOrDefault(page => page.Address == address)) is not { } page)
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        (App, Current) = (running, page);
        return null;
    }

    // A record that was deleted while it was being edited is gone, but what was typed is not.
    private SheetView.Open? OpenForSaving(SheetView sheet, Grants grants, ListState state) => sheet switch
    {
        SheetView.Open open => open,
        SheetView.Missing { IsOutage: false } when state is { IsNew: false, Record: { } key } && RecordKey.Parse(Dataset, key) is not null =>
            Opened(grants.For(Dataset.Id), state, null) with { IsNew = false, KeyText = key, Title = $"Deleted {Dataset.RecordLabel}" },
        _ => null,
    };

    // A partial update leaves the form as it is where there is nothing to put in its place but an excuse.
    private async Task<IActionResult> NotOpenAsync(SheetView sheet, Grants grants, ListState state, CancellationToken cancellation) =>
        Request.IsPartial() && sheet is SheetView.Missing { IsOutage: true }
            ? StatusCode(StatusCodes.Status503ServiceUnavailable)
            : await ShowAsync(grants, state, sheet, cancellation);

    private async Task<SheetView> ReadSheetAsync(Grants grants, ListState state, CancellationToken cancellation)
    {
        var grant = grants.For(Dataset.Id);
        if (state.IsNew)
        {
            return Dataset.ReadOnlyBecause is not null || !grant.Allows(Verbs.Create)
                ? new SheetView.Missing("No new record", Dataset.ReadOnlyBecause ?? $"You may not add {Dataset.LabelInSentence}.", Path + state.Closed().ToQuery())
                : Opened(grant, state, null);
        }

        if (state.Record is null)
        {
            return new SheetView.Closed();
        }

        var close = Path + state.Closed().ToQuery();
        if (RecordKey.Parse(Dataset, state.Record) is not { } key)
        {
            return new SheetView.Missing("No such record", $"The address names no {Dataset.RecordLabel}.", close);
        }

        ImmutableArray<FieldName> titles = [.. Panel.SheetFields.Select(Dataset.RelationOf).OfType<Relation>().Select(relation => relation.Name)];
        return await gate.ReadAsync(App.Datasets, TableReader.OneRequest(Dataset, key, Panel.SheetFields, titles), grants, cancellation) switch
        {
            ReadResult.Rows { Records: [var record] } => Opened(grant, state, record),
            ReadResult.Rows => new SheetView.Missing("No such record", $"This {Dataset.RecordLabel} was deleted, or it is not open to you.", close),
            ReadResult.Denied denied => new SheetView.Missing("Not open to you", denied.Reason, close),
            ReadResult.Failed failed => new SheetView.Missing("The record cannot be read", failed.Failure.Message, close, IsOutage: true),
            _ => throw new InvalidOperationException("unknown result"),
        };
    }

    private SheetView.Open Opened(Grant grant, ListState state, Record? record) => new()
    {
        Dataset = Dataset,
        Grant = grant,
        Title = record?.Title ?? $"New {Dataset.RecordLabel}",
        IsNew = record is null,
        KeyText = record?.Key?.ToText(Dataset),
        Form = RecordForm.Of(Dataset, Panel.SheetFields, grant, record, format),
        Path = Path,
        State = state,
    };

    private async Task<IActionResult> SavedAsync(Grants grants, ListState state, SavedChange saved, string verb, CancellationToken cancellation)
    {
        var name = char.ToUpperInvariant(Dataset.RecordLabel[0]) + Dataset.RecordLabel[1..];
        var said = $"{name} “{saved.Title}” {verb}.";
        var undo = await undoing.KeepAsync(person.Id!.Value, Dataset, saved, said, cancellation);
        return await DoneAsync(grants, state, saved.Key, new Message(undo is null && verb == "deleted" ? said + " This cannot be undone." : said, undo), cancellation);
    }

    private Task<IActionResult> DoneAsync(Grants grants, ListState state, RecordKey? marked, Message said, CancellationToken cancellation)
    {
        Said = said;
        Response.Headers["HX-Push-Url"] = Path + state.Closed().ToQuery();
        return ShowAsync(grants, state.Closed(), new SheetView.Closed(), cancellation, marked);
    }

    private async Task<IActionResult> ShowConflictAsync(Grants grants, ListState state, SheetView.Open open, RecordForm typed, Record current, CancellationToken cancellation)
    {
        // What was read just before the save may be older than what the save met.
        var fresh = await ReadSheetAsync(grants, state, cancellation) is SheetView.Open now ? now.Form : RecordForm.Of(Dataset, Panel.SheetFields, open.Grant, current, format);
        return await ShowAsync(grants, state, open with { Form = typed.Rebased(current, fresh, format), InConflict = true }, cancellation);
    }

    // A partial update gets the sheet, and after a change the list and the message as well; without a script, the whole page comes.
    private async Task<IActionResult> ShowAsync(Grants grants, ListState state, SheetView? sheet, CancellationToken cancellation, RecordKey? marked = null)
    {
        Sheet = sheet ?? Sheet;
        if (Request.IsPartial() && Sheet is not SheetView.Closed)
        {
            return Partial("/Live/Sheet/_Sheet.cshtml", Sheet);
        }

        Table = await TableReader.ReadAsync(gate, format, App, Path, Panel, grants, state, marked, cancellation);
        return Request.IsPartial() ? Partial("/Live/_AfterChange.cshtml", this) : Page();
    }

    private string Outside(FieldProblem problem) =>
        problem.Field is { } field && Dataset.Find(field) is not null ? $"{Dataset.LabelOf(field)}: {problem.Message}" : problem.Message;
}
