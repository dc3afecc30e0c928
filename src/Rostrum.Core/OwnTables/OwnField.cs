using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;

namespace Rostrum.Core.OwnTables;

/// <summary>What a field of an own table holds.</summary>
public enum OwnType
{
    /// <summary>A line of text.</summary>
    Text,

    /// <summary>A text of several lines.</summary>
    LongText,

    /// <summary>A whole number of 64 bits.</summary>
    WholeNumber,

    /// <summary>A number with decimals: up to 28 digits.</summary>
    Number,

    /// <summary>An amount of money, to the cent.</summary>
    Money,

    /// <summary>Yes or no.</summary>
    YesNo,

    /// <summary>A day.</summary>
    Date,

    /// <summary>A day and time: an instant.</summary>
    Moment,

    /// <summary>A time of day.</summary>
    Time,

    /// <summary>One of some options.</summary>
    Choice,

    /// <summary>A record of another own table.</summary>
    Relation,

    /// <summary>Somebody of the workspace.</summary>
    Person,

    /// <summary>A text with headings, lists and links, written as CommonMark.</summary>
    Markdown,

    /// <summary>A text with headings, lists, tables and pictures.</summary>
    RichText,

    /// <summary>An e-mail address.</summary>
    Email,

    /// <summary>A web address.</summary>
    WebAddress,

    /// <summary>A phone number.</summary>
    Phone,

    /// <summary>A share of a hundred: 25 is 25 %.</summary>
    Percent,

    /// <summary>A length of time.</summary>
    Duration,

    /// <summary>Some of the options.</summary>
    Several,

    /// <summary>A JSON text.</summary>
    Json,

    /// <summary>A UUID.</summary>
    Uuid,

    /// <summary>A picture.</summary>
    Picture,

    /// <summary>Files that people attach.</summary>
    Files,

    /// <summary>When the record was added.</summary>
    AddedAt,

    /// <summary>Who added it.</summary>
    AddedBy,

    /// <summary>When it was changed last.</summary>
    ChangedAt,

    /// <summary>Who changed it last.</summary>
    ChangedBy,
}

/// <summary>A field as a builder wants it.</summary>
/// <param name="Label">What people read.</param>
/// <param name="Type">What it holds.</param>
public sealed record OwnField(string Label, OwnType Type)
{
    /// <summary>A choice's options, in order.</summary>
    public ImmutableArray<string> Options { get; init; } = [];

    /// <summary>The table to whose records a relation leads.</summary>
    public string? Target { get; init; }

    /// <summary>The currency of money, by ISO 4217; the workspace's where null.</summary>
    public string? Currency { get; init; }

    /// <summary>It may not be blank.</summary>
    public bool Required { get; init; }

    /// <summary>No two records have the same.</summary>
    public bool Unique { get; init; }

    /// <summary>The least that it may hold, as it is typed; blank where there is no such limit.</summary>
    public string Minimum { get; init; } = "";

    /// <summary>The most that it may hold, as it is typed.</summary>
    public string Maximum { get; init; } = "";

    /// <summary>What a new record has here where nobody says otherwise, as it is typed; blank for nothing.</summary>
    public string Default { get; init; } = "";

    /// <summary>The field with its limits and its usual value as they are kept; or what is wrong with one of them.</summary>
    public (OwnField Field, string? Problem) Kept(RecordFormat format)
    {
        string? problem = null;
        (string Text, object? Value) Read(string typed, bool isOffered)
        {
            if (typed.Length == 0 || !isOffered)
            {
                return ("", null);
            }

            switch (FieldText.FromForm(Reads, typed, format))
            {
                case Parsed.Value { Is: { } value } when ChangeChecks.Problem(ForCells, value) is not { } wrong:
                    return (FieldText.ToCanonical(Reads, value), value);
                case Parsed.Problem said:
                    problem ??= $"“{Label}”, {typed}: {said.Message}";
                    return ("", null);
                default:
                    problem ??= $"“{Label}” cannot hold {typed}.";
                    return ("", null);
            }
        }

        var (least, most, usual) = (Read(Minimum, Kind.HasLimits), Read(Maximum, Kind.HasLimits), Read(Default, Kind.HasDefault));
        int Compared(object? one, object? other) => one is IComparable comparable && other is not null ? comparable.CompareTo(other) : 0;
        problem ??=
            Compared(least.Value, most.Value) > 0 ? $"“{Label}”: the minimum is more than the maximum."
            : Compared(usual.Value, most.Value) > 0 || Compared(least.Value, usual.Value) > 0
                ? $"“{Label}”: the default is outside its limits."
            : null;
        return (this with { Minimum = least.Text, Maximum = most.Text, Default = usual.Text }, problem);
    }

    /// <summary>What its type is.</summary>
    public OwnKind Kind => OwnKind.Of(Type);

    /// <summary>How a cell of a file is read for it.</summary>
    public FieldType Reads => Kind.Reads(Options);

    /// <summary>What is missing; null where nothing is.</summary>
    public string? Problem =>
        string.IsNullOrWhiteSpace(Label) ? "A field has no label."
        : Kind.HasOptions && Options.IsEmpty ? $"“{Label}” is a choice without options."
        : Type is OwnType.Relation && Target is null ? $"“{Label}” is a relation: choose to which table."
        : null;

