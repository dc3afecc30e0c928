using Rostrum.Core.Files;

namespace Rostrum.Core.Datasets;

/// <summary>One field of a dataset: a column of its table with what people need to know about it.</summary>
public sealed record Field
{
    /// <summary>The name in formulas and addresses.</summary>
    public required FieldName Name { get; init; }

    /// <summary>The column's name in the source's spelling; empty where a formula gives the values.</summary>
    public required string Column { get; init; }

    /// <summary>The column's type in the source's spelling.</summary>
    public required string NativeType { get; init; }

    /// <summary>What people read.</summary>
    public required string Label { get; init; }

    /// <summary>A sentence for people, from the column's comment.</summary>
    public string? Description { get; init; }

    /// <summary>What the values are.</summary>
    public required FieldType Type { get; init; }

    /// <summary>The formula that gives the values; null where a column holds them.</summary>
    public string? Formula { get; init; }

    /// <summary>A blank is refused.</summary>
    public bool Required { get; init; }

    /// <summary>The source supplies a value where a new record gives none.</summary>
    public bool HasDefault { get; init; }

    /// <summary>That value, where it is a plain one that people can be shown.</summary>
    public string? UsualValue { get; init; }

    /// <summary>The source alone sets the value: an identity or a generated column.</summary>
    public ColumnGeneration Generation { get; init; }

    /// <summary>How the values are shown; the usual way of their type where null.</summary>
    public DisplayFormat? Format { get; init; }

    /// <summary>What a new record has here unless a person says otherwise: a value as it is typed, or a formula after <c>=</c>.</summary>
    public string? Default { get; init; }

    /// <summary>With each change of the record the default is given again, whatever was there.</summary>
    public bool IsRenewed { get; init; }

    /// <summary>A builder says that nobody types into it.</summary>
    public bool ReadOnly { get; init; }

    /// <summary>Not shown unless a builder says so.</summary>
    public bool Hidden { get; init; }

    /// <summary>Why drafting hid it.</summary>
    public string? HiddenBecause { get; init; }

    /// <summary>It is shown as a picture.</summary>
    public bool IsPicture =>
        Type is FieldType.Image or FieldType.Files { Only: FileKind.Pictures }
        || (Type is FieldType.Bytes && Format is DisplayFormat.Picture);

    /// <summary>What people read for an option of a choice.</summary>
    public string LabelOf(string option) => Look(option)?.Label ?? option;

    /// <summary>How an option of a choice is shown; null where nothing is said of it.</summary>
    public OptionLook? Look(string option) =>
        Format is DisplayFormat.Options options ? options.Looks.FirstOrDefault(look => look.Option == option) : null;

    /// <summary>A value can be written into it: a column holds it, nothing else sets it, and Rostrum edits values of its type.</summary>
    public bool IsWritten => Formula is null && Generation is ColumnGeneration.None && Type.IsEditable;

    /// <summary>Why nobody may type into it; null where they may.</summary>
    public string? ReadOnlyBecause =>
        Generation switch
        {
            _ when Formula is not null => "A formula computes it.",
            ColumnGeneration.Computed => "The database computes it.",
            ColumnGeneration.IdentityAlways or ColumnGeneration.IdentityByDefault => "The database numbers it.",
            _ when ReadOnly => Default is null ? "It is there to be read." : "It is set by itself.",
            _ => Type.IsEditable ? null : "Rostrum shows values of this type, and does not edit them.",
        };
}

/// <summary>Who sets a column's value.</summary>
public enum ColumnGeneration
{
    /// <summary>Whoever writes the row.</summary>
    None,

    /// <summary>The database counts, unless a row says otherwise.</summary>
    IdentityByDefault,

    /// <summary>The database counts, always.</summary>
    IdentityAlways,

    /// <summary>The database computes it from other columns.</summary>
    Computed,
}
