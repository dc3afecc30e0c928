using System.Collections.Immutable;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Actions;

/// <summary>What came of an action.</summary>
/// <param name="State">The page as it is then.</param>
internal sealed record ActionOutcome(PageState State)
{
    /// <summary>The datasets whose records were changed.</summary>
    public ImmutableArray<DatasetId> Changed { get; init; } = [];

    public (DatasetId Dataset, RecordKey Key)? Marked { get; init; }

    /// <summary>What is said in the bar at the foot.</summary>
    public string? Said { get; init; }

    /// <summary>The run that it began, and that goes on in the background.</summary>
    public AppPageModel.Message? GoesOn { get; init; }

    /// <summary>Takes back what was changed.</summary>
    public Guid? Undo { get; init; }

    /// <summary>The page to which it leads, with its parameters.</summary>
    public string? GoTo { get; init; }

    /// <summary>Every panel is to be read again.</summary>
    public bool Everything { get; init; }

    /// <summary>What the browser does then.</summary>
    public ImmutableArray<BrowserEffect> InBrowser { get; init; } = [];

    /// <summary>A step failed.</summary>
    public bool HasFailed { get; init; }
}

/// <summary>Something that only a browser can do.</summary>
/// <param name="Does"><c>copy</c> a text, or <c>open</c> an address.</param>
/// <param name="What">The text or the address.</param>
/// <param name="Beside">In a tab of its own.</param>
internal sealed record BrowserEffect(string Does, string What, bool Beside = false);
