using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Files;

namespace Rostrum.Core.OwnTables;

/// <summary>What a type of an own table's fields is: its words, its column, and how its values are read and shown.</summary>
/// <param name="Type">The type.</param>
/// <param name="Group">Under which heading it is offered.</param>
/// <param name="Label">What people call it.</param>
/// <param name="Native">The column's type, as PostgreSQL spells it.</param>
/// <param name="Reads">The values, by the options of a choice.</param>
public sealed record OwnKind(OwnType Type, string Group, string Label, string Native, Func<ImmutableArray<string>, FieldType> Reads)
{
    private const string Texts = "Text";
    private const string Numbers = "Numbers";
    private const string Times = "Time";
    private const string Choices = "Choices and relations";
    private const string Others = "Other";
    private const string Kept = "Kept by Rostrum";

    /// <summary>How its values are shown; the usual way where null.</summary>
    public DisplayFormat? Format { get; private init; }

    /// <summary>The formula whose value a record has here by itself; null where people type it.</summary>
    public string? SetTo { get; private init; }

    /// <summary>It is set anew with each change of the record.</summary>
    public bool IsRenewed { get; private init; }

    /// <summary>It has options.</summary>
    public bool HasOptions => Type is OwnType.Choice or OwnType.Several;

    /// <summary>Its values may have a least and a most.</summary>
    public bool HasLimits => Type is OwnType.WholeNumber or OwnType.Number or OwnType.Money or OwnType.Percent or OwnType.Date;

    /// <summary>A new record may have a value in it that nobody typed.</summary>
    public bool HasDefault => HasLimits || Type is OwnType.Text or OwnType.YesNo or OwnType.Choice;

    /// <summary>All of them, in the order in which they are offered.</summary>
    public static ImmutableArray<OwnKind> All { get; } =
    [
        new(OwnType.Text, Texts, "Text", "character varying(255)", _ => new FieldType.Text(255)),
        new(OwnType.LongText, Texts, "Long text", "text", _ => new FieldType.Text(Long: true)),
        new(OwnType.Markdown, Texts, "Markdown", "text", _ => new FieldType.Text(Long: true)) { Format = new DisplayFormat.Markdown() },
        new(OwnType.RichText, Texts, "Formatted text", "text", _ => new FieldType.Text(Long: true))
        {
            Format = new DisplayFormat.RichText(),
        },
        new(OwnType.Email, Texts, "E-mail address", "character varying(254)", _ => new FieldType.Text(254))
        {
            Format = new DisplayFormat.EmailAddress(),
        },
        new(OwnType.WebAddress, Texts, "Web address", "character varying(2000)", _ => new FieldType.Text(2000))
        {
            Format = new DisplayFormat.WebAddress(),
        },
        new(OwnType.Phone, Texts, "Phone number", "character varying(40)", _ => new FieldType.Text(40))
        {
            Format = new DisplayFormat.PhoneNumber(),
        },
        new(OwnType.WholeNumber, Numbers, "Whole number", "bigint", _ => new FieldType.Integer()),
        new(OwnType.Number, Numbers, "Number", "numeric", _ => new FieldType.Number()),
        new(OwnType.Money, Numbers, "Money", "numeric(14,2)", _ => new FieldType.Number(14, 2)) { Format = new DisplayFormat.Money("EUR") },
        new(OwnType.Percent, Numbers, "Percent", "numeric(9,2)", _ => new FieldType.Number(9, 2))
        {
            Format = new DisplayFormat.Percent(0, OfHundred: true),
        },
        new(OwnType.Date, Times, "Date", "date", _ => new FieldType.Date()),
        new(OwnType.Moment, Times, "Date and time", "timestamp with time zone", _ => new FieldType.Instant()),
        new(OwnType.Time, Times, "Time", "time without time zone", _ => new FieldType.Time()),
        new(OwnType.Duration, Times, "Duration", "interval", _ => new FieldType.Duration()),
        new(OwnType.YesNo, Choices, "Yes or no", "boolean", _ => new FieldType.YesNo()),
        new(OwnType.Choice, Choices, "Choice", "character varying(200)", options => new FieldType.Choice(options)),
        new(OwnType.Several, Choices, "Several choices", "text[]", options => new FieldType.List(new FieldType.Choice(options))),
        new(OwnType.Relation, Choices, "Relation", "bigint", _ => new FieldType.Integer()),
        new(OwnType.Person, Choices, "Person", "uuid", _ => new FieldType.Uuid()),
        new(OwnType.Json, Others, "JSON", "jsonb", _ => new FieldType.Json()),
        new(OwnType.Uuid, Others, "UUID", "uuid", _ => new FieldType.Uuid()),
        new(OwnType.Picture, Others, "Picture", "jsonb", _ => new FieldType.Files(FileKind.Pictures, Most: 1)),
        new(OwnType.Files, Others, "Files", "jsonb", _ => new FieldType.Files()),
        new(OwnType.AddedAt, Kept, "Added at", "timestamp with time zone", _ => new FieldType.Instant()) { SetTo = "=NOW()" },
        new(OwnType.AddedBy, Kept, "Added by", "character varying(200)", _ => new FieldType.Text(200)) { SetTo = "=user.name" },
        new(OwnType.ChangedAt, Kept, "Changed at", "timestamp with time zone", _ => new FieldType.Instant())
        {
            SetTo = "=NOW()",
            IsRenewed = true,
        },
        new(OwnType.ChangedBy, Kept, "Changed by", "character varying(200)", _ => new FieldType.Text(200))
        {
            SetTo = "=user.name",
            IsRenewed = true,
        },
    ];

