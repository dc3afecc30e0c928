using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Sheet;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live;

/// <summary>What a person does with a form: checks, saves, deletes, takes back.</summary>
internal sealed partial class AppPageModel
{
    public async Task<IActionResult> OnPostSaveAsync(string app, string? address, string? panel, CancellationToken cancellation)
    {
        var (refusal, asked, view) = await FormAsync(app, address, panel, cancellation);
        if (refusal is not null)
        {
            return refusal;
        }

        if (view is not SheetView.Open open)
        {
            return await NotOpenAsync(asked!, view!, cancellation);
        }

        var form = open.Form.Filled(Request.Form);
        var typed = form.Read(format.Zone);
        var (change, hidden) = WithHidden(open, typed);
        if (!typed.Problems.IsEmpty || hidden.Length > 0)
        {
            var others = ChangeChecks.Problems(open.Dataset, change).Where(problem => typed.Problems.All(known => known.Field != problem.Field));
            return await AgainAsync(asked!, open with { Form = form.WithProblems([.. typed.Problems, .. others]), Problems = [.. hidden] }, cancellation);
        }

        if (change is Change.Update { Values.Count: 0 })
        {
            return await DoneAsync(asked!, null, null, new Message("Nothing was changed."), cancellation);
        }

        ImmutableArray<string> seen = [.. Request.Form.Where(part => part.Key.StartsWith("m.", StringComparison.Ordinal)).SelectMany(part => part.Value).OfType<string>()];
        return await gate.SaveAsync(App.Datasets, new ChangeSet(open.Dataset.Id, [change]) { SeenWarnings = seen }, Run.Grants, cancellation) switch
        {
            SaveResult.Saved { Changes: [var saved] } => await SavedAsync(asked!, open.Dataset, saved, open.IsNew ? "added" : "saved", cancellation),
            SaveResult.Invalid invalid => await AgainAsync(asked!, open.Saying(form, invalid.Problems), cancellation),
            SaveResult.Warned warned => await AgainAsync(asked!, open.Saying(form, warned.Problems) with { HasWarnings = true }, cancellation),
            SaveResult.Conflict { Current: { } current } => await ShowConflictAsync(asked!, open, form, current, cancellation),
            SaveResult.Conflict => await AgainAsync(asked!, open with { Form = form, Problems = [$"Somebody deleted this {open.Dataset.RecordLabel} while you were editing it. What you typed still stands here; copy what you need."] }, cancellation),
            SaveResult.Denied denied => await AgainAsync(asked!, open with { Form = form, Problems = [denied.Reason] }, cancellation),
            SaveResult.Failed failed => await AgainAsync(asked!, open with { Form = form, Problems = [failed.Failure.Message + " Nothing was saved; what you typed still stands here."] }, cancellation),
            _ => throw new InvalidOperationException("one change was asked for"),
        };
    }

    /// <summary>What is wrong with the form as it is being typed: the messages that are no longer what the page shows, and the panels that look at what is typed.</summary>
    public async Task<IActionResult> OnPostCheckAsync(string app, string? address, string? panel, CancellationToken cancellation)
    {
        var (refusal, asked, view) = await FormAsync(app, address, panel, cancellation);
        if (refusal is not null || view is not SheetView.Open open)
        {
            return refusal ?? new NoContentResult();
        }

        var form = open.Form.Filled(Request.Form);
        var typed = form.Read(format.Zone);
        var (change, _) = WithHidden(open, typed);
        if (await gate.CheckAsync(App.Datasets, open.Dataset.Id, change, Run.Grants, cancellation) is not { } found)
        {
            return new NoContentResult();
        }

        var shown = open.Saying(form, [.. typed.Problems, .. found.Where(problem => typed.Problems.All(known => known.Field != problem.Field))]);
        Run.Forms[asked!.Name] = shown;
        new FormReader(Run).Publish(asked, shown);
        var watching = Current.All.Where(other => other.Name != asked.Name && Run.Graph.Reads(other.Name).Any(value => value.Panel == asked.Name)).Select(other => other.Name).ToArray();
        var reading = new Panels.PageReading(Run);
        Panels = [.. await Task.WhenAll(watching.Select(name => reading.ReadAsync(Current.Find(name)!, cancellation)))];
        return Partial("/Live/Sheet/_Checked.cshtml", new CheckedForm(shown, [.. LiveCheck.Changed(shown, Request.Form)], Panels));
    }

