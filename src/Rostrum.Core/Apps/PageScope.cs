using System.Collections.Immutable;
using System.Runtime.CompilerServices;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps;

/// <summary>A member of a panel, or a parameter of the page: what formulas of a page can depend on.</summary>
/// <param name="Panel">The panel's name; <see cref="PageScope.Parameters"/> for a parameter.</param>
/// <param name="Member">The name after the dot.</param>
public readonly record struct PageValue(string Panel, string Member);

/// <summary>
/// The names that formulas of a page have: its panels, its parameters, and who is signed in. What they stand for, each look at the page
/// says with its <see cref="PageValues"/>.
/// </summary>
public sealed class PageScope
{
    /// <summary>The name of the page's parameters.</summary>
    public const string Parameters = "parameters";

    /// <summary>The name of what went wrong, for steps that follow a failure.</summary>
    public const string Failure = "failure";

    private static readonly FormulaShape Nothing = new("page", []);

    /// <summary>What a formula over one number knows.</summary>
    public static readonly FormulaShape OfValue = new("value", [new("value", new FormulaType.Number())]);

    /// <summary>What a formula over the measures of a group knows.</summary>
    public static readonly FormulaShape OfMeasures = new(
        "measures",
        [new("measure", new FormulaType.Number()), new("second_measure", new FormulaType.Number())]
    );

    /// <summary>What a failure says of itself.</summary>
    public static readonly FormulaShape FailureShape = new("failure", [new("message", new FormulaType.Text())]);

    // Where formulas stand in a panel is found once, as a panel never changes: what is edited is another one.
    private static readonly ConditionalWeakTable<Panel, (Setting Setting, FormulaPlace Place)[]> Places = [];

    // What was found out about a page holds for everybody with the same rights, for as long as the page and the datasets are what they are.
    private static readonly ConditionalWeakTable<
        DatasetShapes,
        ConditionalWeakTable<FormulaNames, ConditionalWeakTable<Page, PageScope>>
    > Known = [];

    private readonly DatasetCatalogue _catalogue;
    private readonly DatasetShapes _shapes;
    private readonly MemberTypes _types;
    private readonly Dictionary<string, (FormulaShape Shape, ImmutableArray<PanelMember> Members)> _panels = new(
        StringComparer.OrdinalIgnoreCase
    );
    private readonly Lazy<PageGraph> _graph;
    private readonly Lazy<Dictionary<PageValue, FormulaNeeds>> _needs;

    private PageScope(Page page, DatasetCatalogue catalogue, DatasetShapes shapes, ImmutableDictionary<string, FormulaType> names)
    {
        (Page, _catalogue, _shapes, _types) = (page, catalogue, shapes, new MemberTypes(catalogue, shapes));
        foreach (var panel in page.All)
        {
            Add(panel.Name, [.. panel.Members(_types)]);
        }

        Add(
            Parameters,
            [
                .. from parameter in page.Parameters
                let type = parameter.TypeFor(_types)
                where type is not null
                select new PanelMember(parameter.Name, type),
            ]
        );
        Names = new FormulaNames(
            names.AddRange(
                from panel in _panels
                where !names.ContainsKey(panel.Key)
                select KeyValuePair.Create(panel.Key, (FormulaType)new FormulaType.Record(panel.Value.Shape))
            )
        );
        _graph = new(() => new PageGraph(this));
        _needs = new(Needs);
    }

    /// <summary>The names of a page.</summary>
    /// <param name="page">The page.</param>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="shapes">The names of their records, as far as the person's rights reach.</param>
    /// <param name="user">Who is signed in: what is kept of each person counts, not whose it is.</param>
    public static PageScope Of(Page page, DatasetCatalogue catalogue, DatasetShapes shapes, SignedIn? user)
    {
        ArgumentNullException.ThrowIfNull(page);
        var names = SignedIn.Names(user);
        return Known
            .GetOrCreateValue(shapes)
            .GetOrCreateValue(names)
            .GetValue(page, known => new PageScope(known, catalogue, shapes, names.Types));
    }

    /// <summary>The page.</summary>
    public Page Page { get; }

