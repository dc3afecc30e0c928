using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
using Rostrum.Web.Live.Actions;

namespace Rostrum.Web.Live.Panels.Cards;

/// <summary>One card.</summary>
internal sealed record CardView(
    string? Key,
    string Title,
    string Subtitle,
    string? Picture,
    ImmutableArray<ShownField> Fields,
    ImmutableArray<ActionOffer> Offers,
    ImmutableArray<NestedView> Nested
);

/// <summary>What belongs to one record.</summary>
/// <param name="Label">What they are.</param>
/// <param name="Count">How many there are.</param>
/// <param name="Records">The first of them.</param>
internal sealed record NestedView(string Label, long Count, ImmutableArray<NestedRecord> Records);

/// <summary>One record among those that belong to another.</summary>
/// <param name="Title">What names it.</param>
/// <param name="Address">The page about it; null where there is none.</param>
/// <param name="Fields">What is shown of it.</param>
/// <param name="Nested">What belongs to it.</param>
internal sealed record NestedRecord(string Title, string? Address, ImmutableArray<ShownField> Fields, ImmutableArray<NestedView> Nested);

/// <summary>Everything that the partial of cards shows.</summary>
internal sealed record CardsView : ListView
{
    public required CardsPanel Panel { get; init; }

    public override ListPanel List => Panel;

    public required ImmutableArray<CardView> Cards { get; init; }
}
