using Microsoft.AspNetCore.Html;
using Microsoft.AspNetCore.Mvc.Rendering;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live.Panels.Text;

namespace Rostrum.Web.Live;

/// <summary>A value as a page shows it: in its format's own mark-up where that has one, else as text.</summary>
internal static class ValueMarkup
{
    /// <summary>Whether values of a field are shown as more than text.</summary>
    public static bool IsFor(Field field) => FormatMarkup.Of(field) is not null;

    /// <summary>Whether values are paragraphs, which stand on a page by themselves and not in a line or a cell.</summary>
    public static bool IsProse(Field field) => field.Format is DisplayFormat.Markdown or DisplayFormat.RichText;

    /// <summary>A text as it stands in one line: without the marks of Markdown where it is written so.</summary>
    public static string InLine(Field field, string text) =>
        Excerpt.Of(field.Format is DisplayFormat.Markdown ? Markdown.Plain(text) : text, Excerpt.InLine);

    /// <summary>The value where there is room for paragraphs.</summary>
    /// <param name="field">The field.</param>
    /// <param name="value">Its value.</param>
    /// <param name="text">The value as people read it.</param>
    /// <param name="pictures">Where the record serves pictures that stand in it, without their hash; null where it does not.</param>
    public static IHtmlContent Whole(Field field, object? value, string text, string? pictures = null) =>
        field.Format is DisplayFormat.RichText ? RichText.Of(value as string ?? "", pictures)
        : IsProse(field) ? Markdown.Of(Excerpt.Of(text, Excerpt.Whole))
        : IsFor(field) ? Of(field, value, text)
        : new HtmlContentBuilder().Append(Excerpt.Of(text, Excerpt.Whole));

    /// <summary>The value as it stands in a line or a cell; its text alone where that is all.</summary>
    public static IHtmlContent Of(Field field, object? value, string text) =>
        (value is null ? null : FormatMarkup.Of(field)?.Markup(field, value, text)) ?? new HtmlContentBuilder().Append(InLine(field, text));

    /// <summary>The name of a related record, leading to it where whoever looks can; null where the value refers to none.</summary>
    public static IHtmlContent? Related(Func<Relation, object?, string?> addressOf, Relation? relation, object? value, string text) =>
        relation is null ? null
        : addressOf(relation, value) is { } address ? Link(address, text)
        : new HtmlContentBuilder().Append(text);

    public static TagBuilder Link(string address, string text)
    {
        var tag = new TagBuilder("a") { Attributes = { ["href"] = address } };
        tag.InnerHtml.Append(text);
        return tag;
    }
}
