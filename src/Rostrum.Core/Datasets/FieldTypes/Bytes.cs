namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>What pictures and other bytes have in common.</summary>
    public abstract record Binary : FieldType
    {
        private protected Binary() { }

        /// <inheritdoc/>
        public sealed override bool IsSortable => false;

        /// <inheritdoc/>
        public sealed override bool IsTyped => false;

        internal sealed override string ToCanonical(object value) =>
            value is byte[] bytes ? Convert.ToBase64String(bytes) : throw CannotCarry(value);

        internal sealed override Parsed FromCanonical(string text)
        {
            var bytes = new byte[text.Length];
            return Convert.TryFromBase64String(text, bytes, out var length) ? new Parsed.Value(bytes[..length]) : NotA("base64 text");
        }

        // Nothing of it stands in a form: a file takes its place, or nothing.
        internal sealed override string ToInput(object value, TimeZoneInfo zone) => "";

        internal sealed override string Display(object value, RecordFormat format)
        {
            ArgumentNullException.ThrowIfNull(format);
            return string.Create(format.Culture, $"{((byte[])value).Length:#,##0} bytes");
        }
    }

    /// <summary>A picture's bytes (<see cref="byte"/> array).</summary>
    public sealed record Image : Binary
    {
        /// <inheritdoc/>
        public override string Word => "picture";
    }

    /// <summary>Bytes that Rostrum does not look into (<see cref="byte"/> array).</summary>
    public sealed record Bytes : Binary
    {
        /// <inheritdoc/>
        public override string Word => "bytes";
    }
}
