using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live.Sheet;

/// <summary>Answers what is asked of a form: that of a record's sheet, or one that stands on the page.</summary>
internal abstract class FormHandler : LiveHandler
{
    public sealed override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (page.Asked is not (ListPanel or FormPanel))
        {
            return page.NotFound();
        }

        await page.PrepareAsync(cancellation);
        var reader = new FormReader(page.Run) { ForSaving = true };
        var view = await reader.ReadAsync(page.Asked, cancellation);
        // A record that was deleted while it was being edited is gone, but what was typed is not.
        view =
            view is RecordFormView.Missing { IsOutage: false } && page.Asked is ListPanel table && reader.WhatWasThere(table) is { } gone
                ? gone
                : view;
        return view is RecordFormView.Open open
            ? await AnswerAsync(page, page.Asked, open, cancellation)
            : await NotOpenAsync(page, page.Asked, view, cancellation);
    }

    protected abstract Task<IActionResult> AnswerAsync(
        AppPageModel page,
        Panel asked,
        RecordFormView.Open open,
        CancellationToken cancellation
    );

    // A partial update leaves the form as it is where there is nothing to put in its place but an excuse.
    protected virtual async Task<IActionResult> NotOpenAsync(
        AppPageModel page,
        Panel asked,
        RecordFormView view,
        CancellationToken cancellation
    ) =>
        page.Request.IsPartial() && view is RecordFormView.Missing { IsOutage: true }
            ? page.StatusCode(StatusCodes.Status503ServiceUnavailable)
            : await AgainAsync(page, asked, view, cancellation);

    /// <summary>The same form once more, with what is to be said of it.</summary>
    protected static async Task<IActionResult> AgainAsync(
        AppPageModel page,
        Panel asked,
        RecordFormView view,
        CancellationToken cancellation
    )
    {
        if (asked is FormPanel)
        {
            page.Run.Forms[asked.Name] = view;
            return page.Request.IsPartial()
                ? await page.PartsAsync([asked.Name], false, cancellation)
                : await page.WholeAsync(cancellation);
        }

        page.Sheet = view;
        return page.Request.IsPartial() ? await page.PartsAsync([], true, cancellation) : await page.WholeAsync(cancellation);
    }

    /// <summary>What was typed as a change, with what is saved without being shown.</summary>
    protected static (Change Change, ImmutableArray<string> Problems) WithHidden(
        PageRun run,
        RecordFormView.Open open,
        RecordForm.Typed typed
    )
    {
        var values = typed.Changed;
        var problems = ImmutableArray.CreateBuilder<string>();
        foreach (var (name, text) in open.OnPage?.HiddenValues ?? ImmutableDictionary<string, string>.Empty)
        {
            var field = new FieldName(name);
            switch (run.FieldValue(open.Dataset, field, text, open.OnPage!))
            {
                case Parsed.Value value:
                    values = values.With(field, value.Is);
                    break;
                case Parsed.Problem problem:
                    problems.Add(problem.Message);
                    break;
            }
        }

        Change change = open.IsNew
            ? new Change.Insert(values)
            : new Change.Update(RecordKey.Parse(open.Dataset, open.KeyText!)!, typed.Original, values);
        return (change, problems.ToImmutable());
    }
}
