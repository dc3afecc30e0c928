using System.Text.Encodings.Web;
using Microsoft.AspNetCore.Html;
using Microsoft.AspNetCore.Mvc.Rendering;

namespace Rostrum.Web.Shared;

/// <summary>
/// A partial that goes along with an answer: it takes the place of the element with its id, wherever that stands on the page
/// (htmx: hx-swap-oob).
/// </summary>
internal static class Beside
{
    /// <summary>Draws a partial, and marks its outermost element as one that finds its own place.</summary>
    /// <param name="html">The view that answers.</param>
    /// <param name="partial">The partial: one element with an id.</param>
    /// <param name="model">What it shows.</param>
    public static async Task<IHtmlContent> BesideAsync(this IHtmlHelper html, string partial, object? model)
    {
        using var drawn = new StringWriter();
        var encoder = html.ViewContext.HttpContext.RequestServices.GetRequiredService<HtmlEncoder>();
        (await html.PartialAsync(partial, model)).WriteTo(drawn, encoder);
        var text = drawn.ToString();
        var name = text.IndexOf('<', StringComparison.Ordinal) + 1;
        var end = name + text.AsSpan(name).IndexOfAny(" >");
        return new HtmlContentBuilder().AppendHtml(text[..end]).AppendHtml(" hx-swap-oob=\"true\"").AppendHtml(text[end..]);
    }
}
