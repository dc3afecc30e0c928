using System.Collections.Frozen;
using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Actions;

/// <summary>One thing that an action does.</summary>
public abstract record Step
{
    /// <summary>The name by which later steps refer to what came of it.</summary>
    public string? Name { get; init; }

    /// <summary>The name that its result has from the start; null where it has no result.</summary>
    public virtual string? ResultName => null;

    /// <summary>The dataset whose fields its settings name; null where it has none.</summary>
    public virtual Datasets.DatasetId? Of => null;

    /// <summary>The page to which it leads: it is not offered to whoever does not see that page.</summary>
    public virtual string? LeadsToPage => null;

    /// <summary>It does nothing but lead elsewhere, so that a link can stand for it.</summary>
    public virtual bool IsLink => false;

    /// <summary>The type of its result; null where it has none.</summary>
    public virtual FormulaType? Gives(MemberTypes types) => null;

    /// <summary>The same, where formulas of its own say it.</summary>
    /// <param name="types">The types of datasets' records.</param>
    /// <param name="typeOf">The type of a formula where it stands; null where it is wrong.</param>
    public virtual FormulaType? Gives(MemberTypes types, Func<string, FormulaType?> typeOf) => Gives(types);

    /// <summary>What it comes to. It reaches nothing itself.</summary>
    public abstract StepOutcome Run(IStepScope scope);

    /// <summary>What is missing or no longer there, for the builder.</summary>
    /// <param name="app">The app.</param>
    /// <param name="page">The page on which its action stands.</param>
    public virtual IEnumerable<string> Problems(AppDefinition app, Page page) => Lacking();

    /// <summary>What is missing wherever it stands, for the builder.</summary>
    public virtual IEnumerable<string> Lacking() => [];

    /// <summary>What kind it is.</summary>
    public StepKind Kind => StepKind.Of(GetType());
}

/// <summary>A step that shows something, or leads somewhere, and changes nothing.</summary>
public abstract record PageStep : Step;

/// <summary>Where steps can stand.</summary>
[Flags]
public enum StepPlaces
{
    /// <summary>In a page's action.</summary>
    Page = 1,

    /// <summary>In a workflow that runs in the background.</summary>
    Workflow = 2,

    /// <summary>In a workflow that runs before a save, which waits for it.</summary>
    Save = 4,
}

/// <summary>A class of steps says here what it is. That it does is all it takes to be known.</summary>
public interface IStepKind
{
    /// <summary>What the class is.</summary>
    static abstract StepKind Kind { get; }
}

/// <summary>What there is to know of one kind of step.</summary>
/// <param name="Label">What builders read.</param>
/// <param name="Make">A new one.</param>
/// <param name="Settings">What can be said of it.</param>
public sealed record StepKind(string Label, Func<Step> Make, ImmutableArray<Setting> Settings)
{
    private static readonly Lazy<FrozenDictionary<Type, StepKind>> Known = new(() =>
        DeclaredKinds.Of<StepKind>(typeof(IStepKind), (kind, name) => kind with { Name = name })
    );

    /// <summary>The name in documents.</summary>
    public string Name { get; private init; } = "";

    /// <summary>Where it can stand.</summary>
    public StepPlaces Places { get; init; } = StepPlaces.Page;

    /// <summary>The name of its icon.</summary>
    public string Icon { get; init; } = "dot";

    /// <summary>The kinds that can stand in a place, in the order of their labels.</summary>
    public static IEnumerable<StepKind> For(StepPlaces place) => All.Where(kind => kind.Places.HasFlag(place));

    /// <summary>All kinds, in the order of their labels.</summary>
    public static IEnumerable<StepKind> All => Known.Value.Values.OrderBy(kind => kind.Label, StringComparer.Ordinal);

    /// <summary>The kind of a class of steps.</summary>
    public static StepKind Of(Type step) => Known.Value[step];

    /// <summary>The kind of a name; null where there is none.</summary>
    public static StepKind? Find(string name) => Known.Value.Values.FirstOrDefault(kind => kind.Name == name);
}
