using System.Collections.Frozen;
using Rostrum.Core;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Sheet.Inputs;

/// <summary>
/// How values of one field type are typed into a form. A class that derives from <see cref="FieldInput{T}"/> is found by being there; other
/// types are typed into a line.
/// </summary>
internal abstract class FieldInput
{
    private static readonly FrozenDictionary<Type, FieldInput> Known = FoundClasses
        .Of<FieldInput>()
        .Where(input => input.Type is not null)
        .ToFrozenDictionary(input => input.Type!);

    /// <summary>The field type; null for the usual one.</summary>
    public virtual Type? Type => null;

    /// <summary>The partial that shows it.</summary>
    public virtual string Partial(Field field) => "/Live/Sheet/Inputs/_Line.cshtml";

    /// <summary>The type of the browser's input, for those that are one.</summary>
    public virtual string HtmlType(Field field) => "text";

    /// <summary>What a calendar beside the input picks: <c>day</c> or <c>moment</c>; null where there is none.</summary>
    public virtual string? Picks => null;

    /// <summary>What stands in it while it is blank, so that people see how a value is written.</summary>
    public virtual string? Example(Field field) => null;

    /// <summary>Which keys a telephone offers.</summary>
    public virtual string? Keyboard => null;

    public static FieldInput Of(FieldType type) => Known.GetValueOrDefault(type.GetType()) ?? UsualInput.Instance;
}

/// <inheritdoc/>
internal abstract class FieldInput<T> : FieldInput
    where T : FieldType
{
    public sealed override Type Type => typeof(T);
}

internal sealed class UsualInput : FieldInput
{
    public static FieldInput Instance { get; } = new UsualInput();
}

internal sealed class TextInput : FieldInput<FieldType.Text>
{
    public override string Partial(Field field) =>
        field.Format is DisplayFormat.Markdown ? "/Live/Sheet/Inputs/_Markdown.cshtml"
        : field.Format is DisplayFormat.RichText ? "/Live/RichText/_RichText.cshtml"
        : field.Type.IsLong ? "/Live/Sheet/Inputs/_LongText.cshtml"
        : base.Partial(field);

    public override string HtmlType(Field field) =>
        field.Format switch
        {
            DisplayFormat.EmailAddress => "email",
            DisplayFormat.PhoneNumber => "tel",
            DisplayFormat.WebAddress => "url",
            _ => "text",
        };
}

internal sealed class ChoiceInput : FieldInput<FieldType.Choice>
{
    public override string Partial(Field field) => "/Live/Sheet/Inputs/_Choice.cshtml";
}

internal sealed class ListInput : FieldInput<FieldType.List>
{
    public override string Partial(Field field) =>
        field.Type is FieldType.List { Element: FieldType.Choice } ? "/Live/Sheet/Inputs/_Several.cshtml" : base.Partial(field);

    public override string? Example(Field field) => "one, two, three";
}

internal sealed class JsonInput : FieldInput<FieldType.Json>
{
    public override string Partial(Field field) =>
        field.Type is FieldType.Json { Shape: not null } ? "/Live/Sheet/Inputs/_Json.cshtml" : "/Live/Sheet/Inputs/_LongText.cshtml";
}

internal sealed class FilesInputOfField : FieldInput<FieldType.Files>
{
    public override string Partial(Field field) => "/Files/_OfField.cshtml";
}

internal sealed class ImageInput : FieldInput<FieldType.Image>
{
    public override string Partial(Field field) => "/Files/_OfBytes.cshtml";
}

internal sealed class BytesInput : FieldInput<FieldType.Bytes>
{
    public override string Partial(Field field) => "/Files/_OfBytes.cshtml";
}

internal sealed class DurationInput : FieldInput<FieldType.Duration>
{
    public override string? Example(Field field) => "3:20";
}

internal sealed class YesNoInput : FieldInput<FieldType.YesNo>
{
    public override string Partial(Field field) => "/Live/Sheet/Inputs/_YesNo.cshtml";
}

internal sealed class IntegerInput : FieldInput<FieldType.Integer>
{
    public override string Keyboard => "numeric";
}

internal sealed class NumberInput : FieldInput<FieldType.Number>
{
    public override string Keyboard => "decimal";
}

internal sealed class FloatingInput : FieldInput<FieldType.Floating>
{
    public override string Keyboard => "decimal";
}

internal sealed class DateInput : FieldInput<FieldType.Date>
{
    public override string Picks => "day";
}

internal sealed class InstantInput : FieldInput<FieldType.Instant>
{
    public override string Picks => "moment";
}

internal sealed class LocalDateTimeInput : FieldInput<FieldType.LocalDateTime>
{
    public override string Picks => "moment";
}