    /// <summary>A field that holds what stands in some cells.</summary>
    /// <param name="heading">Their heading.</param>
    /// <param name="cells">The cells.</param>
    /// <param name="form">How cells are read.</param>
    /// <param name="format">How the workspace writes values.</param>
    public static OwnField Guess(string heading, IReadOnlyCollection<string> cells, CellForm form, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(heading);
        ArgumentNullException.ThrowIfNull(cells);
        ArgumentNullException.ThrowIfNull(form);
        string[] some = [.. cells.Select(cell => cell.Trim()).Where(cell => cell.Length > 0)];
        bool All(OwnType type)
        {
            var probe = Probe(type);
            return some.Length > 0
                && Array.TrueForAll(some, cell =>
                    form.Read(probe, cell, format) is Parsed.Value { Is: { } value } && ChangeChecks.Problem(probe, value) is null
                );
        }

        string[] different = [.. some.Distinct(StringComparer.Ordinal)];
        var type =
            some.Length == 0 ? OwnType.Text
            : All(OwnType.YesNo) && some.Any(cell => !char.IsDigit(cell[0])) ? OwnType.YesNo
            // What begins with a zero is a number on a label, and none to count with.
            : All(OwnType.WholeNumber) && !Array.Exists(some, cell => cell is ['0', not ('.' or ','), ..]) ? OwnType.WholeNumber
            : All(OwnType.Number) && !Array.Exists(some, cell => cell is ['0', >= '0' and <= '9', ..])
                ? some.Any(cell =>
                        cell.Any(letter => char.GetUnicodeCategory(letter) is System.Globalization.UnicodeCategory.CurrencySymbol)
                    )
                        ? OwnType.Money
                    : OwnType.Number
            : All(OwnType.Email) ? OwnType.Email
            : All(OwnType.WebAddress) ? OwnType.WebAddress
            : All(OwnType.Date) ? OwnType.Date
            : All(OwnType.Moment) ? OwnType.Moment
            : Array.Exists(some, cell => cell.Length > 200 || cell.Contains('\n')) ? OwnType.LongText
            : different.Length is > 1 and <= 8
            && some.Length >= different.Length * 3
            && Array.TrueForAll(different, cell => cell.Length <= 40)
                ? OwnType.Choice
            : OwnType.Text;
        return new OwnField(heading, type)
        {
            Currency = type is OwnType.Money ? CurrencyIn(some) : null,
            Options = type is OwnType.Choice ? [.. different.Order(StringComparer.Ordinal)] : [],
        };
    }

    // The sign that all amounts have, where it is that of one currency alone.
    private static string? CurrencyIn(string[] cells)
    {
        char[] signs =
        [
            .. cells
                .SelectMany(cell => cell)
                .Where(letter => char.GetUnicodeCategory(letter) is System.Globalization.UnicodeCategory.CurrencySymbol)
                .Distinct(),
        ];
        return signs is [var sign] ? DisplayFormat.Money.OfSign(sign.ToString()) : null;
    }

    private static Field Probe(OwnType type) =>
        new()
        {
            Name = new FieldName("cell"),
            Column = "cell",
            NativeType = "",
            Label = "Cell",
            Type = new OwnField("", type).Reads,
            Format = OwnKind.Of(type).Format,
        };

    /// <summary>What a cell holds for the field, where it can hold it.</summary>
    public Parsed Read(CellForm form, string cell, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(form);
        var field = ForCells;
        return form.Read(field, cell, format) switch
        {
            Parsed.Value { Is: { } value } when ChangeChecks.Problem(field, value) is { } problem => new Parsed.Problem(problem),
            var read => read,
        };
    }

    /// <summary>The field as cells are read for it.</summary>
    public Field ForCells => Probe(Type) with { Type = Reads };
}

/// <summary>Names of tables and columns, made of what people read.</summary>
public static class OwnName
{
    private const int Longest = 50;

    /// <summary>
    /// A name for SQL: small Latin letters, digits and underscores, beginning with a letter, that is none of those taken. Of a label
    /// without a letter it is a plain word.
    /// </summary>
    public static string Of(string label, string otherwise, IReadOnlyCollection<string> taken)
    {
        ArgumentNullException.ThrowIfNull(label);
        ArgumentNullException.ThrowIfNull(taken);
        var plain = string.Concat(
            Folded(label).Normalize(System.Text.NormalizationForm.FormD).Select(letter => char.IsAsciiLetterOrDigit(letter) ? letter : '_')
        );
        var parts = plain.ToLowerInvariant().Split('_', StringSplitOptions.RemoveEmptyEntries);
        var name = string.Join('_', parts);
        name = name.Length > Longest ? name[..Longest].TrimEnd('_') : name;
        name =
            name.Length == 0 ? otherwise
            : char.IsAsciiLetter(name[0]) ? name
            : $"{otherwise}_{name}";
        for (var number = 1; ; number++)
        {
            var known = number == 1 ? name : $"{name}_{number}";
            if (!taken.Contains(known))
            {
                return known;
            }
        }
    }

    // Letters that are no plain letter with a mark, and marks that would stand apart.
    private static string Folded(string label) =>
        string.Concat(
            label
                .Normalize(System.Text.NormalizationForm.FormD)
                .Where(letter => char.GetUnicodeCategory(letter) is not System.Globalization.UnicodeCategory.NonSpacingMark)
                .Select(letter =>
                    letter switch
                    {
                        'ß' => "ss",
                        'æ' or 'Æ' => "ae",
                        'ø' or 'Ø' => "o",
                        'ł' or 'Ł' => "l",
                        'đ' or 'Đ' or 'ð' or 'Ð' => "d",
                        'þ' or 'Þ' => "th",
                        _ => letter.ToString(),
                    }
                )
        );
}
