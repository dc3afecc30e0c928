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
    public static IHtmlContent Of(string text) => Of(text, [], _ => null);

    /// <summary>The same, with the people who are mentioned in it set apart, and pictures that belong to it.</summary>
    /// <param name="text">The text.</param>
    /// <param name="mentioned">The people, by their names.</param>
    /// <param name="pictureOf">The address of a picture that a text names; null where there is none of that name.</param>
    public static IHtmlContent Of(string text, IReadOnlyCollection<string> mentioned, Func<string, string?> pictureOf)
    {
        try
        {
            return Rendered(text, mentioned, pictureOf);
        }
        catch (Exception exception) when (IsTooDeep(exception))
        {
            return new HtmlContentBuilder().AppendHtml("<p>").Append(text).AppendHtml("</p>");
        }
    }

    // The parser gives up with one of these.
    private static bool IsTooDeep(Exception exception) =>
        exception is ArgumentException or InvalidOperationException or InsufficientExecutionStackException;

    private static HtmlString Rendered(string text, IReadOnlyCollection<string> mentioned, Func<string, string?> pictureOf)
    {
        var document = Markdig.Markdown.Parse(text, Pipeline);
        foreach (var named in document.Descendants<LinkInline>().Where(link => link.IsImage))
        {
            named.Url = pictureOf(NameIn(named)) ?? named.Url;
        }

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

    /// <summary>The names of the pictures that stand in a text.</summary>
    public static IReadOnlySet<string> PicturesIn(string text)
    {
        try
        {
            return Markdig.Markdown.Parse(text, Pipeline).Descendants<LinkInline>().Where(link => link.IsImage).Select(NameIn).ToHashSet();
        }
        catch (Exception exception) when (IsTooDeep(exception))
        {
            return new HashSet<string>();
        }
    }

    private static string NameIn(LinkInline picture) => Uri.UnescapeDataString(picture.Url ?? "");

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
