using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>Several values of one type, in an order, carried as <see cref="ListValue"/>; none of them is a list.</summary>
    /// <remarks>As text they stand in one line, with commas between them, quoted where one has a comma in it (RFC 4180).</remarks>
    /// <param name="Element">What each is.</param>
    public sealed record List(FieldType Element) : FieldType
    {
        /// <inheritdoc/>
        public override string Word => Element is Choice ? "several choices" : $"list of {Element.Word}";

        /// <inheritdoc/>
        public override bool IsSortable => false;

        /// <inheritdoc/>
        public override bool IsFilterable => Element is Choice or Text or Integer or Number;

        /// <inheritdoc/>
        public override FormulaType? InFormulas => Element.InFormulas is { } one ? new FormulaType.List(one) : null;

        /// <inheritdoc/>
        public override FormulaType? InFormulasOf(Field field) => Element.InFormulasOf(field) is { } one ? new FormulaType.List(one) : null;

        /// <summary>The values; null for one that is blank.</summary>
        public ImmutableArray<object?> ValuesOf(ListValue list)
        {
            ArgumentNullException.ThrowIfNull(list);
            return [.. list.Items.Select(item => item is null ? null : (Element.FromCanonical(item) as Parsed.Value)?.Is)];
        }

        internal override string ToCanonical(object value) =>
            value is ListValue list ? JsonSerializer.Serialize(list.Items.ToArray()) : throw CannotCarry(value);

        internal override Parsed FromCanonical(string text)
        {
            try
            {
                return
                    JsonSerializer.Deserialize<string?[]>(text) is { } items
                    && Array.TrueForAll(items, item => item is null || Element.FromCanonical(item) is Parsed.Value)
                    ? new Parsed.Value(new ListValue([.. items]))
                    : NotA(Word);
            }
            catch (JsonException)
            {
                return NotA(Word);
            }
        }

        internal override string ToInput(object value, TimeZoneInfo zone) => InLine(value, one => Element.ToInput(one, zone));

        private protected override Parsed FromTyped(string text, TimeZoneInfo zone) => Read(text, one => Element.FromInput(one, zone));

        internal override string InForm(object value, RecordFormat format) => InLine(value, one => Element.InForm(one, format));

        internal override Parsed FromForm(string text, RecordFormat format) =>
            string.IsNullOrWhiteSpace(text) ? new Parsed.Value(null) : Read(text, one => Element.FromForm(one, format));

        internal override string Display(object value, RecordFormat format) =>
            ListValue.Join(ValuesOf((ListValue)value).Select(one => one is null ? "–" : Element.Display(one, format)));

        internal override string? Problem(object value, System.Globalization.CultureInfo culture) =>
            ValuesOf((ListValue)value)
                .Select(one => one is null ? null : Element.Problem(one, culture))
                .FirstOrDefault(problem => problem is not null);

        /// <summary>What was typed in one line, as a value: a choice stands in it once.</summary>
        internal Parsed Read(string line, Func<string, Parsed> read)
        {
            var items = ImmutableArray.CreateBuilder<string?>();
            foreach (var part in ListValue.Split(line))
            {
                switch (part.Length == 0 ? new Parsed.Value(null) : read(part))
                {
                    case Parsed.Problem problem:
                        return problem;
                    case Parsed.Value { Is: { } value }:
                        items.Add(Element.ToCanonical(value));
                        break;
                    default:
                        items.Add(null);
                        break;
                }
            }

            return Element is not Choice ? new Parsed.Value(new ListValue(items.ToImmutable()))
                : items.OfType<string>().Distinct().ToImmutableArray<string?>() is { IsEmpty: false } chosen
                    ? new Parsed.Value(new ListValue(chosen))
                : new Parsed.Value(null);
        }

        private string InLine(object value, Func<object, string> write) =>
            ListValue.Join(ValuesOf((ListValue)value).Select(one => one is null ? "" : write(one)));
    }
}

/// <summary>The values of a list. Two are equal when they have the same values in the same order.</summary>
/// <param name="Items">Each as its type's exact text; null for a blank.</param>
public sealed record ListValue(ImmutableArray<string?> Items)
{
    /// <inheritdoc/>
    public bool Equals(ListValue? other) => other is not null && Items.AsSpan().SequenceEqual(other.Items.AsSpan());

    /// <inheritdoc/>
    public override int GetHashCode() => Items.Aggregate(Items.Length, (hash, item) => HashCode.Combine(hash, item));

    /// <summary>Texts in one line, with commas between them.</summary>
    internal static string Join(IEnumerable<string> texts) =>
        string.Join(
            ", ",
            texts.Select(text =>
                text.AsSpan().IndexOfAny(",\"\n") >= 0 || text.Length != text.Trim().Length
                    ? $"\"{text.Replace("\"", "\"\"", StringComparison.Ordinal)}\""
                    : text
            )
        );

    /// <summary>What <see cref="Join"/> put together; blanks around a text that is not quoted do not count.</summary>
    internal static IEnumerable<string> Split(string line)
    {
        var text = new System.Text.StringBuilder();
        var (quoted, wasQuoted) = (false, false);
        string Part() => wasQuoted ? text.ToString() : text.ToString().Trim();
        foreach (var letter in line)
        {
            if (letter == '"')
            {
                // A second quote right after one that ended is a quote in the text.
                if (wasQuoted && !quoted)
                {
                    text.Append('"');
                }
                else if (!wasQuoted)
                {
                    text.Clear();
                }

                (quoted, wasQuoted) = (!quoted, true);
            }
            else if (letter is ',' or '\n' && !quoted)
            {
                yield return Part();
                text.Clear();
                wasQuoted = false;
            }
            else if (quoted || !wasQuoted)
            {
                text.Append(letter);
            }
        }

        yield return Part();
    }
}