    /// <summary>The names and their types.</summary>
    public FormulaNames Names { get; }

    /// <summary>The shapes with which formulas are checked: requests that use the names must share them.</summary>
    public DatasetShapes Shapes => _shapes;

    /// <summary>What depends on what.</summary>
    public PageGraph Graph => _graph.Value;

    /// <summary>What the page's formulas read of the records that panels' members stand for.</summary>
    public IReadOnlyDictionary<PageValue, FormulaNeeds> ReadOfRecords => _needs.Value;

    /// <summary>A panel's members.</summary>
    public ImmutableArray<PanelMember> MembersOf(string panel) => _panels.TryGetValue(panel, out var known) ? known.Members : [];

    /// <summary>The panels and the parameters, each as a shape.</summary>
    internal IEnumerable<KeyValuePair<string, FormulaShape>> PanelShapes =>
        _panels.Select(panel => KeyValuePair.Create(panel.Key, panel.Value.Shape));

    /// <summary>Checks a formula of a panel.</summary>
    /// <param name="panel">The panel.</param>
    /// <param name="place">The formula and what is expected of it.</param>
    public CheckedFormula Check(Panel panel, FormulaPlace place)
    {
        ArgumentNullException.ThrowIfNull(panel);
        ArgumentNullException.ThrowIfNull(place);
        var shape =
            place.Knows is { } known ? known
            : place.OverRecord && _types.Dataset(place.Over ?? panel.Of) is { } dataset ? _shapes.Of(dataset).Shape
            : Nothing;
        return place is { Earlier.IsEmpty: true, AfterFailure: false }
            ? Names.Check(shape, place.Formula)
            : Checker.Check(Parser.Parse(place.Formula), shape, NamesAt(place));
    }

    /// <summary>What keeps a formula from being what its place expects; null where nothing does.</summary>
    public string? Problem(Panel panel, FormulaPlace place, CheckedFormula formula)
    {
        ArgumentNullException.ThrowIfNull(panel);
        ArgumentNullException.ThrowIfNull(place);
        ArgumentNullException.ThrowIfNull(formula);
        if (place.List && formula.Tree is not null && !place.Unclosed)
        {
            var wanted = _types.Record(panel.Of);
            return wanted is null || Whose(panel, formula) is not null
                ? null
                : $"It should end in the {_types.Dataset(panel.Of)!.LabelInSentence} of one record, such as "
                    + $"“vessels.selected.{_types.Dataset(panel.Of)!.Name}”.";
        }

        return FormulaFit.Problem(_types, panel.Of, place, formula);
    }

    /// <summary>
    /// Of a formula for a list of related records: the formula of the one record to which they belong, and the relation by which; null
    /// where it is none.
    /// </summary>
    public (Typed Record, Relation Relation)? Whose(Panel panel, CheckedFormula formula)
    {
        ArgumentNullException.ThrowIfNull(panel);
        ArgumentNullException.ThrowIfNull(formula);
        return
            formula.Tree is Typed.Member { Type: FormulaType.List, Of: { Type: FormulaType.Record { Shape: var shape } } one } list
            && _panels.Values.All(known => !ReferenceEquals(known.Shape, shape))
            && _shapes.Of(shape)[list.Index] is ShapeMember.ToMany many
            && many.From.Dataset.Id == panel.Of
            ? (one, many.Relation)
            : null;
    }

    /// <summary>The members on which a formula depends.</summary>
    public IEnumerable<PageValue> Reads(CheckedFormula formula)
    {
        ArgumentNullException.ThrowIfNull(formula);
        return (
            from reference in formula.References
            from known in _panels
            where ReferenceEquals(known.Value.Shape, reference.Shape)
            select new PageValue(known.Key, known.Value.Members[reference.Index].Name)
        ).Distinct();
    }

    /// <summary>The datasets whose records a formula looks at.</summary>
    public IEnumerable<DatasetId> Datasets(CheckedFormula formula)
    {
        ArgumentNullException.ThrowIfNull(formula);
        return (
            from reference in formula.References
            where _panels.Values.All(known => !ReferenceEquals(known.Shape, reference.Shape)) && _shapes.Knows(reference.Shape)
            select _shapes.Of(reference.Shape).Dataset.Id
        ).Distinct();
    }

