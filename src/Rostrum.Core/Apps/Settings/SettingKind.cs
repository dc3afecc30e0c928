using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Settings;

/// <summary>What a setting's text can be, and which formulas and names stand in it.</summary>
public abstract record SettingKind
{
    private SettingKind() { }

    /// <summary>Whether a text is one of this kind.</summary>
    public virtual bool Fits(string text) => true;

    /// <summary>What a formula in its place gives, where a panel's setting can be one after <c>=</c> in the place of its value.</summary>
    public virtual FormulaType? Computes => null;

    /// <summary>A formula's value as a setting's text; null where it is blank.</summary>
    public static string? TextOf(object? value) =>
        value switch
        {
            null => null,
            bool yes => Setting.Word(yes),
            decimal number => decimal.Round(number).ToString("0", CultureInfo.InvariantCulture),
            _ => Convert.ToString(value, CultureInfo.InvariantCulture),
        };

    /// <summary>The formulas in a text.</summary>
    public virtual IEnumerable<FormulaPlace> Formulas(string text) =>
        Computes is { } type && Apps.Computed.IsFormula(text) ? [new FormulaPlace(text[1..]) { Wanted = type }] : [];

    /// <summary>The text with each formula replaced.</summary>
    public virtual string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
        Computes is not null && Formulas(text).FirstOrDefault() is { } place ? "=" + rewrite(place) : text;

    /// <summary>The text with another name for something to which it refers by name.</summary>
    public virtual string Renamed(string text, NamedThing thing, string from, string to) => text;

    /// <summary>The datasets that a text names.</summary>
    public virtual IEnumerable<DatasetId> Datasets(string text) => [];

    /// <summary>The fields of the panel's dataset that a text names.</summary>
    public virtual IEnumerable<string> FieldsNamed(string text) => [];

    /// <summary>The text without some of those fields.</summary>
    public virtual string Without(string text, IReadOnlySet<string> fields) => text;

    /// <summary>Its text is one formula, or may be one.</summary>
    public virtual bool IsOneFormula => Computes is not null;

    /// <summary>Its text holds actions.</summary>
    public virtual bool HoldsActions => false;

    /// <summary>The actions in a text.</summary>
    public virtual IEnumerable<PanelAction> Actions(string text) => [];

    /// <summary>A line of text. Where it can be computed, one that begins with <c>=</c> is a formula.</summary>
    /// <param name="Computed">The type that its formula gives; null where it is no formula.</param>
    /// <param name="OverRecord">It knows each record of the panel's dataset.</param>
    /// <param name="Knows">Other names that it knows.</param>
    public sealed record Line(FormulaType? Computed = null, bool OverRecord = false, FormulaShape? Knows = null) : SettingKind
    {
        /// <inheritdoc/>
        public override bool IsOneFormula => Computed is not null;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            Computed is not null && Apps.Computed.IsFormula(text)
                ?
                [
                    new FormulaPlace(text[1..])
                    {
                        Wanted = Computed,
                        OverRecord = OverRecord,
                        Knows = Knows,
                    },
                ]
                : [];

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Formulas(text).FirstOrDefault() is { } place ? "=" + rewrite(place) : text;
    }

    /// <summary>Several lines of text.</summary>
    public sealed record Lines : SettingKind;

    /// <summary>A program, as text.</summary>
    public sealed record Script : SettingKind;

    /// <summary>Times as cron has them.</summary>
    public sealed record CronTimes : SettingKind;

    /// <summary>One formula, without a sign before it; none where blank.</summary>
    /// <param name="Wanted">The type that it gives; any single value where null.</param>
    public sealed record Formula(FormulaType? Wanted) : SettingKind
    {
        /// <summary>It gives a list.</summary>
        public bool IsList { get; init; }

        /// <summary>It may give anything: a record or a list as well.</summary>
        public bool IsAnything { get; init; }

        /// <inheritdoc/>
        public override bool IsOneFormula => true;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            string.IsNullOrWhiteSpace(text)
                ? []
                :
                [
                    new FormulaPlace(text)
                    {
                        Wanted = Wanted,
                        Anything = IsList || IsAnything,
                        AnyList = IsList,
                    },
                ];

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Formulas(text).FirstOrDefault() is { } place ? rewrite(place) : text;
    }

    /// <summary>Formulas, one a line.</summary>
    public sealed record Cases : SettingKind
    {
        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            Read(text).Where(line => line.Length > 0).Select(line => new FormulaPlace(line));

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Write(Read(text).Select(line => line.Length > 0 ? rewrite(new FormulaPlace(line)) : line));