    /// <summary>What a type is.</summary>
    public static OwnKind Of(OwnType type) => All.First(kind => kind.Type == type);

    /// <summary>What a field of an own table is.</summary>
    /// <param name="field">The field.</param>
    /// <param name="relation">It refers to another record.</param>
    public static OwnKind Of(Field field, bool relation)
    {
        ArgumentNullException.ThrowIfNull(field);
        return relation ? Of(field.Type is FieldType.Uuid ? OwnType.Person : OwnType.Relation)
            : field.Type is FieldType.Choice ? Of(OwnType.Choice)
            : All.Where(kind => kind.Native == field.NativeType && kind.Type is not (OwnType.Choice or OwnType.Relation or OwnType.Person))
                .OrderByDescending(kind => kind.SetTo == field.Default && kind.IsRenewed == field.IsRenewed)
                .ThenByDescending(kind => kind.Reads([]).GetType() == field.Type.GetType())
                .ThenByDescending(kind =>
                    (kind.Reads([]) as FieldType.Files)?.IsOnePicture == (field.Type as FieldType.Files)?.IsOnePicture
                )
                .ThenByDescending(kind => kind.Format?.Name == field.Format?.Name)
                .ThenByDescending(kind => kind.Format is null)
                .FirstOrDefault(Of(OwnType.Text));
    }

    /// <summary>A field as the source has it, with what a builder wants of it.</summary>
    /// <param name="field">The field.</param>
    /// <param name="wanted">What a builder wants.</param>
    /// <param name="currency">The workspace's currency, by ISO 4217.</param>
    public static Field Applied(Field field, OwnField wanted, string currency)
    {
        ArgumentNullException.ThrowIfNull(field);
        ArgumentNullException.ThrowIfNull(wanted);
        var kind = Of(wanted.Type);
        return field with
        {
            Label = wanted.Label.Trim(),
            Type = kind.Reads(wanted.Options) switch
            {
                FieldType.Files files => files,
                FieldType.Text own when field.Type is FieldType.Text text => text with { Long = own.Long },
                _ => field.Type,
            },
            Format =
                kind.Format is DisplayFormat.Money ? new DisplayFormat.Money(wanted.Currency ?? currency)
                : kind.Format is { } format ? format
                : field.Format?.Fits(field.Type) == true ? field.Format
                : null,
            Default = kind.SetTo ?? field.Default,
            IsRenewed = kind.SetTo is null ? field.IsRenewed : kind.IsRenewed,
            ReadOnly = field.ReadOnly || kind.SetTo is not null,
            Hidden = field.Hidden && kind.SetTo is null,
        };
    }
}