    /// <summary>Every formula of a panel's settings, checked.</summary>
    public IEnumerable<(Setting Setting, FormulaPlace Place, CheckedFormula Formula)> Formulas(Panel panel)
    {
        ArgumentNullException.ThrowIfNull(panel);
        return from known in Places.GetValue(panel, PlacesOf) select (known.Setting, known.Place, Check(panel, known.Place));
    }

    private static (Setting Setting, FormulaPlace Place)[] PlacesOf(Panel panel) =>
        [.. from setting in panel.Kind.Settings from place in setting.Kind.Formulas(setting.Get(panel)) select (setting, place)];

    /// <summary>The names at a place: those of the page, and what comes of the steps before it.</summary>
    private ImmutableDictionary<string, FormulaType> NamesAt(FormulaPlace place)
    {
        var names = Names.Types;
        foreach (var step in place.Earlier)
        {
            if (step is { Name: { Length: > 0 } name } && step.Gives(_types) is { } type)
            {
                names = names.SetItem(name, type);
            }
        }

        return place.AfterFailure ? names.SetItem(Failure, new FormulaType.Record(FailureShape)) : names;
    }

    // A record that a panel shows is looked at where it is shown, and so is the one that it was found by: it takes as many rounds as there
    // may be such panels in a row.
    private Dictionary<PageValue, FormulaNeeds> Needs()
    {
        var formulas = Page
            .All.SelectMany(panel =>
                Formulas(panel)
                    .Where(formula => formula.Formula.Tree is not null)
                    .Select(formula => (Panel: panel, formula.Place, formula.Formula))
            )
            .ToArray();
        var needs = Needs(formulas.Select(formula => Looks(formula.Panel, formula.Place, formula.Formula, null)));
        for (var through = 0; through < Page.All.Count(panel => panel.RecordMember is not null); through++)
        {
            var known = needs;
            needs = Needs(formulas.Select(formula => Looks(formula.Panel, formula.Place, formula.Formula, known)));
        }

        return needs;
    }

    // What a formula looks at, and what is read of its value where that is a record. Of a list of related records it is the one to which
    // they belong; of a record that another panel shows, what is looked at there.
    private (Typed Formula, FormulaNeeds? OfValue) Looks(
        Panel panel,
        FormulaPlace place,
        CheckedFormula formula,
        Dictionary<PageValue, FormulaNeeds>? known
    )
    {
        if (place.List && Whose(panel, formula) is { } whose)
        {
            var needs = new FormulaNeeds();
            needs.Values.Add(((FormulaType.Record)whose.Record.Type).Shape.IndexOf(whose.Relation.TargetField.Value));
            return (whose.Record, needs);
        }

        return (
            formula.Tree!,
            panel.RecordMember is { } member && place.RecordOf is not null
                ? known?.GetValueOrDefault(new PageValue(panel.Name, member))
                : null
        );
    }

    private Dictionary<PageValue, FormulaNeeds> Needs(IEnumerable<(Typed Formula, FormulaNeeds? OfValue)> formulas)
    {
        var roots = _panels.Values.ToDictionary(known => known.Shape, _ => new FormulaNeeds());
        foreach (var (formula, ofValue) in formulas)
        {
            foreach (
                var part in FormulaNeeds.Visit(formula, given =>
                    given.Type is FormulaType.Record { Shape: var shape } ? roots.GetValueOrDefault(shape) : null
                )
            )
            {
                part.Add(ofValue ?? new FormulaNeeds());
            }
        }

        return (
            from known in _panels
            from record in roots[known.Value.Shape].Records.Concat(roots[known.Value.Shape].Lists)
            select (Value: new PageValue(known.Key, known.Value.Members[record.Key].Name), Needs: record.Value)
        ).ToDictionary(pair => pair.Value, pair => pair.Needs);
    }

    private void Add(string name, ImmutableArray<PanelMember> members)
    {
        var shape = new FormulaShape(name, members.Select(member => KeyValuePair.Create(member.Name, member.Type)));
        _panels.TryAdd(name, (shape, members));
    }
}
