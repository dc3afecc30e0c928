using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
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

    /// <summary>A page with a dataset's records as a table.</summary>
    public static Page PageFor(Dataset dataset, ImmutableArray<string> audience) => new()
    {
        Address = dataset.Name.Value,
        Name = dataset.Label,
        Audience = audience,
        Panels = [Table(dataset.Name.Value, dataset)],
    };

    /// <summary>A page with a dataset's records as a table, and beside it the record that is selected.</summary>
    public static Page PageWithRecord(Dataset dataset, ImmutableArray<string> audience)
    {
        var page = PageFor(dataset, audience);
        var table = (TablePanel)page.Panels[0];
        return page with
        {
            Panels =
            [
                table with { OnChoice = TablePanel.Selecting, Width = 7, Columns = [.. table.Columns.Take(4)] },
                new RecordPanel { Name = dataset.RecordLabel.Replace(' ', '_') == table.Name ? "record_shown" : dataset.RecordLabel.Replace(' ', '_'), Dataset = dataset.Id, Record = $"{table.Name}.selected", Fields = Visible(dataset), Width = 5 },
            ],
        };
    }

    /// <summary>A table of a dataset's records, which open in a sheet.</summary>
    public static TablePanel Table(string name, Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return new TablePanel { Name = name, Dataset = dataset.Id, Columns = Columns(dataset), SheetFields = Visible(dataset), Sort = UsualOrder(dataset) };
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
        var fields = dataset.Fields.Where(field => !field.Hidden && field.Type is not (FieldType.Text { Long: true } or FieldType.Image or FieldType.Bytes or FieldType.Native)).ToArray();
        var computed = fields.Where(field => field.Formula is not null).Take(MostColumns / 2).ToArray();
        return [.. fields.Where(field => field.Formula is null).OrderByDescending(field => field.Name == title).Take(MostColumns - computed.Length).Concat(computed).Select(field => field.Name)];
    }

    /// <summary>What happens is read from the newest; what has a name, by its name.</summary>
    public static ImmutableArray<SortBy> UsualOrder(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        var happened = dataset.Fields.FirstOrDefault(field => field is { Required: true, Hidden: false, Type: FieldType.Instant or FieldType.LocalDateTime });
        return happened is not null ? [new SortBy(happened.Name, Descending: true)]
            : dataset.Title is [{ Relations: [] } first, ..] ? [new SortBy(first.Field)]
            : [];
    }
}
