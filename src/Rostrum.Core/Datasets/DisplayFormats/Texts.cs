using System.Net;
using System.Text.RegularExpressions;

namespace Rostrum.Core.Datasets;

public abstract partial record DisplayFormat
{
    /// <summary>An address that opens in another tab.</summary>
    public sealed record WebAddress : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "web address";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Text;

        internal override string? Misfit(object value) =>
            value is string text && !(Uri.TryCreate(text, UriKind.Absolute, out var address) && address.Scheme is "http" or "https")
                ? "This is not a web address. Write it as https://example.org."
                : null;
    }

    /// <summary>An address that one writes to.</summary>
    public sealed partial record EmailAddress : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "e-mail address";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Text;

        // The form of RFC 5321 as people use it: no quoted names, no addresses by number.
        internal override string? Misfit(object value) =>
            value is string text && !(text.Length <= 254 && Written.IsMatch(text))
                ? "This is not an e-mail address. Write it as name@example.org."
                : null;

        [GeneratedRegex(
            @"^[^\s@""<>(),;:\\\[\]]{1,64}@[\p{L}\p{N}](?:[\p{L}\p{N}-]*[\p{L}\p{N}])?(?:\.[\p{L}\p{N}](?:[\p{L}\p{N}-]*[\p{L}\p{N}])?)*$",
            RegexOptions.CultureInvariant,
            1000
        )]
        private static partial Regex Written { get; }
    }

    /// <summary>A number that one calls.</summary>
    public sealed partial record PhoneNumber : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "phone number";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Text;

        // ITU-T E.164 has at most 15 digits; an extension may follow.
        internal override string? Misfit(object value) =>
            value is string text && !(Written.IsMatch(text) && text.Count(char.IsAsciiDigit) is >= 3 and <= 20)
                ? "This is not a phone number. Write it as +44 1632 960 017."
                : null;

        [GeneratedRegex(@"^\+?[\d\s()./-]+(?:(?:x|ext\.?)\s*\d{1,5})?$", RegexOptions.CultureInvariant | RegexOptions.IgnoreCase, 1000)]
        private static partial Regex Written { get; }
    }

    /// <summary>A text with headings, lists and links in it, written as CommonMark.</summary>
    public sealed record Markdown : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "Markdown";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Text;
    }

    /// <summary>A text with headings, lists, tables and pictures in it, kept as HTML of a few tags.</summary>
    public sealed partial record RichText : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "formatted text";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Text;

        // Its words in one line; who shows the whole has the HTML.
        internal override string? Display(object value, RecordFormat format) =>
            value is string html ? Blanks.Replace(WebUtility.HtmlDecode(Tags.Replace(html, " ")), " ").Trim() : null;

        [GeneratedRegex("<[^>]*>", RegexOptions.CultureInvariant, 1000)]
        private static partial Regex Tags { get; }

        [GeneratedRegex(@"\s+", RegexOptions.CultureInvariant, 1000)]
        private static partial Regex Blanks { get; }
    }

    /// <summary>Bytes that are a picture, or the address of one.</summary>
    public sealed record Picture : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "picture";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Bytes or FieldType.Text;
    }

    /// <summary>A colour, as CSS writes it: <c>#1B5E50</c>.</summary>
    public sealed record Swatch : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "colour";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Text;
    }
}