    public async Task<IActionResult> OnPostDeleteAsync(string app, string? address, string? panel, CancellationToken cancellation)
    {
        var (refusal, asked, view) = await FormAsync(app, address, panel, cancellation);
        if (refusal is not null)
        {
            return refusal;
        }

        if (view is not SheetView.Open { IsNew: false, OnPage: null } open)
        {
            return await NotOpenAsync(asked!, view!, cancellation);
        }

        var original = open.Form.Filled(Request.Form).Read(format.Zone).Original;
        var change = new Change.Delete(RecordKey.Parse(open.Dataset, open.KeyText!)!, original);
        return await gate.SaveAsync(App.Datasets, new ChangeSet(open.Dataset.Id, [change]), Run.Grants, cancellation) switch
        {
            SaveResult.Saved { Changes: [var saved] } => await SavedAsync(asked!, open.Dataset, saved, "deleted", cancellation),
            SaveResult.Invalid invalid => await AgainAsync(asked!, open with { Problems = [.. invalid.Problems.Select(problem => problem.Message)] }, cancellation),
            SaveResult.Conflict { Current: not null } => await AgainAsync(asked!, open with { Problems = [$"Somebody changed this {open.Dataset.RecordLabel} after you opened it. It is shown as it is now; look again, then delete it."] }, cancellation),
            SaveResult.Conflict => await DoneAsync(asked!, open.Dataset.Id, null, new Message("It was deleted already."), cancellation),
            SaveResult.Denied denied => await AgainAsync(asked!, open with { Problems = [denied.Reason] }, cancellation),
            SaveResult.Failed failed => await AgainAsync(asked!, open with { Problems = [failed.Failure.Message] }, cancellation),
            _ => throw new InvalidOperationException("one change was asked for"),
        };
    }

    public async Task<IActionResult> OnPostUndoAsync(string app, string? address, Guid undo, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        var open = Run.State.OpenTable;
        var undone = await undoing.UndoAsync(undo, person.Id!.Value, App.Datasets, Run.Grants, cancellation);
        var (result, said) = (undone?.Result, undone?.Said);
        return await DoneAsync(open, undone?.Dataset, result is SaveResult.Saved { Changes: [var done] } ? done.Key : null, new Message(result switch
        {
            null => "There is nothing to undo any more.",
            SaveResult.Saved => $"Undone: {said}",
            SaveResult.Conflict => "It was not undone: the record has been changed since.",
            SaveResult.Denied denied => $"It was not undone. {denied.Reason}",
            SaveResult.Invalid invalid => $"It was not undone. {string.Join(" ", invalid.Problems.Select(problem => problem.Message))}",
            SaveResult.Failed failed => $"It was not undone. {failed.Failure.Message}",
            _ => throw new InvalidOperationException("one change was asked for"),
        }), cancellation);
    }

    // The form that a request is about. A record that was deleted while it was being edited is gone, but what was typed is not.
    private async Task<(IActionResult? Refusal, Panel? Panel, SheetView? View)> FormAsync(string app, string? address, string? panel, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return (refusal, null, null);
        }

        if (FindPanel(panel) is not (ListPanel or FormPanel) || FindPanel(panel) is not { } asked)
        {
            return (NotFound(), null, null);
        }

