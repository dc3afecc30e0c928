using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps;

/// <summary>A page of an app.</summary>
public sealed record Page
{
    /// <summary>Its part of the address: <c>defects</c>.</summary>
    public required string Address { get; init; }

    /// <summary>What people read in the navigation.</summary>
    public required string Name { get; init; }

    /// <summary>The name of its icon; none where null.</summary>
    public string? Icon { get; init; }

    /// <summary>The group of pages among which it stands in the navigation; by itself where null.</summary>
    public string? Group { get; init; }

    /// <summary>It is not in the navigation: links and actions lead to it.</summary>
    public bool Unlisted { get; init; }

    /// <summary>What its address says to it.</summary>
    public ImmutableArray<PageParameter> Parameters { get; init; } = [];

    /// <summary>The roles whose people see it; nobody else does.</summary>
    public ImmutableArray<string> Audience { get; init; } = [];

    /// <summary>It is read again by itself after so many seconds; not at all where 0.</summary>
    public int RefreshSeconds { get; init; }

    /// <summary>What shows a record is read again once that was saved, by whomever.</summary>
    public bool RefreshOnChange { get; init; }

    /// <summary>It is read again by itself.</summary>
    public bool Refreshes => RefreshSeconds > 0 || RefreshOnChange;

    /// <summary>What stands on it.</summary>
    public required ImmutableArray<Panel> Panels { get; init; }

    /// <summary>All its panels, each before those within it.</summary>
    public IEnumerable<Panel> All => Panels.SelectMany(panel => panel.All);

    /// <summary>A panel by its name, or null.</summary>
    public Panel? Find(string name) => Panel.Find(Panels, name);

    /// <summary>The container in which a panel stands; null where that is the page itself.</summary>
    public Panel? ParentOf(string name) => Panel.ParentOf(Panels, name);

    /// <summary>The parameter by which its address says which record of a dataset it is about; null where it has none.</summary>
    public PageParameter? ParameterFor(DatasetId dataset) => Parameters.FirstOrDefault(parameter => parameter.Dataset == dataset);

    /// <summary>Whether people with these roles see it.</summary>
    public bool IsFor(IReadOnlySet<string> roles) => Audience.Any(roles.Contains);
}

/// <summary>Something that a page's address says to it: <c>?vessel=BF-101</c>. Formulas know it as <c>parameters.vessel</c>.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Type">A text, a number, a date, yes or no.</param>
/// <param name="Dataset">It names a record of this dataset by its key; the type does not count then.</param>
public sealed record PageParameter(string Name, FieldType Type, DatasetId? Dataset = null)
{
    /// <summary>The types that one can have.</summary>
    public static ImmutableArray<(string Key, string Label, FieldType Type)> Types { get; } =
    [
        ("text", "a text", new FieldType.Text()),
        ("number", "a number", new FieldType.Number()),
        ("date", "a date", new FieldType.Date()),
        ("yesNo", "yes or no", new FieldType.YesNo()),
    ];

    internal FormulaType? TypeFor(MemberTypes types) => Dataset is null ? DatasetShapes.TypeOf(Type) : types.Record(Dataset);
}
