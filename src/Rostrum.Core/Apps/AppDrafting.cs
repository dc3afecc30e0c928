using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Apps;

/// <summary>Drafts an app from datasets: for each a list, with its records in a sheet, beside it or on pages of their own.</summary>
public static class AppDrafting
{
    private const int MostColumns = 8;

    private static readonly HashSet<string> LateWords = new(StringComparer.OrdinalIgnoreCase)
    {
        "display order",
        "ID",
        "ordinal",
        "sequence",
        "sort",
        "sort order",
        "UUID",
    };

    /// <summary>The drafted app: for each dataset a list, and its records where they are to open.</summary>
    /// <param name="name">What people call it.</param>
    /// <param name="datasets">Those that are chosen.</param>
    /// <param name="audience">The roles that see its pages.</param>
    /// <param name="catalogue">All datasets.</param>
    /// <param name="opening">Where a record opens.</param>
    public static AppDefinition Draft(
        string name,
        IReadOnlyCollection<Dataset> datasets,
        ImmutableArray<string> audience,
        DatasetCatalogue catalogue,
        RecordOpening opening
    )
    {
        ArgumentNullException.ThrowIfNull(datasets);

        // What happens stands before that to which it happens.
        var ordered = datasets
            .OrderBy(dataset => dataset.Key.IsEmpty)
            .ThenByDescending(dataset => dataset.Relations.Length)
            .ThenByDescending(dataset => dataset.Fields.Any(field => field.Type is FieldType.Choice && !field.Hidden))
            .ToArray();
        var addresses = opening is RecordOpening.Page ? RecordAddresses(ordered) : [];

        Page ListOf(Dataset dataset)
        {
            var page =
                opening is RecordOpening.Beside && !dataset.Key.IsEmpty ? PageWithRecord(dataset, audience) : PageFor(dataset, audience);
            return page with
            {
                Unlisted = IsAside(dataset, datasets),
                Panels = addresses.TryGetValue(dataset.Id, out var address)
                    ? [((TablePanel)page.Panels[0]) with { OnChoice = RowChoice.Page, ChoicePage = address }]
                    : page.Panels,
            };
        }

        return new(
            name,
            [
                .. ordered.Select(ListOf),
                .. ordered
                    .Where(dataset => addresses.ContainsKey(dataset.Id))
                    .Select(dataset => RecordPageFor(dataset, addresses, audience, catalogue)),
            ]
        );
    }

    // The addresses of the pages for single records.
    private static Dictionary<DatasetId, string> RecordAddresses(Dataset[] datasets)
    {
        var addresses = new Dictionary<DatasetId, string>();
        foreach (var dataset in datasets.Where(dataset => !dataset.Key.IsEmpty))
        {
            addresses[dataset.Id] = Wording
                .FieldName(
                    dataset.RecordLabel,
                    datasets.Select(other => other.Name).Concat(addresses.Values.Select(taken => new FieldName(taken)))
                )
                .Value.ToLowerInvariant();
        }

        return addresses;
    }

    private static bool IsLookedForLast(Field field) =>
        LateWords.Contains(field.Label) || field.Label.EndsWith(" ID", StringComparison.Ordinal);

    // A table that only links two others, or only gives a name to a code, is read through those that refer to it; one whose records are
    // parts of another's, through that.
    private static bool IsAside(Dataset dataset, IReadOnlyCollection<Dataset> chosen)
    {
        var shown = Visible(dataset);
        var links = dataset.Key.Length == 2 && shown.All(name => dataset.Key.Contains(name) && dataset.RelationOf(name) is not null);
        var names = shown.Length <= 2 && dataset.Relations.IsEmpty && !dataset.Key.IsEmpty;
        var parents = dataset.Relations.Where(relation => dataset.Key.Contains(relation.Field)).ToArray();
        var whole = dataset.Key.Length > 1 && parents is [var only] ? only.Target : (DatasetId?)null;
        return chosen.Any(other =>
            other.Id != dataset.Id
            && (
                (links && dataset.Relations.Any(relation => relation.Target == other.Id))
                || whole == other.Id
                || (names && other.Relations.Any(relation => relation.Target == dataset.Id))
            )
        );
    }

    // When a record was made or changed.
    private static bool IsSetByItself(Field field) => field.ReadOnly && (field.Default is not null || field.HasDefault);

