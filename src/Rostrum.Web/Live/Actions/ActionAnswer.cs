using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live.Actions;

/// <summary>What is asked before something is done.</summary>
/// <param name="Words">What is asked.</param>
/// <param name="Label">What the button says that does it.</param>
/// <param name="Address">Where the answer is sent to.</param>
internal sealed record Question(string Words, string Label, string Address);

/// <summary>Tells the browser what has come of an action.</summary>
internal static class ActionAnswer
{
    public static async Task<IActionResult> AskAsync(AppPageModel page, string question, string label, CancellationToken cancellation)
    {
        var words = question.Length > 0 ? question : "Go ahead?";
        page.Question = new Question(words, label, page.Request.Path + page.Request.QueryString);
        return page.Request.IsPartial() ? page.Partial("/Live/Actions/_Asked.cshtml", page) : await page.WholeAsync(cancellation);
    }

    public static async Task<IActionResult> EndAsync(AppPageModel page, Panel asked, ActionOutcome outcome, CancellationToken cancellation)
    {
        page.Said = outcome.GoesOn ?? (outcome.Said is { } said ? new AppPageModel.Message(said, outcome.Undo) : null);
        var effects = outcome.InBrowser;
        if (!effects.IsEmpty && page.Request.IsPartial())
        {
            page.Response.Headers["HX-Trigger-After-Settle"] = JsonSerializer.Serialize(
                new { inBrowser = new { effects } },
                JsonSerializerOptions.Web
            );
        }
        else if (effects.FirstOrDefault(effect => effect.Does == "open") is { } open)
        {
            return new RedirectResult(open.What);
        }
        else if (effects is [{ } copy, ..])
        {
            page.Said = new AppPageModel.Message($"To be copied: {copy.What}", outcome.Undo);
        }

        if (outcome.GoTo is { } elsewhere)
        {
            var address = $"{page.Root}/{elsewhere}";
            if (!page.Request.IsPartial())
            {
                return new RedirectResult(address);
            }

            page.Response.Headers["HX-Redirect"] = address;
            return new NoContentResult();
        }

        IEnumerable<string> also = outcome.Everything ? page.Current.Panels.Select(panel => panel.Name) : [asked.Name];
        return await page.NowAsync(outcome.State, [.. outcome.Changed.Distinct()], outcome.Marked, also, cancellation);
    }
}
