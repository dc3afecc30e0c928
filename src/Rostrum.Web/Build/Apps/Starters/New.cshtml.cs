using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.Build.Apps.Files;
using Rostrum.Web.People;

namespace Rostrum.Web.Build.Apps.Starters;

/// <summary>A new app: from tables, from a starter, from a file, or empty.</summary>
internal sealed class NewModel(RostrumStore store, AppWriting writing, AppTransfer transfer, CurrentPerson person) : PageModel
{
    private static readonly string[] Agreeing = ["agree", "approv", "accept", "grant", "done"];
    private static readonly string[] Refusing = ["refus", "reject", "declin", "den", "cancel"];

    public ImmutableArray<StoredSource> Sources { get; private set; } = [];

    /// <summary>The starter that is chosen; null where none is.</summary>
    public Starter? Starter { get; private set; }

    /// <summary>All tables with their sources, in order.</summary>
    public DatasetCatalogue Catalogue { get; private set; } = null!;

    public string AppName { get; private set; } = "";

    public string? Refusal { get; private set; }

    public async Task<IActionResult> OnGetAsync(string? starter, CancellationToken cancellation) =>
        await LoadAsync(starter, cancellation) ? Page() : NotFound();

    public async Task<IActionResult> OnPostEmptyAsync(string? name, CancellationToken cancellation)
    {
        if (!await LoadAsync(null, cancellation))
        {
            return NotFound();
        }

        AppName = name?.Trim() ?? "";
        if (AppName.Length == 0)
        {
            Refusal = "Give the app a name.";
            return Page();
        }

        var address = await writing.FreshAddressAsync(AppName, cancellation);
        var page = new Core.Apps.Page
        {
            Address = "home",
            Name = "Home",
            Audience = [Role.Builder],
            Panels = [new TextPanel { Name = "welcome", Text = $"# {AppName}\n\nGood day, ${{user.name}}." }],
        };
        Drafts.Add(store, address, new AppDefinition(AppName, [page]));
        await store.SaveChangesAsync(cancellation);
        return Redirect($"/build/apps/{address}/pages/home");
    }

    public async Task<IActionResult> OnPostStarterAsync(string? starter, string? name, CancellationToken cancellation)
    {
        if (!await LoadAsync(starter, cancellation) || Starter is null)
        {
            return NotFound();
        }

        AppName = name?.Trim() ?? "";
        var datasets = Starter.Tables.ToDictionary(need => need.Name, need => TableOf(need)?.Dataset);
        var chosen = Chosen();
        Refusal =
            AppName.Length == 0 ? "Give the app a name."
            : Starter.Tables.FirstOrDefault(need => datasets[need.Name] is null) is { } table ? $"Choose a table for “{table.Label}”."
            : Starter.Fields.FirstOrDefault(need => !chosen.ContainsKey(need.Name)) is { } field ? $"Choose a field for “{field.Label}”."
            : Starter.Options.FirstOrDefault(need => !chosen.ContainsKey(need.Name)) is { } option
                ? $"Choose an option for “{option.Label}”."
            : null;
        if (Refusal is not null)
        {
            return Page();
        }

        var folder = Starter.Filled(
            AppName,
            await writing.FreshAddressAsync(AppName, cancellation),
            datasets.ToDictionary(pair => pair.Key, pair => pair.Value!),
            chosen,
            await transfer.FilesOfAsync([.. datasets.Values.OfType<Dataset>()], cancellation)
        );
        var plan = await transfer.PlanAsync(folder, cancellation);
        if (!plan.IsPossible)
        {
            Refusal = $"The starter does not fit these tables: {plan.Problems[0].Message}";
            return Page();
        }

        var address = await transfer.ImportAsync(plan, person.Id!.Value, await person.NameAsync(cancellation), cancellation);
        return Redirect($"/build/apps/{address}");
    }