        await PrepareAsync(cancellation);
        var reader = new FormReader(Run);
        var view = await reader.ReadAsync(asked, cancellation);
        return (null, asked, view is SheetView.Missing { IsOutage: false } && asked is ListPanel table && reader.WhatWasThere(table) is { } gone ? gone : view);
    }

    // What is saved without being shown joins what was typed.
    private (Change Change, string[] Problems) WithHidden(SheetView.Open open, RecordForm.Typed typed)
    {
        var values = typed.Changed;
        var problems = new List<string>();
        foreach (var (field, text) in open.OnPage?.HiddenValues ?? ImmutableDictionary<string, string>.Empty)
        {
            switch (Run.FieldValue(open.Dataset, new FieldName(field), text, open.OnPage!))
            {
                case Parsed.Value value:
                    values = values.With(new FieldName(field), value.Is);
                    break;
                case Parsed.Problem problem:
                    problems.Add(problem.Message);
                    break;
            }
        }

        return (open.IsNew ? new Change.Insert(values) : new Change.Update(RecordKey.Parse(open.Dataset, open.KeyText!)!, typed.Original, values), [.. problems]);
    }

    // A partial update leaves the form as it is where there is nothing to put in its place but an excuse.
    private async Task<IActionResult> NotOpenAsync(Panel asked, SheetView view, CancellationToken cancellation) =>
        Request.IsPartial() && view is SheetView.Missing { IsOutage: true } ? StatusCode(StatusCodes.Status503ServiceUnavailable) : await AgainAsync(asked, view, cancellation);

    // The same form once more, with what is to be said of it.
    private async Task<IActionResult> AgainAsync(Panel asked, SheetView view, CancellationToken cancellation)
    {
        if (asked is FormPanel)
        {
            Run.Forms[asked.Name] = view;
            return Request.IsPartial() ? await PartsAsync([asked.Name], false, cancellation) : await WholeAsync(cancellation);
        }

        Sheet = view;
        return Request.IsPartial() ? await PartsAsync([], true, cancellation) : await WholeAsync(cancellation);
    }

    private async Task<IActionResult> SavedAsync(Panel asked, Dataset dataset, SavedChange saved, string verb, CancellationToken cancellation)
    {
        var name = char.ToUpperInvariant(dataset.RecordLabel[0]) + dataset.RecordLabel[1..];
        var said = $"{name} “{saved.Title}” {verb}.";
        var undo = await undoing.KeepAsync(person.Id!.Value, dataset, [saved], said, cancellation);
        var message = new Message(undo is null && verb == "deleted" ? said + " This cannot be undone." : said, undo);
        return asked is FormPanel { AfterSave.IsEmpty: false } form
            ? await FinishAsync(form, form.AfterSave, saved, message, cancellation)
            : await DoneAsync(asked, dataset.Id, saved.Key, message, cancellation);
    }

    // What was changed is read anew wherever it is shown.
    private async Task<IActionResult> DoneAsync(Panel? asked, DatasetId? changed, RecordKey? marked, Message said, CancellationToken cancellation)
    {
        Said = said;
        var state = asked is ListPanel table ? Run.State.With(table.Name, State(table)) : Run.State;
        ListState State(ListPanel of) => of.OnChoice == ListPanel.InSheet ? Run.State.List(of.Name).Closed() : Run.State.List(of.Name) with { IsNew = false };
        return await NowAsync(state, changed is { } dataset ? [dataset] : [], changed is { } of && marked is not null ? (of, marked) : null, asked is null ? [] : [asked.Name], cancellation);
    }

    // The page in another state, after records of some datasets were changed.
    private async Task<IActionResult> NowAsync(PageState state, ImmutableArray<DatasetId> changed, (DatasetId Dataset, RecordKey Key)? marked, IEnumerable<string> also, CancellationToken cancellation)
    {
        var before = Run.State;
        Run = Run.At(state);
        Run.Marked = marked;
        await Run.PrepareAsync(cancellation);
        Sheet = new SheetView.Closed();
        if (!Request.IsPartial())
        {
            return await WholeAsync(cancellation);
        }

        Response.Headers["HX-Push-Url"] = Path + state.ToQuery();
        return await PartsAsync([.. changed.SelectMany(dataset => Run.Graph.Affected(dataset, App.Datasets)), .. Run.Graph.Affected(state.Changed(before)), .. state.ChangedPanels(before), .. also], true, cancellation);
    }

    private async Task<IActionResult> ShowConflictAsync(Panel asked, SheetView.Open open, RecordForm typed, Record current, CancellationToken cancellation)
    {
        // What was read just before the save may be older than what the save met.
        var fresh = await new FormReader(Run).ReadAsync(asked, cancellation) is SheetView.Open now ? now.Form : open.Form;
        return await AgainAsync(asked, open with { Form = typed.Rebased(current, fresh, format), InConflict = true }, cancellation);
    }
}
