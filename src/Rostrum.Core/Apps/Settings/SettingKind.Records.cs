using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Settings;

// What is chosen: of a few, datasets, fields, records.
public abstract partial record SettingKind
{
    /// <summary>One of a few.</summary>
    public sealed record OneOf(ImmutableArray<(string Value, string Label)> Options) : SettingKind
    {
        /// <inheritdoc/>
        public override FormulaType Computes => new FormulaType.Text();

        /// <inheritdoc/>
        public override bool Fits(string text) => Options.Any(option => option.Value == text);
    }

    /// <summary>A dataset, by its identity.</summary>
    /// <param name="Statements">A statement that changes data; otherwise one that has records.</param>
    public sealed record SomeDataset(bool Statements = false) : SettingKind
    {
        /// <inheritdoc/>
        public override bool Fits(string text) => text.Length == 0 || Guid.TryParse(text, out _);

        /// <inheritdoc/>
        public override IEnumerable<DatasetId> Datasets(string text) => Guid.TryParse(text, out var id) ? [new DatasetId(id)] : [];
    }

    /// <summary>Fields of the panel's dataset, in order, joined by commas.</summary>
    public sealed record Fields(bool Written = false, bool WithComputed = false) : SettingKind
    {
        /// <inheritdoc/>
        public override IEnumerable<string> FieldsNamed(string text) => Setting.Split(text);

        /// <inheritdoc/>
        public override string Without(string text, IReadOnlySet<string> fields) =>
            Setting.Joined(Setting.Split(text).Where(name => !fields.Contains(name)));
    }

    /// <summary>One field of the panel's dataset.</summary>
    public sealed record OneField(bool Number = false) : SettingKind
    {
        /// <summary>A field with a picture.</summary>
        public bool Pictures { get; init; }

        /// <summary>A field with a date or a moment.</summary>
        public bool Dates { get; init; }

        /// <inheritdoc/>
        public override FormulaType Computes => new FormulaType.Text();

        /// <inheritdoc/>
        public override IEnumerable<string> FieldsNamed(string text)
        {
            ArgumentNullException.ThrowIfNull(text);
            return !Apps.Computed.IsFormula(text) && text.TrimStart('-') is { Length: > 0 } name ? [name] : [];
        }

        /// <inheritdoc/>
        public override string Without(string text, IReadOnlySet<string> fields) => Apps.Computed.IsFormula(text) ? text : "";
    }

    /// <summary>For each of some fields a text: an object in JSON.</summary>
    /// <param name="Computed">A text that begins with <c>=</c> is a formula.</param>
    /// <param name="Into">The values are put into the fields, so that formulas must fit them.</param>
    public sealed record FieldTexts(bool Computed = false, bool Into = false) : SettingKind
    {
        /// <inheritdoc/>
        public override IEnumerable<string> FieldsNamed(string text) => Into ? Map(text)!.Keys : [];

        /// <inheritdoc/>
        public override string Without(string text, IReadOnlySet<string> fields) =>
            Write(Map(text)!.Where(pair => !fields.Contains(pair.Key)).ToDictionary());

        /// <summary>The texts are for the parameters of the query that the panel shows, in the place of fields.</summary>
        public bool OfQuery { get; init; }

        /// <summary>The texts that there can be, for fields with numbers; any text for any field where there are none.</summary>
        public ImmutableArray<(string Value, string Label)> Options { get; init; } = [];

        /// <inheritdoc/>
        public override bool Fits(string text) =>
            Map(text) is { } map && (Options.IsEmpty || map.Values.All(value => Options.Any(option => option.Value == value)));

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            !Computed ? [] : from pair in Map(text) ?? [] where Apps.Computed.IsFormula(pair.Value) select Place(pair);

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            !Computed || Map(text) is not { } map
                ? text
                : Write(
                    map.ToDictionary(
                        pair => pair.Key,
                        pair => Apps.Computed.IsFormula(pair.Value) ? "=" + rewrite(Place(pair)) : pair.Value
                    )
                );

        private FormulaPlace Place(KeyValuePair<string, string> pair) =>
            new(pair.Value[1..]) { OrRecord = true, Into = Into ? (null, new FieldName(pair.Key)) : null };

        /// <summary>The texts by their fields; null where the text is no such object.</summary>
        public static Dictionary<string, string>? Map(string text) =>
            text.Length == 0 ? [] : KindJson.Read<Dictionary<string, string>>(text);

        /// <summary>Such an object as text; blank where it is empty.</summary>
        public static string Write(IReadOnlyDictionary<string, string> map)
        {
            ArgumentNullException.ThrowIfNull(map);
            return map.Count == 0 ? "" : KindJson.Write(map);
        }
    }

    /// <summary>A condition that holds or does not for each record of the panel's dataset.</summary>
    public sealed record Condition : SettingKind
    {
        /// <inheritdoc/>
        public override bool IsOneFormula => true;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            string.IsNullOrWhiteSpace(text) ? [] : [new FormulaPlace(text) { OverRecord = true, Wanted = new FormulaType.Boolean() }];

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Formulas(text).FirstOrDefault() is { } place ? rewrite(place) : text;
    }

    /// <summary>Which record of the panel's dataset: a formula over the page.</summary>
    public sealed record SomeRecord : SettingKind
    {
        /// <inheritdoc/>
        public override bool IsOneFormula => true;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            string.IsNullOrWhiteSpace(text) ? [] : [new FormulaPlace(text) { RecordOf = default(DatasetId) }];

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Formulas(text).FirstOrDefault() is { } place ? rewrite(place) : text;
    }

    /// <summary>A list of records that belong to another: a formula over the page such as <c>vessels.selected.defects</c>.</summary>
    public sealed record SomeRecords : SettingKind
    {
        /// <inheritdoc/>
        public override bool IsOneFormula => true;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            string.IsNullOrWhiteSpace(text) ? [] : [new FormulaPlace(text) { List = true }];

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Formulas(text).FirstOrDefault() is { } place ? rewrite(place) : text;
    }
}
