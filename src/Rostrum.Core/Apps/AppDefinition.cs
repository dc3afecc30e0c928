using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps;

/// <summary>What a builder makes: pages of panels. The first page is the app's home.</summary>
public sealed record AppDefinition(string Name, ImmutableArray<Page> Pages)
{
    /// <summary>A page by its address, or null.</summary>
    public Page? Find(string address) => Pages.FirstOrDefault(page => page.Address == address);

    /// <summary>The datasets that its panels refer to.</summary>
    public IEnumerable<DatasetId> Datasets => Pages.SelectMany(page => page.Panels).SelectMany(panel => panel.Datasets).Distinct();
}

/// <summary>A page of an app.</summary>
public sealed record Page
{
    /// <summary>Its part of the address: <c>defects</c>.</summary>
    public required string Address { get; init; }

    /// <summary>What people read in the navigation.</summary>
    public required string Name { get; init; }

    /// <summary>The roles whose people see it; nobody else does.</summary>
    public ImmutableArray<string> Audience { get; init; } = [];

    /// <summary>What stands on it.</summary>
    public required ImmutableArray<Panel> Panels { get; init; }

    /// <summary>Whether people with these roles see it.</summary>
    public bool IsFor(IReadOnlySet<string> roles) => Audience.Any(roles.Contains);
}

/// <summary>A piece of a page.</summary>
public abstract record Panel
{
    /// <summary>The name by which the page's state and formulas refer to it.</summary>
    public required string Name { get; init; }

    /// <summary>The datasets that it reads.</summary>
    public abstract IEnumerable<DatasetId> Datasets { get; }
}

/// <summary>A dataset's records as a table; a record opens in a sheet beside it, with a form.</summary>
public sealed record TablePanel : Panel
{
    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>The fields shown as columns, in order.</summary>
    public required ImmutableArray<FieldName> Columns { get; init; }

    /// <summary>The fields of the record's sheet, in order.</summary>
    public required ImmutableArray<FieldName> SheetFields { get; init; }

    /// <summary>The order until a person chooses another.</summary>
    public ImmutableArray<SortBy> Sort { get; init; } = [];

    /// <summary>Records a page.</summary>
    public int PageSize { get; init; } = 50;

    /// <inheritdoc/>
    public override IEnumerable<DatasetId> Datasets => [Dataset];
}
