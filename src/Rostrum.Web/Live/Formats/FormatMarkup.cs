using System.Collections.Frozen;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Html;
using Microsoft.AspNetCore.Mvc.Rendering;
using Rostrum.Core;
using Rostrum.Core.Datasets;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live;

/// <summary>
/// The mark-up of a display format that is more than text. A class that derives from <see cref="FormatMarkup{T}"/> is found by being there.
/// </summary>
internal abstract class FormatMarkup
{
    private static readonly FrozenDictionary<Type, FormatMarkup> Known = FoundClasses
        .Of<FormatMarkup>()
        .ToFrozenDictionary(markup => markup.Format);

    public abstract Type Format { get; }

    /// <summary>The mark-up of a value that is not blank; null where its text is all.</summary>
    public abstract IHtmlContent? Markup(Field field, object value, string text);

    /// <summary>The mark-up of a field's values; null where they are shown as text.</summary>
    public static FormatMarkup? Of(Field field) =>
        field.Format is { } format && Known.TryGetValue(format.GetType(), out var markup) && markup.IsFor(field) ? markup : null;

    protected virtual bool IsFor(Field field) => true;

    // An address on another machine opens beside the app.
    protected static TagBuilder? Outside(string address, string text)
    {
        if (!Uri.TryCreate(address, UriKind.Absolute, out var uri) || uri.Scheme is not ("http" or "https"))
        {
            return null;
        }

        var link = ValueMarkup.Link(uri.AbsoluteUri, text);
        link.Attributes["target"] = "_blank";
        link.Attributes["rel"] = "noopener noreferrer";
        return link;
    }
}

/// <inheritdoc/>
internal abstract class FormatMarkup<T> : FormatMarkup
    where T : DisplayFormat
{
    public sealed override Type Format => typeof(T);
}

internal sealed class OptionMarkup : FormatMarkup<DisplayFormat.Options>
{
    public override IHtmlContent? Markup(Field field, object value, string text)
    {
        if (value is ListValue list)
        {
            var all = new HtmlContentBuilder();
            foreach (var item in list.Items.OfType<string>())
            {
                all.AppendHtml(Markup(field, item, field.LabelOf(item)) ?? Option(field.LabelOf(item), "")).Append(" ");
            }

            return all;
        }

        return value is string option && field.Look(option) is { Colour: { } colour } ? Option(text, $"option-{colour}") : null;
    }

    private static TagBuilder Option(string text, string colour)
    {
        var tag = new TagBuilder("span");
        tag.AddCssClass($"option {colour}".Trim());
        tag.InnerHtml.Append(text);
        return tag;
    }
}

internal sealed class WebAddressMarkup : FormatMarkup<DisplayFormat.WebAddress>
{
    public override IHtmlContent? Markup(Field field, object value, string text) => value is string address ? Outside(address, text) : null;
}

internal sealed class EmailAddressMarkup : FormatMarkup<DisplayFormat.EmailAddress>
{
    public override IHtmlContent? Markup(Field field, object value, string text) =>
        value is string address && address.Contains('@', StringComparison.Ordinal)
            ? ValueMarkup.Link($"mailto:{Uri.EscapeDataString(address).Replace("%40", "@", StringComparison.Ordinal)}", text)
            : null;
}

internal sealed class PhoneNumberMarkup : FormatMarkup<DisplayFormat.PhoneNumber>
{
    public override IHtmlContent? Markup(Field field, object value, string text) =>
        value is string number && number.Any(char.IsAsciiDigit)
            ? ValueMarkup.Link($"tel:{string.Concat(number.Where(letter => char.IsAsciiDigit(letter) || letter == '+'))}", text)
            : null;
}

/// <summary>The address of a picture: shown where pictures may come from there, a link otherwise.</summary>
internal sealed class PictureMarkup : FormatMarkup<DisplayFormat.Picture>
{
    protected override bool IsFor(Field field) => field.Type is FieldType.Text;

    public override IHtmlContent? Markup(Field field, object value, string text) =>
        value is not string address ? null
        : Uri.TryCreate(address, UriKind.Absolute, out var picture) && EmbedOrigins.AllowsPicture(picture)
            ? Picture(picture.AbsoluteUri, field.Label)
        : Outside(address, text);

    private static TagBuilder Picture(string address, string label) =>
        new("img")
        {
            Attributes =
            {
                ["src"] = address,
                ["alt"] = label,
                ["loading"] = "lazy",
                ["class"] = "picture-address",
                ["data-picture"] = "",
            },
            TagRenderMode = TagRenderMode.SelfClosing,
        };
}

/// <summary>A colour before its text. It is drawn, as a page takes no styles that stand in it.</summary>
internal sealed partial class SwatchMarkup : FormatMarkup<DisplayFormat.Swatch>
{
    public override IHtmlContent? Markup(Field field, object value, string text)
    {
        if (value is not string colour || !Hexadecimal.IsMatch(colour))
        {
            return null;
        }

        var rectangle = new TagBuilder("rect")
        {
            Attributes =
            {
                ["width"] = "14",
                ["height"] = "14",
                ["fill"] = colour,
            },
        };
        var drawing = new TagBuilder("svg")
        {
            Attributes =
            {
                ["class"] = "swatch",
                ["viewBox"] = "0 0 14 14",
                ["aria-hidden"] = "true",
            },
        };
        drawing.InnerHtml.AppendHtml(rectangle);
        return new HtmlContentBuilder().AppendHtml(drawing).Append(text);
    }

    [GeneratedRegex("^#(?:[0-9a-fA-F]{3}|[0-9a-fA-F]{6})$", RegexOptions.CultureInvariant, 1000)]
    private static partial Regex Hexadecimal { get; }
}
