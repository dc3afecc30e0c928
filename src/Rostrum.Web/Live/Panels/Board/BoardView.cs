using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Panels.Board;

/// <summary>Everything that the partial of a board shows.</summary>
internal sealed record BoardView : ListView
{
    public required BoardPanel Panel { get; init; }

    public override ListPanel List => Panel;

    /// <summary>The columns, in order.</summary>
    public ImmutableArray<BoardColumn> Columns { get; init; } = [];

    /// <summary>The lanes, in order; one without a heading where there are none.</summary>
    public ImmutableArray<BoardLane> Lanes { get; init; } = [];

    /// <summary>There are more lanes than are shown.</summary>
    public bool LanesAreCut { get; init; }

    /// <summary>Why cards stay where they are, whichever; null where some can be moved.</summary>
    public string? Stays { get; init; }

    /// <summary>What its heading says of the cards in a column.</summary>
    public string HeadingOf(BoardColumn column) =>
        column.Most is { } most ? $"{Number(column.Count)} of {Number(most)}" : Number(column.Count);

    public string Number(long count) => count.ToString("#,##0", Run.Format.Culture);

    /// <summary>The same board with a column folded, or unfolded.</summary>
    public string Folded(BoardColumn column) => Address(State.Closed() with { Folded = State.Folded.SymmetricExcept([column.Text]) });

    public bool IsFolded(BoardColumn column) => State.Folded.Contains(column.Text);

    /// <summary>A new card in a column.</summary>
    public string NewIn(BoardColumn column) =>
        Address(
            State.Closed() with
            {
                IsNew = true,
                NewWith = column.Canonical is { } value
                    ? State.NewWith.Clear().SetItem(Panel.By!.Value.Value, value)
                    : State.NewWith.Clear(),
            }
        );

    /// <summary>The cards that follow in a column, and in a lane of it.</summary>
    public string MoreAddress(MoreCards more) =>
        Page(State.Closed() with { Page = 1 })
            .At(
                Run.Path,
                ("handler", "Cards"),
                ("panel", Panel.Name),
                ("field", more.Column),
                ("lane", more.Lane ?? ""),
                ("at", (more.Next ?? 0).ToString(System.Globalization.CultureInfo.InvariantCulture))
            );
}

/// <summary>A column of a board.</summary>
/// <param name="Value">The value that its cards have.</param>
/// <param name="Label">What people read.</param>
/// <param name="Count">How many cards it has.</param>
/// <param name="Total">The sum in its heading, as people read it; null where there is none.</param>
/// <param name="Most">How many it should have at most.</param>
/// <param name="Colour">The colour of its option.</param>
/// <param name="Canonical">The value in canonical text; null for a blank.</param>
internal sealed record BoardColumn(object? Value, string Label, long Count, string? Total, int? Most, int? Colour, string? Canonical)
{
    /// <summary>The value as it stands in an address.</summary>
    public string Text => Canonical ?? FieldCondition.Blank;

    public bool IsOverLimit => Most is { } most && Count > most;
}

/// <summary>A lane of a board.</summary>
/// <param name="Label">What people read; null where there are no lanes.</param>
/// <param name="Canonical">Its value in canonical text; null for a blank, and where there are no lanes.</param>
/// <param name="Cells">The cards by column.</param>
internal sealed record BoardLane(string? Label, string? Canonical, ImmutableArray<BoardCell> Cells)
{
    /// <summary>The value as it stands in an address; null where there are no lanes.</summary>
    public string? Text => Label is null ? null : Canonical ?? FieldCondition.Blank;
}

/// <summary>The cards of a column within a lane.</summary>
/// <param name="Cards">The first of them.</param>
/// <param name="Count">How many there are.</param>
internal sealed record BoardCell(ImmutableArray<BoardCard> Cards, long Count);

/// <summary>A card.</summary>
/// <param name="Key">The record's key.</param>
/// <param name="Title">What names it.</param>
/// <param name="Picture">The address of its picture.</param>
/// <param name="Fields">What is shown of it.</param>
/// <param name="Order">Its place in the order, in canonical text.</param>
/// <param name="Stays">Why it stays where it is; null where it can be moved.</param>
internal sealed record BoardCard(
    string? Key,
    string Title,
    string? Picture,
    ImmutableArray<ShownField> Fields,
    string? Order,
    string? Stays
);

/// <summary>Cards that follow in a column, and in a lane, which are named by their values as they stand in an address.</summary>
internal sealed record MoreCards(BoardView Board, string Column, string? Lane, ImmutableArray<BoardCard> Cards, int? Next)
{
    /// <summary>Why they could not be read; null where they were.</summary>
    public string? Problem { get; init; }
}
