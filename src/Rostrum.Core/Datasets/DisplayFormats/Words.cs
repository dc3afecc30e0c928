using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

public abstract partial record DisplayFormat
{
    /// <summary>What people read for options, and in which colour.</summary>
    public sealed record Options(ImmutableArray<OptionLook> Looks) : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "labels and colours";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.Choice or FieldType.List { Element: FieldType.Choice };

        /// <inheritdoc/>
        public override DisplayFormat With(FormatSettings settings) => new Options(settings.Looks);

        internal override string? Display(object value, RecordFormat format) =>
            value switch
            {
                string option => LabelOf(option),
                ListValue list => ListValue.Join(list.Items.Select(item => item is null ? "–" : LabelOf(item) ?? item)),
                _ => null,
            };

        private string? LabelOf(string option) => Looks.FirstOrDefault(look => look.Option == option)?.Label;
    }

    /// <summary>The words for yes and no.</summary>
    public sealed record YesNoWords(string Yes, string No) : DisplayFormat
    {
        /// <inheritdoc/>
        public override string Word => "other words for yes and no";

        /// <inheritdoc/>
        public override bool Fits(FieldType type) => type is FieldType.YesNo;

        /// <inheritdoc/>
        public override DisplayFormat With(FormatSettings settings) =>
            new YesNoWords(settings.Yes.Length > 0 ? settings.Yes : "Yes", settings.No.Length > 0 ? settings.No : "No");

        internal override string? Display(object value, RecordFormat format) =>
            value switch
            {
                true => Yes,
                false => No,
                _ => null,
            };
    }
}

/// <summary>How one option of a choice is shown.</summary>
/// <param name="Option">The option, as it is kept.</param>
/// <param name="Label">What people read; the option itself where null.</param>
/// <param name="Colour">One of the eight colours for categories, from 1; none where null.</param>
public sealed record OptionLook(string Option, string? Label, int? Colour);
