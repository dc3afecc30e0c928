using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Formulas;
using Rostrum.Store;

namespace Rostrum.Web.Build.Data;

/// <summary>A page about one table of a source, beside the list of all.</summary>
internal abstract class DatasetPage(RostrumStore store, WorkspaceCache workspaces, RecordFormat format) : PageModel
{
    private ImmutableArray<DatasetProblem>? _problems;

    public sealed record TableEntry(Dataset Dataset, TableStructure? Structure);

    /// <summary>What a builder who looks at a source may see.</summary>
    public static Grants Builder { get; } = Grants.ViewEverything;

    protected RostrumStore Store => store;

    protected ValueTask<Workspace> WorkspaceAsync(CancellationToken cancellation) => workspaces.GetAsync(cancellation);

    public RecordFormat Format => format;

    public StoredSource Source { get; private set; } = null!;

    public ImmutableArray<TableEntry> Tables { get; private set; } = [];

    public TableEntry Open { get; private set; } = null!;

    public Dataset Dataset => Open.Dataset;

    public DatasetCatalogue Catalogue { get; private set; } = new([]);

    /// <summary>What the formula editor offers, where the page has one.</summary>
    public string Offers { get; protected set; } = "[]";

    /// <summary>Which names <c>user</c> has in formulas.</summary>
    public SignedIn Anybody { get; private set; } = null!;

    /// <summary>What is wrong with what the builder wants.</summary>
    public string? Refusal { get; protected set; }

    public ImmutableArray<RoleEntry> Roles { get; private set; } = [];

    /// <summary>Queries can be made of the source's tables.</summary>
    public bool TakesQueries => Rostrum.Sources.Sql.QueryTrying.IsFor(Source.Kind);

    /// <summary>Its tables are made and altered here.</summary>
    public bool IsOwn => Source.Kind == Rostrum.Sources.Own.OwnTableStore.Kind;

    /// <summary>The source's tables are requests that a builder describes.</summary>
    public bool HasRequests => Rostrum.Sources.SourceKind.Find(Source.Kind)?.HasRequests == true;

    /// <summary>The source's address.</summary>
    public string Root => $"/build/sources/{Source.Id:N}";

    /// <summary>The table's address.</summary>
    public string Here => $"{Root}/{Dataset.Id}";

    /// <summary>What is wrong with the dataset.</summary>
    public ImmutableArray<DatasetProblem> Problems => _problems ??= [.. DatasetProblems.Of(Catalogue, Dataset, Anybody)];

    /// <summary>The names that formulas over the table's records may use.</summary>
    public FormulaShape Shape => DatasetShapes.Of(Catalogue, Builder).Of(Dataset).Shape;

    /// <summary>The names that conditions are picked from: the record's, and under <c>user</c> the signed-in person's.</summary>
    public FormulaShape PickShape =>
        new(Shape.Name, Shape.Members.Append(KeyValuePair.Create(SignedIn.InFormulas, SignedIn.Names(Anybody).Types[SignedIn.InFormulas])));

    public static string Rows(TableStructure? table) =>
        table?.EstimatedRows is { } rows ? rows.ToString("#,##0", CultureInfo.InvariantCulture) : "–";

    /// <summary>What people read for a name in a formula, in small letters: "vessel's state".</summary>
    public string LabelOf(ImmutableArray<string> name)
    {
        var (dataset, labels) = ((Dataset?)Dataset, new List<string>());
        foreach (var part in name)
        {
            var relation = dataset?.Relations.FirstOrDefault(candidate =>
                candidate.Name.Value.Equals(part, StringComparison.OrdinalIgnoreCase)
            );
            var field = dataset?.Fields.FirstOrDefault(candidate => candidate.Name.Value.Equals(part, StringComparison.OrdinalIgnoreCase));
            labels.Add(Wording.InSentence(relation?.Label ?? field?.Label ?? part));
            dataset = relation is null ? null : Catalogue.Find(relation.Target);
        }

        return name is ["user", var attribute] ? $"the signed-in person's {attribute}" : string.Join("’s ", labels);
    }

    protected async Task<bool> LoadAsync(Guid id, Guid? table, CancellationToken cancellation)
    {
        if (await store.Sources.AsNoTracking().FirstOrDefaultAsync(source => source.Id == id, cancellation) is not { } source)
        {
            return false;
        }

        Source = source;
        Catalogue = await store.DatasetsAsync(cancellation);
        var own = Catalogue.All.Where(dataset => dataset.Source.Value == id).ToArray();
        Anybody = (await workspaces.GetAsync(cancellation)).Anybody;
        Roles = (await WorkspaceAsync(cancellation)).Roles;
        Tables =
        [
            .. source
                .Structure.Tables.Select(structure =>
                    own.FirstOrDefault(dataset => dataset.Table == structure.Name) is { } dataset
                        ? new TableEntry(dataset, structure)
                        : null
                )
                .OfType<TableEntry>(),
            .. own.Where(dataset => dataset.Query is not null || dataset.Join is not null)
                .OrderBy(dataset => dataset.Label, StringComparer.CurrentCulture)
                .Select(dataset => new TableEntry(dataset, null)),
            .. own.Where(dataset => dataset.GoneBecause is not null)
                .OrderBy(dataset => dataset.Label, StringComparer.CurrentCulture)
                .Select(dataset => new TableEntry(dataset, null)),
        ];
        if (Tables.IsEmpty || (table is null ? Tables[0] : Tables.FirstOrDefault(entry => entry.Dataset.Id.Value == table)) is not { } open)
        {
            return false;
        }

        Open = open;
        return true;
    }

    /// <summary>Keeps a changed dataset, and says so on the page that follows. What others changed of it meanwhile stays.</summary>
    /// <param name="changed">The dataset as it should be.</param>
    /// <param name="note">What is said where it is saved.</param>
    /// <param name="address">The page that follows.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <param name="again">Shows the form again, with what was typed, where another builder changed the same.</param>
    protected async Task<IActionResult> SaveAsync(
        Dataset changed,
        string note,
        string address,
        CancellationToken cancellation,
        Func<Task<IActionResult>>? again = null
    )
    {
        var (before, merged) = (Catalogue.Find(changed.Id)!, (Dataset?)changed);
        await store.SaveOnNewestAsync(
            async () =>
            {
                var stored = await store.Datasets.FirstAsync(row => row.Id == changed.Id.Value, cancellation);
                merged = DatasetMerge.Onto(stored.Definition, before, changed);
                stored.Definition = merged ?? stored.Definition;
            },
            cancellation
        );
        if (merged is not null)
        {
            TempData["note"] = note;
            return Redirect(address);
        }

        const string Refused = "Not saved: another builder changed this setting at the same time.";
        if (again is null)
        {
            TempData["note"] = Refused + " Their value is shown; change it again if needed.";
            return Redirect(address);
        }

        Refusal = Refused + " What you typed is shown; save again to keep it.";
        Open = Open with { Dataset = changed };
        return await again();
    }
}
