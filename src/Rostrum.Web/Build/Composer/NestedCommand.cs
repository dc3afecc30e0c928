using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Web.Build.Composer;

/// <summary>What a builder does with the lists of what belongs to each record.</summary>
/// <param name="Path">Which list: its place, and the places of those within which it stands, with dots between; blank for the
/// outermost.</param>
/// <param name="Does">Add, remove or set.</param>
internal sealed record NestedCommand(string Path, string Does)
{
    private const int UsualMost = 5;

    /// <summary>The lists after it; the same where it does not fit.</summary>
    public ImmutableArray<NestedList> Applied(ImmutableArray<NestedList> lists, DatasetCatalogue catalogue, IFormCollection form)
    {
        int[] places =
        [
            .. Path.Split('.', StringSplitOptions.RemoveEmptyEntries)
                .Select(part => int.TryParse(part, NumberStyles.None, CultureInfo.InvariantCulture, out var at) ? at : -1),
        ];
        return Does == "add" ? Within(lists, places, inner => Added(catalogue, form) is { } added ? inner.Add(added) : inner)
            : places.Length == 0 ? lists
            : Within(lists, places[..^1], inner => places[^1] < 0 || places[^1] >= inner.Length ? inner
                : Does == "remove" ? inner.RemoveAt(places[^1])
                : inner.SetItem(places[^1], Set(inner[places[^1]], form)));
    }

    private static ImmutableArray<NestedList> Within(
        ImmutableArray<NestedList> lists,
        int[] places,
        Func<ImmutableArray<NestedList>, ImmutableArray<NestedList>> change
    ) =>
        places.Length == 0 ? change(lists)
        : places[0] < 0 || places[0] >= lists.Length ? lists
        : lists.SetItem(places[0], lists[places[0]] with { Nested = Within(lists[places[0]].Nested, places[1..], change) });

    private NestedList? Added(DatasetCatalogue catalogue, IFormCollection form) =>
        form[$"nested.{Path}.add"].ToString().Split(' ', 2) is [var id, { Length: > 0 } relation]
        && Guid.TryParse(id, out var known)
        && catalogue.Find(new DatasetId(known)) is { } dataset
            ? new NestedList(
                relation,
                dataset.Id,
                [
                    .. AppDrafting
                        .Table("list", dataset)
                        .Columns.Where(column =>
                            dataset.Title.All(part => part.Field != column) && dataset.RelationOf(column)?.InverseName.Value != relation
                        )
                        .Take(2),
                ],
                null,
                UsualMost,
                []
            )
            : null;

    private NestedList Set(NestedList list, IFormCollection form) =>
        list with
        {
            Most = int.TryParse(form[$"nested.{Path}.most"], NumberStyles.None, CultureInfo.InvariantCulture, out var most)
                ? Math.Clamp(most, 1, 100)
                : list.Most,
            Filter = Setting.Blank(form[$"nested.{Path}.filter"].ToString().Trim().TrimStart('=').Trim()),
            Fields = [.. form[$"nested.{Path}.field"].OfType<string>().Select(name => new FieldName(name))],
        };
}
