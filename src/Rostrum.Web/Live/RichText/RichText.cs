using System.Text.RegularExpressions;
using AngleSharp.Dom;
using Ganss.Xss;
using Microsoft.AspNetCore.Html;
using Rostrum.Core.Files;

namespace Rostrum.Web.Live;

/// <summary>
/// Formatted text: HTML of a few tags, cleaned when it is typed and again whenever it is shown. Its pictures are files by their hash
/// (<c>file:…</c>), which the record serves.
/// </summary>
internal static partial class RichText
{
    private const string FilePrefix = "file:";

    private static readonly HtmlSanitizer Sanitizer = Make();

    /// <summary>The text with nothing in it that could run, or be fetched from elsewhere; null where nothing is left.</summary>
    public static string? Clean(string html)
    {
        var body = Sanitizer.SanitizeDom(html).Body!;
        return string.IsNullOrWhiteSpace(body.TextContent) && body.QuerySelector("img, table, hr") is null ? null : body.InnerHtml.Trim();
    }

    /// <summary>The text as it is shown.</summary>
    /// <param name="html">The text.</param>
    /// <param name="address">Where its pictures are, without their hash; null where they are not served.</param>
    public static IHtmlContent Of(string html, string? address)
    {
        var body = Sanitizer.SanitizeDom(html).Body!;
        foreach (var picture in body.QuerySelectorAll("img").ToArray())
        {
            if (address is null)
            {
                picture.Replace(picture.Owner!.CreateTextNode(picture.GetAttribute("alt") ?? ""));
                continue;
            }

            picture.SetAttribute("src", address + picture.GetAttribute("src")![FilePrefix.Length..]);
            picture.SetAttribute("loading", "lazy");
            picture.SetAttribute("data-picture", "");
        }

        return new HtmlString(body.InnerHtml);
    }

    /// <summary>Whether a picture stands in a text.</summary>
    public static bool Has(string html, string hash) =>
        FileReference.IsHash(hash) && html.Contains($"src=\"{FilePrefix}{hash}\"", StringComparison.Ordinal);

    private static HtmlSanitizer Make()
    {
        var sanitizer = new HtmlSanitizer(
            new HtmlSanitizerOptions
            {
                AllowedTags = new HashSet<string>(
                    "p h1 h2 h3 h4 ul ol li a strong em u s code pre blockquote hr br table thead tbody tr th td img".Split(' '),
                    StringComparer.OrdinalIgnoreCase
                ),
                AllowedAttributes = new HashSet<string>(["href", "src", "alt", "colspan", "rowspan"], StringComparer.OrdinalIgnoreCase),
                AllowedSchemes = new HashSet<string>(["http", "https", "mailto", "tel", "file"], StringComparer.OrdinalIgnoreCase),
                UriAttributes = new HashSet<string>(["href", "src"], StringComparer.OrdinalIgnoreCase),
            }
        );
        sanitizer.PostProcessNode += (_, args) =>
        {
            if (args.Node is not IElement element)
            {
                return;
            }

            if (element.LocalName == "img" && !Picture.IsMatch(element.GetAttribute("src") ?? ""))
            {
                element.Remove();
            }
            else if (
                element.LocalName == "a"
                && element.GetAttribute("href")?.StartsWith(FilePrefix, StringComparison.OrdinalIgnoreCase) == true
            )
            {
                element.RemoveAttribute("href");
            }
        };
        return sanitizer;
    }

    [GeneratedRegex("^file:[0-9a-f]{64}$", RegexOptions.CultureInvariant, 1000)]
    private static partial Regex Picture { get; }
}
