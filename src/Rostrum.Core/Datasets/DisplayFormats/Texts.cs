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
    }

    /// <summary>An address that one writes to.</summary>
    public sealed record EmailAddress : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "e-mail address";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Text;
    }

    /// <summary>A number that one calls.</summary>
    public sealed record PhoneNumber : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "phone number";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Text;
    }

    /// <summary>A text with headings, lists and links in it, written as CommonMark.</summary>
    public sealed record Markdown : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "Markdown";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Text;
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
