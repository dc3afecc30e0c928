using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>How one person has one table: hidden columns, widths, views.</summary>
public sealed class StoredPersonalTable
{
    public Guid PersonId { get; set; }

    /// <summary>The app's address.</summary>
    public required string App { get; set; }

    /// <summary>The page's address.</summary>
    public required string Page { get; set; }

    /// <summary>The table's name.</summary>
    public required string Panel { get; set; }

    public required PersonalTable View { get; set; }
}

/// <summary>What a person has otherwise in a table than its builder.</summary>
public sealed record PersonalTable
{
    public static PersonalTable AsBuilt { get; } = new();

    /// <summary>Columns that are not shown.</summary>
    public ImmutableArray<FieldName> Hidden { get; init; } = [];

    /// <summary>How wide columns are, in characters.</summary>
    public ImmutableDictionary<string, int> Widths { get; init; } = ImmutableDictionary<string, int>.Empty;

    /// <summary>How high rows are; as built where null.</summary>
    public Density? Density { get; init; }

    /// <summary>The person's own views of it.</summary>
    public ImmutableArray<SavedView> Views { get; init; } = [];

    /// <summary>The view of a name, of the person's own or of those for everybody, and the table as it is shown under it.</summary>
    public (SavedView? View, PersonalTable Shown) Under(string? name, ImmutableArray<SavedView> shared) =>
        Views.Concat(shared).FirstOrDefault(view => view.Name == name) is { } view
            ? (view, this with { Hidden = view.Hidden, Density = view.Density })
            : (null, this);
}
