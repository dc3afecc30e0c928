using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Files;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Build.Data;

/// <summary>One option of a choice in the settings' form.</summary>
internal sealed record OptionSetting(string Option, string Label, int Colour);

/// <summary>A field's settings as they stand in their form: from the field, or as a builder typed them.</summary>
internal sealed record FieldSettings
{
    public string Label { get; init; } = "";

    public string Description { get; init; } = "";

    public string Kind { get; init; } = "";

    public string Format { get; init; } = "";

    public string Currency { get; init; } = "EUR";

    public string Digits { get; init; } = "";

    public bool OfHundred { get; init; }

    public string Yes { get; init; } = "Yes";

    public string No { get; init; } = "No";

    public ImmutableArray<OptionSetting> Options { get; init; } = [];

    /// <summary>The options of a text that is turned into a choice, a line each.</summary>
    public string ListedOptions { get; init; } = "";

    public FileKind Only { get; init; }

    public string MostFiles { get; init; } = "";

    public string MostMegabytes { get; init; } = "";

    /// <summary>Which members a JSON text has, as a JSON Schema; blank where that is not said.</summary>
    public string Schema { get; init; } = "";

    public string Default { get; init; } = "";

    public bool Shown { get; init; }

    public bool IsRenewed { get; init; }

    public bool ReadOnly { get; init; }

    public FieldDemands Demands { get; init; } = new(false, false, "", "");

    /// <summary>The formats that fit the field, after the usual way of its type.</summary>
    public static IEnumerable<(string Name, string Label)> FormatsFor(Field field) =>
        DisplayFormat.Known.Where(format => format.Fits(field.Type)).Select(format => (format.Name, format.Word)).Prepend(("", "default"));

    public static FieldSettings Of(Dataset dataset, Field field) =>
        new()
        {
            Label = field.Label,
            Description = field.Description ?? "",
            Kind = field.Type switch
            {
                FieldType.Choice => "choice",
                FieldType.Text { Long: true } => "long",
                FieldType.Text => "text",
                _ => "",
            },
            Format = field.Format?.Name ?? "",
            Currency = field.Format is DisplayFormat.Money money ? money.Currency : "EUR",
            Digits = (
                field.Format switch
                {
                    DisplayFormat.Percent percent => percent.Decimals,
                    DisplayFormat.Rounded rounded => rounded.Digits,
                    _ => (field.Type as FieldType.Number)?.Scale ?? 0,
                }
            ).ToString(CultureInfo.InvariantCulture),
            OfHundred = field.Format is DisplayFormat.Percent { OfHundred: true },
            Yes = field.Format is DisplayFormat.YesNoWords yes ? yes.Yes : "Yes",
            No = field.Format is DisplayFormat.YesNoWords no ? no.No : "No",
            Options = field.Type is FieldType.Choice choice
                ?
                [
                    .. choice.Options.Select(option => new OptionSetting(
                        option,
                        field.Look(option)?.Label ?? "",
                        field.Look(option)?.Colour ?? 0
                    )),
                ]
                : [],
            ListedOptions = field.Type is FieldType.Choice listed ? string.Join('\n', listed.Options) : "",
            Only = (field.Type as FieldType.Files)?.Only ?? FileKind.Any,
            MostFiles = Number((field.Type as FieldType.Files)?.Most),
            MostMegabytes = Number((field.Type as FieldType.Files)?.MostMegabytes),
            Schema = (field.Type as FieldType.Json)?.Schema ?? "",
            Default = field.Default ?? "",
            Shown = !field.Hidden,
            IsRenewed = field.IsRenewed,
            ReadOnly = field.ReadOnly,
            Demands = FieldDemands.Of(dataset, field),
        };

    public static FieldSettings Posted(Dataset dataset, Field field, IFormCollection form)
    {
        string Text(string name) => form[name].ToString().Trim();
        var now = Of(dataset, field);
        return now with
        {
            Label = Text("label"),
            Description = Text("description"),
            Kind = form.ContainsKey("kind") ? Text("kind") : now.Kind,
            Format = Text("format"),
            Currency = Text("currency").ToUpperInvariant(),
            Digits = Text("digits"),
            OfHundred = Text("of") == "hundred",
            Yes = Text("yes"),
            No = Text("no"),
            Options =
            [
                .. now.Options.Select(
                    (option, index) =>
                        option with
                        {
                            Label = Text($"option.{index}"),
                            Colour = int.TryParse(Text($"colour.{index}"), NumberStyles.None, CultureInfo.InvariantCulture, out var colour)
                                ? Math.Clamp(colour, 0, 8)
                                : 0,
                        }
                ),
            ],
            ListedOptions = form["listed"].ToString(),
            Only = Enum.TryParse<FileKind>(Text("only"), out var only) && Enum.IsDefined(only) ? only : now.Only,
            MostFiles = form.ContainsKey("mostFiles") ? Text("mostFiles") : now.MostFiles,
            MostMegabytes = form.ContainsKey("mostMegabytes") ? Text("mostMegabytes") : now.MostMegabytes,
            Schema = form.ContainsKey("schema") ? Text("schema") : now.Schema,
            Default = form["default"].ToString(),
            Shown = form.ContainsKey("shown"),
            IsRenewed = form.ContainsKey("renewed"),
            ReadOnly = form.ContainsKey("readonly"),
            Demands = new FieldDemands(form.ContainsKey("required"), form.ContainsKey("unique"), Text("minimum"), Text("maximum")),
        };
    }

