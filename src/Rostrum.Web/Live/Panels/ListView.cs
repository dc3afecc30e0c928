using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Actions;

namespace Rostrum.Web.Live.Panels;

/// <summary>A page of many records, in whatever way they are shown: what stands around them is the same.</summary>
internal abstract record ListView : ICanBeAway
{
    public required PageRun Run { get; init; }

    public abstract ListPanel List { get; }

    public required Dataset Dataset { get; init; }

    public Grant Grant => field ??= Run.Grants.For(Dataset.Id);

    public ListState State => field ??= Run.State.List(List.Name);

    /// <summary>What was read; no records where none were asked for.</summary>
    public ReadResult Result { get; init; } = new ReadResult.Rows([], null, false, false, null, null);

    /// <summary>What can be done here.</summary>
    public ImmutableArray<ActionOffer> ListOffers => _listOffers ??= [.. new ActionOffers(Run, List, ActionPlace.List).All];

    private ImmutableArray<ActionOffer>? _listOffers;

    /// <summary>Where a record that is moved about is saved.</summary>
    public string MoveAddress => Run.State.At(Run.Path, ("handler", "Move"), ("panel", List.Name));

    /// <summary>What is to be chosen elsewhere before there are records; null where nothing is.</summary>
    public string? Waiting { get; init; }

    /// <summary>The id of the panel's element.</summary>
    public string Id => $"panel-{List.Name}";

    public ReadResult.Rows? Rows => Result as ReadResult.Rows;

    /// <summary>A person has narrowed it.</summary>
    public virtual bool IsNarrowed => State.Search.Length > 0;

    /// <summary>The ids of the page's panels that show the selected record or what belongs to it; null where none does.</summary>
    public string? Details =>
        List.OnChoice is RowChoice.Select
        && Run.Graph.Affected([new PageValue(List.Name, "selected")]).ToHashSet() is { Count: > 0 } affected
            ? string.Join(
                ' ',
                Run.Page.Panels.Where(panel => panel.Name != List.Name && panel.All.Any(inner => affected.Contains(inner.Name)))
                    .Select(panel => $"panel-{panel.Name}")
            )
            : null;

    public bool IsAway =>
        List.HideWhenEmpty && !IsNarrowed && State.Page == 1 && (Waiting is not null || Rows is { Records.IsEmpty: true });

    /// <summary>Why nobody can add a record where the builder allows it; null where there is nothing to say.</summary>
    public string? WhyNothingIsAdded => List.AllowAdding && Grant.Allows(Verbs.Create) ? Dataset.ReadOnlyBecause : null;

    public bool AllowAdding => List.AllowAdding && Waiting is null && Dataset.ReadOnlyBecause is null && Grant.Allows(Verbs.Create);

    public PageState Page(ListState state) => Run.State.With(List.Name, state);

    public string Address(ListState state) => Run.Path + Page(state).ToQuery();

    /// <summary>The address without what people narrowed it to.</summary>
    public string ShowAllAddress => Address(new ListState());

    /// <summary>A record's address, up to its key: the page that opens for it, or this one with it selected.</summary>
    public string RecordAddress => Run.RecordPage(List) ?? Page(State.Closed()).At(Run.Path, ($"{List.Name}.selected", ""));

    /// <summary>Where a chosen record opens; null where it does not.</summary>
    public string? Opens =>
        List.OnChoice is RowChoice.Sheet or RowChoice.Select ? "here"
        : Run.RecordPage(List) is not null ? "page"
        : null;

    /// <summary>The list a page further; null where it ends here.</summary>
    public ListState? Later =>
        Rows is not { HasLater: true } rows
            ? null
            : State.Closed() with
            {
                Page = State.Page + 1,
                Before = null,
                After = rows.Last?.ToText(),
            };

    /// <summary>The list a page back; null where it begins here.</summary>
    public ListState? Earlier =>
        Rows is not { HasEarlier: true } rows || State.Page == 1
            ? null
            : State.Closed() with
            {
                Page = State.Page - 1,
                After = null,
                Before = State.Page == 2 ? null : rows.First?.ToText(),
            };

    /// <summary>The address of the records that follow, for a list that goes on by scrolling.</summary>
    public string RowsAddress(ListState later) => Page(later).At(Run.Path, ("handler", "Rows"), ("panel", List.Name));

    /// <summary>There is something to say below the records.</summary>
    public bool IsPaged =>
        State.Page > 1 || Earlier is not null || (Later is not null && !List.ContinuousScrolling) || WhyNothingIsAdded is not null;

    public string CountText =>
        Rows?.Count is { } count
            ? $"{count.Said(Run.Format.Culture)} {(count.Number == 1 ? Dataset.RecordLabel : Dataset.LabelInSentence)}"
            : "";

    public string RangeText
    {
        get
        {
            if (Rows is not { Records.Length: > 0 } rows)
            {
                return "";
            }

            var first = ((long)(State.Page - 1) * List.RowsPerPage) + 1;
            var range = $"{Whole(first)}–{Whole(first + rows.Records.Length - 1)}";
            return rows.Count is { } count ? $"{range} of {count.Said(Run.Format.Culture)}" : range;
        }
    }

    private string Whole(long number) => number.ToString("#,##0", Run.Format.Culture);
}
