using System.Net;
using System.Net.NetworkInformation;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>
    /// The address of a machine, of a network (with its length, RFC 4632) or of a network card (IEEE 802), carried as <see cref="string"/>.
    /// </summary>
    /// <param name="OfCard">The address of a network card.</param>
    public sealed record NetworkAddress(bool OfCard = false) : FieldType
    {
        /// <inheritdoc/>
        public override string Word => OfCard ? "hardware address" : "network address";

        /// <inheritdoc/>
        public override bool IsSortable => false;

        /// <inheritdoc/>
        public override FormulaType InFormulas => new FormulaType.Text();

        internal override string ToCanonical(object value) => value as string ?? throw CannotCarry(value);

        internal override Parsed FromCanonical(string text) => new Parsed.Value(text);

        private protected override Parsed FromTyped(string text, TimeZoneInfo zone) =>
            OfCard
                ? PhysicalAddress.TryParse(text, out var card) && card.GetAddressBytes().Length is 6 or 8
                    ? new Parsed.Value(text)
                    : NotOne(text, "a hardware address, such as 08:00:2b:01:02:03.")
                : IsAddress(text)
                    ? new Parsed.Value(text)
                    : NotOne(text, "a network address, such as 10.0.0.7 or 10.0.0.0/24.");

        internal override string Display(object value, RecordFormat format) => (string)value;

        internal override bool CanHold(FormulaType of) => of is FormulaType.Text or FormulaType.Choice;

        internal override Parsed? FromFormula(object value, TimeZoneInfo zone) =>
            value is string text ? FromTyped(text.Trim(), zone) : null;

        // Three numbers with points between them are an address to .NET, and none to people.
        private static bool IsAddress(string text)
        {
            var slash = text.IndexOf('/', StringComparison.Ordinal);
            var host = slash < 0 ? text : text[..slash];
            return IPAddress.TryParse(host, out var address)
                && (address.AddressFamily is System.Net.Sockets.AddressFamily.InterNetworkV6 || host.Count(letter => letter == '.') == 3)
                && (
                    slash < 0
                    || (
                        int.TryParse(text.AsSpan(slash + 1), System.Globalization.NumberStyles.None, Invariant, out var length)
                        && length <= address.GetAddressBytes().Length * 8
                    )
                );
        }
    }
}
