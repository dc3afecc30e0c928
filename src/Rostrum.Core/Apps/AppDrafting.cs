using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps;

/// <summary>Drafts an app from datasets: for each a page with its records as a table, and a sheet with a form.</summary>
public static class AppDrafting
{
    private const int MostColumns = 8;

    /// <summary>The drafted app.</summary>
    /// <param name="name">What people call it.</param>
    /// <param name="datasets">One page for each, in this order.</param>
    /// <param name="audience">The roles that see its pages.</param>
    public static AppDefinition Draft(string name, IEnumerable<Dataset> datasets, ImmutableArray<string> audience) =>
        new(name, [.. datasets.Select(dataset => PageFor(dataset, audience))]);

    private static Page PageFor(Dataset dataset, ImmutableArray<string> audience) => new()
    {
        Address = dataset.Name.Value,
        Name = dataset.Label,
        Audience = audience,
        Panels =
        [
            new TablePanel
            {
                Name = dataset.Name.Value,
                Dataset = dataset.Id,
                Columns = Columns(dataset),
                SheetFields = [.. dataset.Fields.Where(field => !field.Hidden).Select(field => field.Name)],
                Sort = UsualOrder(dataset),
            },
        ],
    };

    /// <summary>The visible fields that fit a line, the title first; computed ones, which somebody wanted to see, among them.</summary>
    private static ImmutableArray<FieldName> Columns(Dataset dataset)
    {
        var title = dataset.Title is [{ Relations: [] } first, ..] ? first.Field : (FieldName?)null;
        var fields = dataset.Fields.Where(field => !field.Hidden && field.Type is not (FieldType.Text { Long: true } or FieldType.Image or FieldType.Bytes or FieldType.Native)).ToArray();
        var computed = fields.Where(field => field.Formula is not null).Take(MostColumns / 2).ToArray();
        return [.. fields.Where(field => field.Formula is null).OrderByDescending(field => field.Name == title).Take(MostColumns - computed.Length).Concat(computed).Select(field => field.Name)];
    }

    /// <summary>What happens is read from the newest; what has a name, by its name.</summary>
    private static ImmutableArray<SortBy> UsualOrder(Dataset dataset)
    {
        var happened = dataset.Fields.FirstOrDefault(field => field is { Required: true, Hidden: false, Type: FieldType.Instant or FieldType.LocalDateTime });
        return happened is not null ? [new SortBy(happened.Name, Descending: true)]
            : dataset.Title is [{ Relations: [] } first, ..] ? [new SortBy(first.Field)]
            : [];
    }
}