    /// <summary>The dataset with the field set so; or what is wrong.</summary>
    public (Dataset? Dataset, string? Problem) Apply(Dataset dataset, Field field, SignedIn anybody, RecordFormat format)
    {
        if (Label.Length == 0)
        {
            return (null, "A label cannot be blank.");
        }

        var (type, typeProblem) = TypeOf(field);
        if (typeProblem is not null)
        {
            return (null, typeProblem);
        }

        var kind = DisplayFormat.Known.FirstOrDefault(known => known.Name == Format);
        if (kind?.Problem(FormatSettings) is { } formatProblem)
        {
            return (null, formatProblem);
        }

        var look = kind?.With(FormatSettings);
        var changed = field with
        {
            Label = Label,
            Description = Description.Length > 0 ? Description : null,
            Type = type!,
            Format = look is not null && look.Fits(type!) ? look : null,
            Default = string.IsNullOrEmpty(Default) ? null : Default,
            Hidden = !Shown,
            HiddenBecause = Shown ? null : field.HiddenBecause,
            IsRenewed = IsRenewed && !string.IsNullOrEmpty(Default),
            ReadOnly = ReadOnly,
        };
        if (FieldDefault.Value(changed, anybody, new FormulaContext(format.Clock.GetUtcNow(), format.Zone)) is Parsed.Problem wrong)
        {
            return (null, $"The default does not fit: {wrong.Message}");
        }

        return Demands.Apply(dataset with { Fields = dataset.Fields.Replace(field, changed) }, changed, format);
    }

    // A text may be written in several lines, or be one of a list; of files, some.
    private (FieldType? Type, string? Problem) TypeOf(Field field)
    {
        if (field.Type is FieldType.Files files)
        {
            return Within(MostFiles, FieldType.Files.Limit) is not { } most ? (null, $"A field holds 1 to {FieldType.Files.Limit} files.")
                : Within(MostMegabytes, FieldType.Files.LimitOfMegabytes) is not { } megabytes
                    ? (null, $"A file may have 1 to {FieldType.Files.LimitOfMegabytes} MB.")
                : (files with { Only = Only, Most = most, MostMegabytes = megabytes }, null);
        }

        if (field.Type is FieldType.Json)
        {
            var (shape, problem) = Schema.Length == 0 ? (null, null) : JsonSchema.Read(Schema);
            return problem is not null ? (null, problem) : (new FieldType.Json(shape is null ? null : Schema), null);
        }

        if (!IsText(field))
        {
            return (field.Type, null);
        }

        var length = field.Type is FieldType.Text text ? text.MaxLength : null;
        if (Kind != "choice")
        {
            return (new FieldType.Text(length, Kind == "long"), null);
        }

        ImmutableArray<string> options =
        [
            .. ListedOptions.Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).Distinct(),
        ];
        return options.IsEmpty
            ? (null, "Write the options to choose from, a line each.")
            : (field.Type is FieldType.Choice now && now.Options.SequenceEqual(options) ? field.Type : new FieldType.Choice(options), null);
    }

    /// <summary>Whether the column holds any text, so that a builder may say what kind of text it is.</summary>
    public static bool IsText(Field field) =>
        field.Formula is null
        && (
            field.Type is FieldType.Text
            || (
                field.Type is FieldType.Choice
                && (field.NativeType.StartsWith("character", StringComparison.Ordinal) || field.NativeType is "text" or "citext")
            )
        );

    private static string Number(int? number) => number?.ToString(CultureInfo.InvariantCulture) ?? "";

    private static int? Within(string typed, int limit) =>
        int.TryParse(typed, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number >= 1 && number <= limit
            ? number
            : null;

    private FormatSettings FormatSettings =>
        new(Currency, DigitsTyped, OfHundred, Yes, No, [.. Options.Select(LookOf).OfType<OptionLook>()]);

    private int? DigitsTyped =>
        Digits.Length == 0 ? 0
        : int.TryParse(Digits, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number <= 10 ? number
        : null;

    private static OptionLook? LookOf(OptionSetting option) =>
        option.Label.Length > 0 || option.Colour > 0
            ? new OptionLook(option.Option, option.Label.Length > 0 ? option.Label : null, option.Colour > 0 ? option.Colour : null)
            : null;
}
