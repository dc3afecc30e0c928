using System.Text;
using Markdig;
using Markdig.Renderers;
using Markdig.Syntax;
using Markdig.Syntax.Inlines;
using Microsoft.AspNetCore.Html;
using Rostrum.Web.Notes;

namespace Rostrum.Web.Live.Panels.Text;

/// <summary>Markdown as HTML in which nothing can run: tags are shown as they are typed, and links lead only to where links may.</summary>
internal static class Markdown
{
    private static readonly MarkdownPipeline Pipeline = new MarkdownPipelineBuilder()
        .DisableHtml()
        .UsePipeTables()
        .UseEmphasisExtras()
        .UseAutoLinks()
        .Build();

    /// <summary>The HTML of a text. One in which marks are nested too deep is shown as it was typed.</summary>
    public static IHtmlContent Of(string text) => Of(text, []);

    /// <summary>The same, with the people who are mentioned in it set apart.</summary>
    public static IHtmlContent Of(string text, IReadOnlyCollection<string> mentioned)
    {
        try
        {
            return Rendered(text, mentioned);
        }
        catch (Exception exception) when (IsTooDeep(exception))
        {
            return new HtmlContentBuilder().AppendHtml("<p>").Append(text).AppendHtml("</p>");
        }
    }

    // The parser gives up with one of these.
    private static bool IsTooDeep(Exception exception) =>
        exception is ArgumentException or InvalidOperationException or InsufficientExecutionStackException;

    private static HtmlString Rendered(string text, IReadOnlyCollection<string> mentioned)
    {
        var document = Markdig.Markdown.Parse(text, Pipeline);
        foreach (var link in document.Descendants<LinkInline>().Where(link => !IsHarmless(link.Url)))
        {
            link.Url = "";
        }

        // A picture from elsewhere would tell its server who reads the page.
        foreach (
            var picture in document.Descendants<LinkInline>().Where(link => link.IsImage && link.Url is not ['/', not '/', ..]).ToArray()
        )
        {
            picture.IsImage = false;
        }

        foreach (
            var address in document.Descendants<AutolinkInline>().Where(address => !address.IsEmail && !IsHarmless(address.Url)).ToArray()
        )
        {
            address.ReplaceBy(new LiteralInline(address.Url));
        }

        if (mentioned.Count > 0)
        {
            Mentions.Mark(document, mentioned);
        }

        using var writer = new StringWriter();
        var renderer = new HtmlRenderer(writer);
        Pipeline.Setup(renderer);
        renderer.Render(document);
        return new HtmlString(writer.ToString());
    }

    /// <summary>The words of a text alone, in one line.</summary>
    public static string Plain(string text) => string.Join(' ', Words(text).Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));

    private static string Words(string text)
    {
        try
        {
            return Markdig.Markdown.ToPlainText(text, Pipeline);
        }
        catch (Exception exception) when (IsTooDeep(exception))
        {
            return text;
        }
    }

    /// <summary>A value as it stands in Markdown without meaning anything there.</summary>
    public static string Escaped(string value)
    {
        var text = new StringBuilder(value.Length + 8);
        foreach (var letter in value.ReplaceLineEndings(" "))
        {
            text.Append(char.IsAscii(letter) && (char.IsPunctuation(letter) || char.IsSymbol(letter)) ? $"\\{letter}" : letter.ToString());
        }

        return text.ToString();
    }

    private static bool IsHarmless(string? url) =>
        string.IsNullOrEmpty(url)
        || url[0] is '/' or '#' or '?'
        || (Uri.TryCreate(url, UriKind.Absolute, out var address) && address.Scheme is ("http" or "https" or "mailto" or "tel"))
        || (!url.Contains(':', StringComparison.Ordinal) && Uri.IsWellFormedUriString(url, UriKind.Relative));
}