    /// <summary>The tables that can be chosen for a need, each with the relation by which its records belong to those of another.</summary>
    public IEnumerable<(string Value, string Label, Dataset Dataset, string? Relation)> TablesFor(Starter.TableNeed need)
    {
        if (need.RelatedTo is null)
        {
            return Catalogue
                .All.Where(dataset => dataset is { GoneBecause: null, Key.IsEmpty: false } && FieldsFit(need, dataset))
                .OrderBy(dataset => dataset.Label, StringComparer.CurrentCultureIgnoreCase)
                .Select(dataset => ($"{dataset.Id}", dataset.Label, dataset, (string?)null));
        }

        var main = Starter!.Tables.First(other => other.Name == need.RelatedTo);
        return TableOf(main) is not { } of
            ? []
            : NestedLists
                .Offered(Catalogue, of.Dataset)
                .Where(offered => FieldsFit(need, offered.From))
                .Select(offered =>
                    (
                        $"{offered.From.Id} {offered.Relation.InverseName}",
                        $"{offered.Relation.InverseLabel} ({offered.From.LabelInSentence})",
                        offered.From,
                        (string?)offered.Relation.InverseName.Value
                    )
                );
    }

    /// <summary>What is chosen for a table; the first that can be where nothing is.</summary>
    public (string Value, string Label, Dataset Dataset, string? Relation)? TableOf(Starter.TableNeed need)
    {
        var offered = TablesFor(need).ToArray();
        return offered
            .Where(table => table.Value == Said(need.Name))
            .Concat(offered)
            .Select(table => ((string, string, Dataset, string?)?)table)
            .FirstOrDefault();
    }

    /// <summary>What is chosen for a field; the first that can be where nothing is.</summary>
    public Field? FieldOf(Starter.FieldNeed need)
    {
        var offered = TableOf(Starter!.Tables.First(table => table.Name == need.Of)) is { } table
            ? Starter.ChoicesOf(table.Dataset).ToArray()
            : [];
        return offered.FirstOrDefault(field => field.Name.Value == Said(need.Name)) ?? offered.FirstOrDefault();
    }

    /// <summary>The options of a field.</summary>
    public ImmutableArray<string> OptionsFor(Starter.OptionNeed need) =>
        FieldOf(Starter!.Fields.First(field => field.Name == need.Of))?.Type is FieldType.Choice choice ? choice.Options : [];

    /// <summary>What is chosen for an option; one that sounds like it where nothing is.</summary>
    public string? OptionOf(Starter.OptionNeed need)
    {
        var offered = OptionsFor(need);
        if (offered.Contains(Said(need.Name)))
        {
            return Said(need.Name);
        }

        string? Like(string[] words) =>
            offered.FirstOrDefault(option => Array.Exists(words, word => option.Contains(word, StringComparison.OrdinalIgnoreCase)));
        return need.Name.EndsWith("AGREED", StringComparison.Ordinal) ? Like(Agreeing) ?? offered.ElementAtOrDefault(1)
            : need.Name.EndsWith("REFUSED", StringComparison.Ordinal) ? Like(Refusing) ?? offered.LastOrDefault()
            : offered.FirstOrDefault();
    }

    private Dictionary<string, string> Chosen()
    {
        var chosen = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var need in Starter!.Tables)
        {
            if (TableOf(need)?.Relation is { } relation)
            {
                chosen[$"{need.Name}_RELATION"] = Core.Formulas.Formatter.Name(relation);
            }
        }

        foreach (var need in Starter.Fields)
        {
            if (FieldOf(need) is { } field)
            {
                chosen[need.Name] = field.Name.Value;
            }
        }

        foreach (var need in Starter.Options)
        {
            if (OptionOf(need) is { } option)
            {
                chosen[need.Name] = option;
            }
        }

        return chosen;
    }

    private bool FieldsFit(Starter.TableNeed need, Dataset dataset) =>
        Starter!.Fields.All(field => field.Of != need.Name) || Starter.ChoicesOf(dataset).Any();

    private string Said(string name) => Request.HasFormContentType ? Request.Form[name].ToString() : Request.Query[name].ToString();

    private async Task<bool> LoadAsync(string? starter, CancellationToken cancellation)
    {
        Sources = [.. await store.Sources.AsNoTracking().OrderBy(source => source.Name).ToListAsync(cancellation)];
        Catalogue = await store.DatasetsAsync(cancellation);
        Starter = Starter.All.FirstOrDefault(known => known.Address == starter);
        AppName = Said("name") is { Length: > 0 } typed ? typed : Starter?.Name ?? "";
        return starter is null || Starter is not null;
    }
}
