using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Settings;

/// <summary>
/// Makes the settings of one kind of panel, page or step. What a setting holds is a value; its text is for the form's border.
/// </summary>
/// <typeparam name="T">The kind.</typeparam>
internal static class SettingsOf<T>
    where T : class
{
    /// <summary>Yes or no.</summary>
    public static Setting Toggle(string key, string label, SettingPart part, Func<T, bool> get, Func<T, bool, T> set) =>
        Setting.Of<T>(key, label, part, new SettingKind.Toggle(), of => Setting.Word(get(of)), (of, text) => set(of, text == "yes"));

    /// <summary>Yes, no, or a formula after <c>=</c>; yes where null.</summary>
    public static Setting Computed(string key, string label, SettingPart part, Func<T, string?> get, Func<T, string?, T> set) =>
        Setting.Of(key, label, part, new SettingKind.ComputedToggle(), get, (of, text) =>
            set(of, text is "yes" ? null : Setting.Blank(text))
        );

    /// <summary>A line of text, or a formula for it after <c>=</c>; null where blank.</summary>
    public static Setting Text(
        string key,
        string label,
        SettingPart part,
        Func<T, string?> get,
        Func<T, string?, T> set,
        bool overRecord = false
    ) =>
        Setting.Of(key, label, part, new SettingKind.Line(new FormulaType.Text(), overRecord), get, (of, text) =>
            set(of, Setting.Blank(text))
        );

    /// <summary>A number, or a formula for one after <c>=</c>; null where blank.</summary>
    public static Setting NumberOrFormula(string key, string label, Func<T, string?> get, Func<T, string?, T> set) =>
        Setting.Of(key, label, SettingPart.Appearance, new SettingKind.Line(new FormulaType.Number()), get, (of, text) =>
            text.Length == 0 || Apps.Computed.IsFormula(text) || Apps.Computed.Number(text) is not null
                ? set(of, Setting.Blank(text))
                : null
        );

    /// <summary>What is computed over a field; how many records there are where null.</summary>
    public static Setting Measure(Func<T, Total?> get, Func<T, Total?, T> set) =>
        Choice("measure", "Measure", SettingPart.Content, "count", FieldTotal.Offered, get, set);

    /// <summary>The period of the calendar in which records lie; any where null.</summary>
    public static Setting Period(Func<T, Period?> get, Func<T, Period?, T> set) =>
        Choice("period", "Period", SettingPart.Content, "any time", FigurePeriod.Offered, get, set);

    /// <summary>Whether that is compared with the period before.</summary>
    public static Setting CompareWithPrevious(Func<T, bool> get, Func<T, bool, T> set) =>
        Toggle("compareWithPrevious", "Compare with previous period", SettingPart.Content, get, set);

    /// <summary>A whole number.</summary>
    public static Setting Number(string key, string label, SettingPart part, int least, int most, Func<T, int> get, Func<T, int, T> set) =>
        Setting.Of<T>(
            key,
            label,
            part,
            new SettingKind.Whole(least, most),
            of => get(of).ToString(CultureInfo.InvariantCulture),
            (of, text) => set(of, int.Parse(text, CultureInfo.InvariantCulture))
        );

    /// <summary>One of the words of a closed set.</summary>
    public static Setting Choice<TWord>(
        string key,
        string label,
        SettingPart part,
        ImmutableArray<(TWord Word, string Label)> options,
        Func<T, TWord> get,
        Func<T, TWord, T> set
    )
        where TWord : struct, Enum =>
        Setting.Of<T>(
            key,
            label,
            part,
            new SettingKind.OneOf([.. options.Select(option => (Words.Of(option.Word), option.Label))]),
            of => Words.Of(get(of)),
            (of, text) => set(of, Words.Read<TWord>(text)!.Value)
        );

    /// <summary>One of the words of a closed set, or none.</summary>
    public static Setting Choice<TWord>(
        string key,
        string label,
        SettingPart part,
        string none,
        ImmutableArray<(TWord Word, string Label)> options,
        Func<T, TWord?> get,
        Func<T, TWord?, T> set
    )
        where TWord : struct, Enum =>
        Setting.Of<T>(
            key,
            label,
            part,
            new SettingKind.OneOf([("", none), .. options.Select(option => (Words.Of(option.Word), option.Label))]),
            of => get(of) is { } word ? Words.Of(word) : "",
            (of, text) => set(of, Words.Read<TWord>(text))
        );

    /// <summary>The name of an icon; none where null.</summary>
    public static Setting Icon(Func<T, string?> get, Func<T, string?, T> set) =>
        Setting.Of("icon", "Icon", SettingPart.Appearance, new SettingKind.OneOf(Icons.Offered), get, (of, text) =>
            set(of, Setting.Blank(text))
        );

    /// <summary>The dataset without which a panel cannot be.</summary>
    public static Setting Dataset(Func<T, DatasetId> get, Func<T, DatasetId, T> set) =>
        Setting.Of<T>(
            "dataset",
            "Dataset",
            SettingPart.Content,
            new SettingKind.SomeDataset(),
            of => get(of).ToString(),
            (of, text) => Guid.TryParse(text, out var id) ? set(of, new DatasetId(id)) : null
        );

    /// <summary>A dataset, or none.</summary>
    public static Setting Dataset(string label, Func<T, DatasetId?> get, Func<T, DatasetId?, T> set, bool statements = false) =>
        Setting.Of<T>(
            "dataset",
            label,
            SettingPart.Content,
            new SettingKind.SomeDataset(statements),
            of => get(of)?.ToString(),
            (of, text) => set(of, Guid.TryParse(text, out var id) ? new DatasetId(id) : null)
        );

    /// <summary>Values for the parameters of the query that is its dataset, by their names.</summary>
    public static Setting QueryParameters(
        Func<T, ImmutableDictionary<string, string>> get,
        Func<T, ImmutableDictionary<string, string>, T> set
    ) =>
        Setting.Of<T>(
            "parameters",
            "Parameters",
            SettingPart.Content,
            new SettingKind.FieldTexts(Computed: true) { OfQuery = true },
            of => SettingKind.FieldTexts.Write(get(of)),
            (of, text) => set(of, SettingKind.FieldTexts.Map(text)!.Where(pair => pair.Value.Length > 0).ToImmutableDictionary())
        );

    /// <summary>A condition over each record of its dataset; null where all are meant.</summary>
    public static Setting Filter(string label, Func<T, string?> get, Func<T, string?, T> set) =>
        Setting.Of("filter", label, SettingPart.Content, new SettingKind.Condition(), get, (of, text) => set(of, Setting.Blank(text)));

    /// <summary>The record whose related records are meant: a formula over the page; null where all are.</summary>
    public static Setting RelatedTo(Func<T, string?> get, Func<T, string?, T> set) =>
        Setting.Of("relatedTo", "Related to", SettingPart.Content, new SettingKind.SomeRecords(), get, (of, text) =>
            set(of, Setting.Blank(text))
        );

    /// <summary>One record: a formula over the page; null where none is named.</summary>
    public static Setting Record(string label, Func<T, string?> get, Func<T, string?, T> set) =>
        Setting.Of("record", label, SettingPart.Content, new SettingKind.SomeRecord(), get, (of, text) => set(of, Setting.Blank(text)));

    /// <summary>Fields of its dataset, in order.</summary>
    public static Setting Fields(
        string key,
        string label,
        Func<T, ImmutableArray<FieldName>> get,
        Func<T, ImmutableArray<FieldName>, T?> set,
        bool written = false,
        bool withComputed = false
    ) =>
        Setting.Of<T>(
            key,
            label,
            SettingPart.Content,
            new SettingKind.Fields(written, withComputed),
            of => Setting.Joined(get(of)),
            (of, text) => set(of, Setting.FieldNames(text))
        );

    /// <summary>One field of its dataset, or none.</summary>
    public static Setting Field(string key, string label, SettingKind.OneField kind, Func<T, FieldName?> get, Func<T, FieldName?, T> set) =>
        Setting.Of<T>(
            key,
            label,
            SettingPart.Content,
            kind,
            of => get(of)?.Value,
            (of, text) => set(of, text.Length == 0 ? null : new FieldName(text))
        );

    /// <summary>The picture of a record, by its field.</summary>
    public static Setting Picture(Func<T, FieldName?> get, Func<T, FieldName?, T> set) =>
        Field("picture", "Picture", new SettingKind.OneField { Pictures = true }, get, set);

    /// <summary>What fields are called in one panel.</summary>
    public static Setting Labels(
        string beside,
        Func<T, ImmutableArray<LabelOverride>> get,
        Func<T, ImmutableArray<LabelOverride>, T> set
    ) =>
        Setting.Of<T>(
            "labels",
            "Label",
            SettingPart.Content,
            new SettingKind.FieldTexts(),
            of => LabelOverride.ToText(get(of)),
            (of, text) => set(of, LabelOverride.Read(text))
        ) with
        {
            Beside = beside,
        };

    /// <summary>For each of some fields, or of some parameters, a text; none where it is blank.</summary>
    public static Setting Texts(
        string key,
        string label,
        SettingPart part,
        SettingKind.FieldTexts kind,
        Func<T, ImmutableDictionary<string, string>> get,
        Func<T, ImmutableDictionary<string, string>, T> set
    ) =>
        Setting.Of<T>(
            key,
            label,
            part,
            kind,
            of => SettingKind.FieldTexts.Write(get(of)),
            (of, text) => set(of, SettingKind.FieldTexts.Map(text)!.ToImmutableDictionary())
        );

    /// <summary>For each of some fields a value that has a text; none where it is blank.</summary>
    public static Setting ByField<TValue>(
        string key,
        string label,
        string beside,
        SettingKind.FieldTexts kind,
        Func<T, ImmutableDictionary<FieldName, TValue>> get,
        Func<T, ImmutableDictionary<FieldName, TValue>, T> set,
        Func<TValue, string> write,
        Func<string, TValue?> read
    )
        where TValue : struct =>
        Setting.Of<T>(
            key,
            label,
            SettingPart.Content,
            kind,
            of => SettingKind.FieldTexts.Write(get(of).ToDictionary(pair => pair.Key.Value, pair => write(pair.Value))),
            (of, text) =>
            {
                var given = SettingKind
                    .FieldTexts.Map(text)!
                    .Where(pair => pair.Value.Length > 0)
                    .Select(pair => (Field: new FieldName(pair.Key), Value: read(pair.Value)))
                    .ToArray();
                return given.All(pair => pair.Value is not null)
                    ? set(of, given.ToImmutableDictionary(pair => pair.Field, pair => pair.Value!.Value))
                    : null;
            }
        ) with
        {
            Beside = beside,
        };

    /// <summary>What makes records, or a figure, stand out.</summary>
    public static Setting Highlights(
        Func<T, ImmutableArray<Highlight>> get,
        Func<T, ImmutableArray<Highlight>, T> set,
        bool overValue = false
    ) =>
        Setting.Of<T>(
            "highlights",
            "Highlights",
            SettingPart.Appearance,
            new SettingKind.Highlights(overValue),
            of => SettingKind.Highlights.Write(get(of)),
            (of, text) => set(of, SettingKind.Highlights.Read(text)!.Value)
        );

    /// <summary>Actions that people choose by name.</summary>
    public static Setting Actions(
        string key,
        string label,
        SettingPart part,
        bool overRecord,
        Func<T, ImmutableArray<NamedAction>> get,
        Func<T, ImmutableArray<NamedAction>, T> set
    ) =>
        Setting.Of<T>(
            key,
            label,
            part,
            new SettingKind.NamedActions(overRecord),
            of => SettingKind.NamedActions.Write(get(of)),
            (of, text) => set(of, SettingKind.NamedActions.Read(text)!.Value)
        );

    /// <summary>Steps.</summary>
    public static Setting Steps(string key, string label, Func<T, PanelAction> get, Func<T, PanelAction, T> set) =>
        Setting.Of<T>(
            key,
            label,
            SettingPart.Behaviour,
            new SettingKind.Steps(),
            of => get(of).ToText(),
            (of, text) => set(of, PanelAction.Read(text)!)
        );

    /// <summary>A page, or a panel of one kind, by its name.</summary>
    public static Setting Named(
        string key,
        string label,
        SettingPart part,
        NamedThing thing,
        Func<T, string> get,
        Func<T, string, T> set
    ) => Setting.Of<T>(key, label, part, new SettingKind.SomeNamed(thing), get, set);
}