        /// <summary>The formulas.</summary>
        public static ImmutableArray<string> Read(string text)
        {
            ArgumentNullException.ThrowIfNull(text);
            return [.. text.ReplaceLineEndings("\n").Split('\n').Select(line => line.Trim())];
        }

        /// <summary>Formulas as text.</summary>
        public static string Write(IEnumerable<string> cases) => string.Join('\n', cases);
    }

    /// <summary>Names, each with a text or a formula after <c>=</c>: an object in JSON.</summary>
    public sealed record NamedTexts : SettingKind
    {
        private static readonly FieldTexts Texts = new(Computed: true);

        /// <inheritdoc/>
        public override bool Fits(string text) => Texts.Fits(text);

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            Texts.Formulas(text).Select(place => place with { Anything = true });

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) => Texts.Rewritten(text, rewrite);
    }

    /// <summary>Lines across a chart, one on each line of text: a label, a colon, and a number or a formula after <c>=</c>.</summary>
    public sealed record ReferenceLines : SettingKind
    {
        /// <inheritdoc/>
        public override bool Fits(string text) => ReferenceLine.Read(text) is not null;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            from line in ReferenceLine.Read(text) ?? []
            where Apps.Computed.IsFormula(line.Value)
            select Place(line.Value[1..]);

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            ReferenceLine.Write(
                (ReferenceLine.Read(text) ?? []).Select(line =>
                    Apps.Computed.IsFormula(line.Value) ? line with { Value = "=" + rewrite(Place(line.Value[1..])) } : line
                )
            );

        private static FormulaPlace Place(string formula) => new(formula) { Wanted = new FormulaType.Number() };
    }

    /// <summary>The roles that see a page, joined by commas.</summary>
    public sealed record Roles : SettingKind;

    /// <summary>What a page's address says to it, in JSON.</summary>
    public sealed record Parameters : SettingKind;

    /// <summary>A value of whatever type is wanted there, or a formula after <c>=</c>.</summary>
    public sealed record AnyValue : SettingKind
    {
        /// <inheritdoc/>
        public override bool IsOneFormula => true;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            Apps.Computed.IsFormula(text) ? [new FormulaPlace(text[1..]) { OrRecord = true }] : [];

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Formulas(text).FirstOrDefault() is { } place ? "=" + rewrite(place) : text;
    }

    /// <summary>Markdown with <c>${formulas}</c> in it.</summary>
    public sealed record Prose : SettingKind
    {
        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            Core
                .Formulas.Template.Parse(text)
                .Parts.OfType<TemplatePart.Formula>()
                .Select(part => new FormulaPlace(part.Parsed.Text) { Unclosed = part.Start + 2 + part.Parsed.Text.Length >= text.Length });

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite)
        {
            foreach (var part in Core.Formulas.Template.Parse(text).Parts.OfType<TemplatePart.Formula>().Reverse())
            {
                text = string.Concat(
                    text.AsSpan(0, part.Start + 2),
                    rewrite(new FormulaPlace(part.Parsed.Text)),
                    text.AsSpan(part.Start + 2 + part.Parsed.Text.Length)
                );
            }

            return text;
        }
    }

    /// <summary>A line of text with <c>${formulas}</c> in it.</summary>
    public sealed record Template : SettingKind
    {
        private static readonly Prose Text = new();

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) => Text.Formulas(text);

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) => Text.Rewritten(text, rewrite);
    }

    /// <summary>A whole number.</summary>
    public sealed record Whole(int Least, int Most) : SettingKind
    {
        /// <inheritdoc/>
        public override FormulaType Computes => new FormulaType.Number();

        /// <inheritdoc/>
        public override bool Fits(string text) =>
            int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number >= Least && number <= Most;
    }

    /// <summary>Yes or no.</summary>
    public sealed record Toggle : SettingKind
    {
        /// <inheritdoc/>
        public override FormulaType Computes => new FormulaType.Boolean();

        /// <inheritdoc/>
        public override bool Fits(string text) => text is "yes" or "no";
    }

    /// <summary>Yes, no, or a formula after <c>=</c> that is true or false. Blank is yes.</summary>
    public sealed record ComputedToggle : SettingKind
    {
        /// <inheritdoc/>
        public override bool IsOneFormula => true;

        private static readonly Line Text = new(new FormulaType.Boolean());

        /// <inheritdoc/>
        public override bool Fits(string text) => text is "" or "yes" or "no" || Apps.Computed.IsFormula(text);

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) => Text.Formulas(text);

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) => Text.Rewritten(text, rewrite);
    }

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

    /// <summary>Columns that formulas give, in JSON.</summary>
    public sealed record ComputedColumns : SettingKind
    {
        /// <inheritdoc/>
        public override bool Fits(string text) =>
            Read(text) is { } columns
            && columns.All(column => column is { Name.Value.Length: > 0, Label.Length: > 0 })
            && columns.DistinctBy(column => column.Name).Count() == columns.Length;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            (Read(text) ?? []).Select(column => new FormulaPlace(column.Formula) { OverRecord = true });

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Write([
                .. (Read(text) ?? []).Select(column =>
                    column with
                    {
                        Formula = rewrite(new FormulaPlace(column.Formula) { OverRecord = true }),
                    }
                ),
            ]);

        /// <summary>The columns; null where the text has none of their form.</summary>
        public static ImmutableArray<PanelColumn>? Read(string text) =>
            text.Length == 0 ? []
            : KindJson.Read<PanelColumn[]>(text) is { } columns ? [.. columns]
            : null;

        /// <summary>Columns as text; blank where there are none.</summary>
        public static string Write(ImmutableArray<PanelColumn> columns) => columns.IsEmpty ? "" : KindJson.Write(columns);
    }

    /// <summary>What makes records stand out, in JSON.</summary>
    /// <param name="OverValue">The conditions are over one number, <c>value</c>, and not over records.</param>
    public sealed record Highlights(bool OverValue = false) : SettingKind
    {
        /// <inheritdoc/>
        public override bool Fits(string text) => Read(text) is not null;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) => (Read(text) ?? []).Select(tone => Place(tone.When));

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Write([.. (Read(text) ?? []).Select(tone => tone with { When = rewrite(Place(tone.When)) })]);

        /// <summary>The highlights; null where the text has none of their form.</summary>
        public static ImmutableArray<Highlight>? Read(string text) =>
            text.Length == 0 ? []
            : KindJson.Read<Highlight[]>(text) is { } highlights ? [.. highlights]
            : null;

        /// <summary>Highlights as text; blank where there are none.</summary>
        public static string Write(ImmutableArray<Highlight> highlights) => highlights.IsEmpty ? "" : KindJson.Write(highlights);

        private FormulaPlace Place(string when) =>
            new(when)
            {
                OverRecord = !OverValue,
                Knows = OverValue ? PageScope.OfValue : null,
                Wanted = new FormulaType.Boolean(),
            };
    }

    /// <summary>Views of a table, in JSON.</summary>
    public sealed record Views : SettingKind
    {
        /// <inheritdoc/>
        public override bool Fits(string text) =>
            Read(text) is { } views
            && views.All(view => view.Name.Length is > 0 and <= SavedView.LongestName)
            && views.DistinctBy(view => view.Name).Count() == views.Length;

        /// <summary>The views; null where the text has none of their form.</summary>
        public static ImmutableArray<SavedView>? Read(string text) =>
            text.Length == 0 ? []
            : KindJson.Read<SavedView[]>(text) is { } views ? [.. views]
            : null;

        /// <summary>Views as text; blank where there are none.</summary>
        public static string Write(ImmutableArray<SavedView> views) => views.IsEmpty ? "" : KindJson.Write(views);
    }

    /// <summary>What belongs to each record, in JSON.</summary>
    public sealed record NestedLists : SettingKind
    {
        /// <inheritdoc/>
        public override bool Fits(string text) =>
            Read(text) is { } lists
            && lists
                .SelectMany(list => list.All)
                .All(list => list is { Relation.Length: > 0, Most: >= 1 and <= 100, Fields.IsDefault: false });

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            from list in (Read(text) ?? []).SelectMany(list => list.All)
            where list.Filter is not null
            select Place(list);

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite)
        {
            NestedList Each(NestedList list) =>
                list with
                {
                    Filter = list.Filter is null ? null : rewrite(Place(list)),
                    Nested = [.. list.Nested.Select(Each)],
                };
            return Write([.. (Read(text) ?? []).Select(Each)]);
        }

        /// <inheritdoc/>
        public override IEnumerable<DatasetId> Datasets(string text) =>
            (Read(text) ?? []).SelectMany(list => list.All).Select(list => list.Dataset);

        /// <summary>The lists; null where the text has none of their form.</summary>
        public static ImmutableArray<NestedList>? Read(string text) =>
            text.Length == 0 ? []
            : KindJson.Read<NestedList[]>(text) is { } lists && lists.All(Sound) ? [.. lists]
            : null;

        /// <summary>Lists as text; blank where there are none.</summary>
        public static string Write(ImmutableArray<NestedList> lists) => lists.IsEmpty ? "" : KindJson.Write(lists);

        private static bool Sound(NestedList? list) => list is { Nested.IsDefault: false } && list.Nested.All(Sound);

        private static FormulaPlace Place(NestedList list) =>
            new(list.Filter!)
            {
                OverRecord = true,
                Over = list.Dataset,
                Wanted = new FormulaType.Boolean(),
            };
    }

    /// <summary>What happens: steps, in JSON.</summary>
    /// <param name="OverRecord">They know the record beside which they stand.</param>
    public sealed record Steps(bool OverRecord = false) : SettingKind
    {
        /// <inheritdoc/>
        public override bool HoldsActions => true;

        /// <inheritdoc/>
        public override bool Fits(string text) => PanelAction.Read(text) is not null;

        /// <inheritdoc/>
        public override IEnumerable<PanelAction> Actions(string text) => PanelAction.Read(text) is { } action ? [action] : [];

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) => PanelAction.Read(text)?.Formulas(OverRecord) ?? [];

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            PanelAction.Read(text) is { } action ? action.Rewritten(OverRecord, rewrite).ToText() : text;

        /// <inheritdoc/>
        public override string Renamed(string text, NamedThing thing, string from, string to) =>
            PanelAction.Read(text) is { } action ? action.Renamed(thing, from, to).ToText() : text;

        /// <inheritdoc/>
        public override IEnumerable<DatasetId> Datasets(string text) => PanelAction.Read(text)?.Datasets ?? [];
    }

    /// <summary>Actions that people choose by name, in JSON.</summary>
    public sealed record NamedActions(bool OverRecord) : SettingKind
    {
        /// <inheritdoc/>
        public override bool HoldsActions => true;

        /// <inheritdoc/>
        public override bool Fits(string text) =>
            Read(text) is { } actions
            && actions.All(action => !string.IsNullOrWhiteSpace(action.Label))
            && actions.DistinctBy(action => action.Label).Count() == actions.Length;

        /// <inheritdoc/>
        public override IEnumerable<PanelAction> Actions(string text) => (Read(text) ?? []).Select(action => action.Does);

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            (Read(text) ?? []).SelectMany(action => action.Formulas(OverRecord));

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Write([.. (Read(text) ?? []).Select(action => action.Rewritten(OverRecord, rewrite))]);

        /// <inheritdoc/>
        public override string Renamed(string text, NamedThing thing, string from, string to) =>
            Write([.. (Read(text) ?? []).Select(action => action with { Does = action.Does.Renamed(thing, from, to) })]);

        /// <inheritdoc/>
        public override IEnumerable<DatasetId> Datasets(string text) => (Read(text) ?? []).SelectMany(action => action.Does.Datasets);

        /// <summary>The actions; null where the text has none of their form.</summary>
        public static ImmutableArray<NamedAction>? Read(string text) =>
            text.Length == 0 ? []
            : KindJson.Read<NamedAction[]>(text) is { } actions
            && actions.All(action => action.Does is { Steps.IsDefault: false, OnFailure.IsDefault: false })
                ? [.. actions]
            : null;

        /// <summary>Actions as text; blank where there are none.</summary>
        public static string Write(ImmutableArray<NamedAction> actions) => actions.IsEmpty ? "" : KindJson.Write(actions);
    }

    /// <summary>Something that has a name: a page, or a panel of one kind.</summary>
    public sealed record SomeNamed(NamedThing Thing) : SettingKind
    {
        /// <inheritdoc/>
        public override string Renamed(string text, NamedThing thing, string from, string to) =>
            text == from && (thing is NamedThing.Page ? Thing is NamedThing.Page : NamesPanel) ? to : text;

        private bool NamesPanel => Thing is NamedThing.Opening or NamedThing.Input or NamedThing.Table;
    }
}

/// <summary>What a name in a setting can stand for.</summary>
public enum NamedThing
{
    /// <summary>A page, by its address.</summary>
    Page,

    /// <summary>A sheet or a dialog.</summary>
    Opening,

    /// <summary>An input.</summary>
    Input,

    /// <summary>A table.</summary>
    Table,

    /// <summary>A secret.</summary>
    Secret,

    /// <summary>A role.</summary>
    Role,

    /// <summary>An API among the sources.</summary>
    Api,

    /// <summary>A workflow that runs on demand.</summary>
    Workflow,

    /// <summary>A workflow that saves what was typed into a table of the panel's dataset.</summary>
    SavingWorkflow,

    /// <summary>A step within the step.</summary>
    InnerStep,

    /// <summary>A field of the dataset that a workflow's trigger has.</summary>
    TriggerField,
}
