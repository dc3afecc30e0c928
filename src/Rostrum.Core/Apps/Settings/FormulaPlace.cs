using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Settings;

/// <summary>A formula within a setting, and what is expected of it.</summary>
/// <param name="Formula">Its text, without a sign before it.</param>
public sealed record FormulaPlace(string Formula)
{
    /// <summary>It is over each record of the panel's dataset, and not only over the page.</summary>
    public bool OverRecord { get; init; }

    /// <summary>The dataset over whose records it is, where that is not the panel's.</summary>
    public DatasetId? Over { get; init; }

    /// <summary>The names that it knows beside the page's, where they are no record's: of a number, of a group's measures.</summary>
    public FormulaShape? Knows { get; init; }

    /// <summary>The type that its value must serve as; any single value where null.</summary>
    public FormulaType? Wanted { get; init; }

    /// <summary>It gives a record of this dataset.</summary>
    public DatasetId? RecordOf { get; init; }

    /// <summary>It may give a whole record as well as a single value.</summary>
    public bool OrRecord { get; init; }

    /// <summary>It may give whatever it likes: a record or a list as well.</summary>
    public bool Anything { get; init; }

    /// <summary>It gives a list of whatever.</summary>
    public bool AnyList { get; init; }

    /// <summary>It stands in a text and does not end there.</summary>
    public bool Unclosed { get; init; }

    /// <summary>It gives a list of records.</summary>
    public bool List { get; init; }

    /// <summary>Its value is put into this field, of the dataset given or else of the panel's own.</summary>
    public (DatasetId? Dataset, FieldName Field)? Into { get; init; }

    /// <summary>The steps before the one in which it stands: their results have names.</summary>
    public ImmutableArray<Step> Earlier { get; init; } = [];

    /// <summary>It stands where something failed, and may say what.</summary>
    public bool AfterFailure { get; init; }
}
