using Microsoft.AspNetCore.Html;
using Microsoft.AspNetCore.Mvc.Rendering;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live.Panels.Text;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live;

/// <summary>A value whose format is more than text: an option in its colour, an address that opens.</summary>
internal static class ValueMarkup
{
    /// <summary>Whether values of a field are shown as more than text.</summary>
    public static bool IsFor(Field field) =>
        field.Format is DisplayFormat.Options or DisplayFormat.WebAddress or DisplayFormat.EmailAddress or DisplayFormat.PhoneNumber
            || field is { Format: DisplayFormat.Picture, Type: FieldType.Text };

    /// <summary>Whether values are paragraphs, which stand on a page by themselves and not in a line or a cell.</summary>
    public static bool IsProse(Field field) => field.Format is DisplayFormat.Markdown;

    /// <summary>A text as it stands in one line: without the marks of Markdown where it is written so.</summary>
    public static string InLine(Field field, string text) => Excerpt.Of(IsProse(field) ? Markdown.Plain(text) : text, Excerpt.InLine);

    /// <summary>The value where there is room for paragraphs.</summary>
    public static IHtmlContent Whole(Field field, object? value, string text) =>
        IsProse(field) ? Markdown.Of(Excerpt.Of(text, Excerpt.Whole))
        : IsFor(field) ? Of(field, value, text)
        : new HtmlContentBuilder().Append(Excerpt.Of(text, Excerpt.Whole));

    /// <summary>The value as it stands in a line or a cell; its text alone where that is all.</summary>
    public static IHtmlContent Of(Field field, object? value, string text) => (field.Format, value) switch
    {
        (DisplayFormat.Options, string option) when field.Look(option) is { Colour: { } colour } => Option(colour, text),
        (DisplayFormat.Picture, string address) when Uri.TryCreate(address, UriKind.Absolute, out var picture)
            && EmbedOrigins.AllowsPicture(picture) => Picture(picture.AbsoluteUri, field.Label),
        (DisplayFormat.WebAddress or DisplayFormat.Picture, string address) when Uri.TryCreate(address, UriKind.Absolute, out var uri)
            && uri.Scheme is "http" or "https" => Link(uri.AbsoluteUri, text, elsewhere: true),
        (DisplayFormat.EmailAddress, string address) when address.Contains('@', StringComparison.Ordinal) =>
            Link($"mailto:{Uri.EscapeDataString(address).Replace("%40", "@", StringComparison.Ordinal)}", text),
        (DisplayFormat.PhoneNumber, string number) when number.Any(char.IsAsciiDigit) =>
            Link($"tel:{new string([.. number.Where(letter => char.IsAsciiDigit(letter) || letter == '+')])}", text),
        _ => new HtmlContentBuilder().Append(InLine(field, text)),
    };

    /// <summary>The name of a related record, leading to it where whoever looks can; null where the value refers to none.</summary>
    public static IHtmlContent? Related(Func<Relation, object?, string?> addressOf, Relation? relation, object? value, string text) =>
        relation is null ? null
        : addressOf(relation, value) is { } address ? Link(address, text)
        : new HtmlContentBuilder().Append(text);

    private static TagBuilder Option(int colour, string text)
    {
        var tag = new TagBuilder("span");
        tag.AddCssClass($"option option-{colour}");
        tag.InnerHtml.Append(text);
        return tag;
    }

    private static TagBuilder Picture(string address, string label) => new("img")
    {
        Attributes = { ["src"] = address, ["alt"] = label, ["loading"] = "lazy", ["class"] = "picture-address", ["data-picture"] = "" },
        TagRenderMode = TagRenderMode.SelfClosing,
    };

    private static TagBuilder Link(string address, string text, bool elsewhere = false)
    {
        var tag = new TagBuilder("a") { Attributes = { ["href"] = address } };
        if (elsewhere)
        {
            tag.Attributes["target"] = "_blank";
            tag.Attributes["rel"] = "noopener noreferrer";
        }

        tag.InnerHtml.Append(text);
        return tag;
    }
}
