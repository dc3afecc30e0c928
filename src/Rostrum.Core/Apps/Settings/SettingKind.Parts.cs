using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Settings;

// What has parts of its own: columns, highlights, lists, steps, actions.
public abstract partial record SettingKind
{
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
