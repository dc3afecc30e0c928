using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.OwnTables;
using Rostrum.Sources.Own;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.People;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>
/// An own table that a builder fills and alters: a page with nothing but the table, on which everything may be done with its records.
/// </summary>
internal sealed record TableEditing(
    StoredSource Source,
    Dataset Dataset,
    DatasetCatalogue Catalogue,
    ImmutableArray<DatasetProblem> Problems,
    RecordFormat Format
)
{
    private readonly OwnFieldReading _fields = new(Catalogue, Dataset, Source.Structure.Find(Dataset.Table), Format);

    /// <summary>What stands in the place of an app's address where something is kept of it.</summary>
    public const string App = "build/tables";

    /// <summary>Its one panel.</summary>
    private const string Panel = "records";

    /// <summary>Where the table is filled and altered.</summary>
    public static string AddressOf(DatasetId table) => $"/{App}/{table}";

    /// <summary>Where forms alter it.</summary>
    public string Forms => $"/build/sources/{Source.Id:N}/{Dataset.Id}/table";

    /// <summary>What a field is, in the words of own tables.</summary>
    public OwnField Of(Field field) => _fields.Of(field);

    /// <summary>A field that the table has, and can be altered; not its key, and nothing that is computed.</summary>
    public bool IsColumn(Field field) => field.Formula is null && !Dataset.Key.Contains(field.Name);

    /// <summary>What may be done in it: everything with own tables, and of all others no more than to look.</summary>
    public static Grants GrantsOf(Workspace workspace, SignedIn? user) =>
        new(
            Rights.EverythingOn(
                workspace
                    .Datasets.All.Where(dataset => workspace.Sources.GetValueOrDefault(dataset.Source.Value)?.Kind == OwnTableStore.Kind)
                    .Select(dataset => dataset.Id)
            ),
            user
        );

    /// <summary>The page.</summary>
    public RunningApp AsApp()
    {
        FieldName[] fields =
        [
            .. Dataset.Fields.Where(field => !Dataset.Key.Contains(field.Name) || Dataset.Key.Length > 1).Select(field => field.Name),
        ];
        var table = new TablePanel
        {
            Name = Panel,
            Dataset = Dataset.Id,
            Columns = [.. fields],
            Editable = [.. fields.Where(name => Dataset[name].Formula is null)],
            SheetFields = [.. fields],
            Sort = [.. Dataset.Key.Select(name => new SortBy(name))],
            Checkboxes = true,
            AllowImport = true,
            AllowDownload = true,
            AllowAdding = true,
        };
        var page = new Page
        {
            Address = Dataset.Id.ToString(),
            Name = Dataset.Label,
            Audience = [],
            Panels = [table],
        };
        return new RunningApp(App, new AppDefinition(Source.Name, [page]), Catalogue, null);
    }
}

/// <summary>Opens own tables for whoever may alter them.</summary>
internal sealed class TableEditor(RostrumStore store, WorkspaceCache workspaces, CurrentPerson person, RecordFormat format)
{
    /// <summary>The table with what may be done in it; null where there is none, or it is gone.</summary>
    public async Task<(TableEditing Table, Grants Grants)?> OpenAsync(Guid id, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (
            workspace.Datasets.Find(new DatasetId(id)) is not { GoneBecause: null, Query: null, Join: null } dataset
            || await store.Sources.AsNoTracking().FirstOrDefaultAsync(row => row.Id == dataset.Source.Value, cancellation)
                is not { Kind: OwnTableStore.Kind } source
        )
        {
            return null;
        }

        var user = (await person.GrantsAsync(cancellation)).User;
        return (
            new TableEditing(
                source,
                dataset,
                workspace.Datasets,
                [.. DatasetProblems.Of(workspace.Datasets, dataset, workspace.Anybody)],
                format
            ),
            TableEditing.GrantsOf(workspace, user)
        );
    }
}
