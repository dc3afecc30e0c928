using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Actions;

namespace Rostrum.Web.Live.Panels.Cards;

/// <summary>A field's value as it stands on a card.</summary>
internal sealed record ShownField(string Label, Field Field, object? Value, string Display, bool IsRelated)
{
    public bool HasMarkup => !IsRelated && ValueMarkup.IsFor(Field);
}

/// <summary>One card.</summary>
internal sealed record CardView(string? Key, string Title, string Subtitle, string? Picture, ImmutableArray<ShownField> Fields, ImmutableArray<ActionOffer> Offers, ImmutableArray<NestedView> Nested);

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
internal sealed record CardsView : ICanBeAway, IShowsRecords
{
    public required PageRun Run { get; init; }

    public required CardsPanel Panel { get; init; }

    public required Dataset Dataset { get; init; }

    public required ListState State { get; init; }

    public required ReadResult Result { get; init; }

    public required ImmutableArray<CardView> Cards { get; init; }

    public required ImmutableArray<ActionOffer> ListOffers { get; init; }

    public required string? Waiting { get; init; }

    public required Grant Grant { get; init; }

    public ReadResult.Rows? Rows => Result as ReadResult.Rows;

    public bool IsAway => Panel.Vanishes && State is { Search: "", Page: 1 } && (Waiting is not null || Rows is { Records.IsEmpty: true });

    public bool AddsRecords => Panel.AddsRecords && Waiting is null && Dataset.ReadOnlyBecause is null && Grant.Allows(Verbs.Create);

    public string CountText => Rows?.Count is { } count ? $"{(count.Kind is CountKind.About ? "about " : count.Kind is CountKind.MoreThan ? "more than " : "")}{count.Number.ToString("#,##0", Run.Format.Culture)} {(count.Number == 1 ? Dataset.RecordLabel : Dataset.LabelInSentence)}" : "";

    public PageState Page(ListState state) => Run.State.With(Panel.Name, state);

    public string Address(ListState state) => Run.Path + Page(state).ToQuery();

    public ListState? Later => Rows?.Later(State);

    public ListState? Earlier => Rows?.Earlier(State);
}
