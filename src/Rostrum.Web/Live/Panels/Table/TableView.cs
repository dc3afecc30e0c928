using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live.Actions;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>A column as it is shown: a field, or the title of the record to which the field refers.</summary>
internal sealed record TableColumn(Field Field, Relation? Relation, string Label)
{
    /// <summary>Only this table has it.</summary>
    public bool IsOwn { get; init; }

    /// <summary>How wide it is, in characters; as wide as its values where null.</summary>
    public int? Width { get; init; }

    public string? Class => Relation is not null ? null : Field.Type.IsNumeric ? "num" : Field.Type.IsTemporal ? "when" : null;

    public string Display(Record record, RecordFormat format) =>
        (Relation is null ? null : record.TitleOf(Relation.Name)) ?? format.Display(Field, record[Field.Name]);

    /// <summary>The column as a request asks for it, where only this table has it.</summary>
    public ComputedColumn Computed => new(Field.Name, Field.Formula!);

    public bool HasMarkup => Relation is null && ValueMarkup.IsFor(Field);
}

/// <summary>One part of the sentence that says which records are shown.</summary>
internal sealed record SentencePart(string Field, string Label, string Says);

/// <summary>Everything that the table's partial shows.</summary>
internal sealed record TableView : ListView
{
    public required TablePanel Panel { get; init; }

    public override ListPanel List => Panel;

    public override bool IsNarrowed => base.IsNarrowed || !Sentence.IsEmpty;

    public required ImmutableArray<TableColumn> Columns { get; init; }

    /// <summary>The columns that there are, those among them that the person has hidden.</summary>
    public required ImmutableArray<TableColumn> AllColumns { get; init; }

    /// <summary>What the person has otherwise than the builder.</summary>
    public required PersonalTable Personal { get; init; }

    /// <summary>What can be done with each record.</summary>
    public required ActionOffers Offers { get; init; }

    public required ImmutableArray<ActionOffer> CheckedOffers { get; init; }

    public required TableHighlights Highlights { get; init; }

    /// <summary>What stands under columns, as people read it.</summary>
    public required ImmutableDictionary<FieldName, string> Totals { get; init; }

    /// <summary>Its records can be changed and deleted at all.</summary>
    public required bool CanBeChanged { get; init; }

    public bool MayChangeChecked => CanBeChanged && Grant.Allows(Verbs.Update);

    public bool MayDeleteChecked => CanBeChanged && Grant.Allows(Verbs.Delete);

    /// <summary>Rows are checked for something.</summary>
    public bool Checks =>
        Panel.Checkboxes && !Dataset.Key.IsEmpty && (MayChangeChecked || MayDeleteChecked || !CheckedOffers.IsEmpty || IsWatched);

    /// <summary>Other panels look at what is checked.</summary>
    public bool IsWatched => !Run.Graph.Affected([new PageValue(Panel.Name, "checked")]).IsEmpty;

    public int ColumnCount => Columns.Length + (Checks ? 1 : 0) + (Offers.IsEmpty ? 0 : 1);

    public Density? Density => Personal.Density ?? Panel.Density;

    public string DensityClass => Density is { } density ? $"rows-{Words.Of(density)}" : "";

    public required ImmutableArray<SentencePart> Sentence { get; init; }

    public required ImmutableArray<string> Ignored { get; init; }

    /// <summary>What was asked for.</summary>
    public required ReadRequest Request { get; init; }

    /// <summary>A record that was just saved, to be marked, and shown on top where this page of the list does not have it.</summary>
    public RecordKey? Marked { get; init; }

    public Record? BroughtIntoView { get; init; }

    public string DownloadAddress =>
        Page(State.Closed().FromStart() with { Checked = [] }).At(Run.Path, ("handler", "Download"), ("panel", Panel.Name));

    /// <summary>What is narrowed or ordered can be kept by a name.</summary>
    public bool CanBeKept => IsNarrowed || State.Sort is not null;

    /// <summary>Something is otherwise than built.</summary>
    public bool IsPersonal => !Personal.Hidden.IsEmpty || !Personal.Widths.IsEmpty || Personal.Density is not null;

    /// <summary>The list as it was kept.</summary>
    public string KeptAddress(SavedFilter filter) => Address(PageAddress.ReadList(filter.Query) with { Checked = State.Checked });

    public SortBy? SortOf(TableColumn column) =>
        (State.Sort ?? (Panel.Sort is [var usual, ..] ? usual : null)) is { } sort && sort.Field == column.Field.Name ? sort : null;

    public string SortAddress(TableColumn column) =>
        Address(State.FromStart().Closed() with
        {
            Sort = new SortBy(column.Field.Name, Descending: SortOf(column) is { Descending: false }),
        });
}