    // What is known of one record, what can be changed of it, and what belongs to it as long as there is any.
    private static Page RecordPageFor(
        Dataset dataset,
        Dictionary<DatasetId, string> addresses,
        ImmutableArray<string> audience,
        DatasetCatalogue catalogue
    )
    {
        var parameter = addresses[dataset.Id];
        var record = $"{PageScope.Parameters}.{parameter}";
        var shown = Visible(dataset);
        var written = shown.Where(name => dataset[name] is { ReadOnlyBecause: null }).ToImmutableArray();
        var picture = dataset.Fields.FirstOrDefault(field => field is { Hidden: false, IsPicture: true })?.Name;
        var page = new Page
        {
            Address = parameter,
            Name = char.ToUpperInvariant(dataset.RecordLabel[0]) + dataset.RecordLabel[1..],
            Unlisted = true,
            Audience = audience,
            Parameters = [new PageParameter(parameter, new FieldType.Text(), dataset.Id)],
            Panels = [],
        };
        string Named(string wish) => Editing.PanelNaming.Fresh(page, wish);
        void Add(Panel panel) => page = page with { Panels = page.Panels.Add(panel) };
        var canChange = dataset.ReadOnlyBecause is null && !written.IsEmpty;
        Add(
            new RecordPanel
            {
                Name = Named("details"),
                Dataset = dataset.Id,
                Record = record,
                Picture = picture,
                Fields =
                [
                    .. shown.Where(name => name != picture && dataset.Title.All(part => part.Field != name || !part.Relations.IsEmpty)),
                ],
                Width = canChange ? 7 : 12,
            }
        );
        if (canChange)
        {
            Add(
                new FormPanel
                {
                    Name = Named("change"),
                    Heading = "Change",
                    Dataset = dataset.Id,
                    Record = record,
                    Fields = written,
                    AllowDeleting = true,
                    Width = 5,
                }
            );
        }

        foreach (var (relation, from) in NestedLists.Offered(catalogue, dataset))
        {
            var table = Table(Named(relation.InverseName.Value), from);
            Add(
                table with
                {
                    Heading = relation.InverseLabel,
                    RelatedTo = $"{record}.{Formulas.Formatter.Name(relation.InverseName.Value)}",
                    Columns = [.. table.Columns.Where(column => column != relation.Field).Take(5)],
                    HideWhenEmpty = true,
                    RowsPerPage = 10,
                    AllowFiltering = false,
                    OnChoice = addresses.ContainsKey(from.Id) ? RowChoice.Page : RowChoice.Sheet,
                    ChoicePage = addresses.GetValueOrDefault(from.Id, ""),
                }
            );
        }

        return page;
    }

    /// <summary>A page with a dataset's records as a table.</summary>
    public static Page PageFor(Dataset dataset, ImmutableArray<string> audience) =>
        new()
        {
            Address = dataset.Name.Value,
            Name = dataset.Label,
            Audience = audience,
            Panels = [Table(dataset.Name.Value, dataset)],
        };

    /// <summary>
    /// A page with a dataset's records as a table, and beside it the record that is selected: in a form where it can be changed.
    /// </summary>
    public static Page PageWithRecord(Dataset dataset, ImmutableArray<string> audience)
    {
        var page = PageFor(dataset, audience);
        var table = (TablePanel)page.Panels[0];
        var called = dataset.RecordLabel.Replace(' ', '_');
        var name = called == table.Name ? "record_shown" : called;
        var written = Visible(dataset).Where(field => dataset[field].ReadOnlyBecause is null).ToImmutableArray();
        Panel record =
            dataset.ReadOnlyBecause is null && !written.IsEmpty
                ? new FormPanel
                {
                    Name = name,
                    Dataset = dataset.Id,
                    Record = $"{table.Name}.selected",
                    Fields = written,
                    AllowDeleting = true,
                    Width = 5,
                }
                : new RecordPanel
                {
                    Name = name,
                    Dataset = dataset.Id,
                    Record = $"{table.Name}.selected",
                    Fields = Visible(dataset),
                    Width = 5,
                };
        return page with { Panels = [table with { OnChoice = RowChoice.Select, Width = 7, Columns = [.. table.Columns.Take(4)] }, record] };
    }

    /// <summary>A table of a dataset's records, which open in a sheet.</summary>
    public static TablePanel Table(string name, Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return new TablePanel
        {
            Name = name,
            Dataset = dataset.Id,
            Columns = Columns(dataset),
            SheetFields = Visible(dataset),
            Sort = UsualOrder(dataset),
        };
    }

    /// <summary>The fields that people see.</summary>
    public static ImmutableArray<FieldName> Visible(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return [.. dataset.Fields.Where(field => !field.Hidden).Select(field => field.Name)];
    }

    /// <summary>The visible fields that fit a line, the title first; computed ones, which somebody wanted to see, among them.</summary>
    private static ImmutableArray<FieldName> Columns(Dataset dataset)
    {
        var title = dataset.Title is [{ Relations: [] } first, ..] ? first.Field : (FieldName?)null;
        var fields = dataset
            .Fields.Where(field =>
                !field.Hidden && field.Type is not (FieldType.Text { Long: true } or FieldType.Image or FieldType.Bytes or FieldType.Native)
            )
            .ToArray();
        var computed = fields.Where(field => field.Formula is not null).Take(MostColumns / 2).ToArray();
        return
        [
            .. fields
                .Where(field => field.Formula is null)
                .OrderByDescending(field => field.Name == title)
                .ThenBy(field => dataset.RelationOf(field.Name) is null && IsLookedForLast(field))
                .Take(MostColumns - computed.Length)
                .Concat(computed)
                .Select(field => field.Name),
        ];
    }

    /// <summary>
    /// What happens is read from the newest; what has a name, by its name. When a record was made is no happening, unless nothing names it.
    /// </summary>
    public static ImmutableArray<SortBy> UsualOrder(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        var moments = dataset.Fields.Where(field => field is { Required: true, Hidden: false, Type: FieldType.Moment }).ToArray();
        var named = dataset.Title is [{ Relations: [] }, ..];
        return Array.Find(moments, field => !named || !IsSetByItself(field)) is { } happened ? [new SortBy(happened.Name, Descending: true)]
            : named ? [.. dataset.Title.Where(part => part.Relations.IsEmpty).Select(part => new SortBy(part.Field))]
            : [];
    }
}

/// <summary>Where a record of a drafted app opens.</summary>
public enum RecordOpening
{
    /// <summary>Over the list, in a sheet.</summary>
    Sheet,

    /// <summary>On a page of its own, with what belongs to it.</summary>
    Page,

    /// <summary>Beside the list.</summary>
    Beside,
}
