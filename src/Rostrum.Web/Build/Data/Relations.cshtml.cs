using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Formulas;
using Rostrum.Core.Visuals;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Build.Data;

/// <summary>How a table's records belong to others, with what the data says of it.</summary>
internal sealed class RelationsModel(RostrumStore store, WorkspaceCache workspaces, RecordGate gate, RecordFormat format)
    : DatasetPage(store, workspaces, format)
{
    /// <summary>For each relation of the table, and each to it, the record to which most lead: "Kittiwake has 46".</summary>
    public IReadOnlyDictionary<Relation, string> Examples { get; private set; } = new Dictionary<Relation, string>();

    /// <summary>For each relation of the table, how many records refer to something that is not there.</summary>
    public IReadOnlyDictionary<Relation, long> Lost { get; private set; } = new Dictionary<Relation, long>();

    /// <summary>For each relation of which a rule says that no two records have the same one: how many do.</summary>
    public IReadOnlyDictionary<Relation, long> Alike { get; private set; } = new Dictionary<Relation, long>();

    [BindProperty]
    public string? Field { get; set; }

    [BindProperty]
    public string? End { get; set; }

    [BindProperty]
    public string? OneLabel { get; set; }

    [BindProperty]
    public string? ManyLabel { get; set; }

    /// <summary>The relation of another table and the one onwards from there, by which records are linked.</summary>
    [BindProperty]
    public string? Way { get; set; }

    /// <summary>Whether no two records are to have the same one, because the table or a rule says so.</summary>
    public bool IsAlone(Relation relation) => relation.OneToOne || FieldDemands.Of(Dataset, Dataset[relation.Field]).IsUnique;

    /// <summary>The ways by which this table's records could be linked with others, and are not yet.</summary>
    public IEnumerable<LinkWay> Ways => RelationMaking.Ways(Catalogue, Source.Structure, Dataset);

    public IEnumerable<RelationEnd> Ends => RelationMaking.Ends(Catalogue, Structures, Dataset);

    /// <summary>The structure of each source: a relation may lead to another one.</summary>
    private IReadOnlyDictionary<SourceId, SourceStructure> Structures { get; set; } = new Dictionary<SourceId, SourceStructure>();

    /// <summary>The names of the sources, where there are several.</summary>
    public IReadOnlyDictionary<SourceId, string> SourceNames { get; private set; } = new Dictionary<SourceId, string>();

    /// <summary>A field whose values stand in the key of another source's table.</summary>
    public sealed record Suggestion(Field Field, RelationEnd End, int Distinct, int Found);

    /// <summary>Relations to other sources that the values speak for, and that are not there yet.</summary>
    public IReadOnlyList<Suggestion> Suggestions { get; private set; } = [];

    public RelationDiagram Diagram =>
        RelationDiagram.Draw(
            Dataset.Label,
            [.. Catalogue.RelationsTo(Dataset.Id).Select(pair => (pair.From.Label, pair.Relation.InverseLabel, !pair.Relation.OneToOne))],
            [
                .. Dataset.Relations.Select(relation => (Catalogue.Find(relation.Target)?.Label ?? "gone", relation.Label, false)),
                .. Dataset.Linked.Select(linked => (LinkedTarget(linked)?.Label ?? "gone", linked.Label, true)),
            ]
        );

    public Dataset? LinkedTarget(LinkedRelation linked) =>
        Catalogue
            .RelationsTo(Dataset.Id)
            .Where(pair => pair.Relation.InverseName == linked.By)
            .Select(pair => pair.From.Relations.FirstOrDefault(relation => relation.Name == linked.To))
            .OfType<Relation>()
            .Select(relation => Catalogue.Find(relation.Target))
            .FirstOrDefault();

    public async Task<IActionResult> OnGetAsync(Guid id, Guid table, CancellationToken cancellation) =>
        await LoadAllAsync(id, table, cancellation) ? await ShowAsync(cancellation) : NotFound();

    /// <summary>Keeps the names of both directions.</summary>
    public async Task<IActionResult> OnPostAsync(Guid id, Guid table, CancellationToken cancellation)
    {
        if (!await LoadAllAsync(id, table, cancellation))
        {
            return NotFound();
        }

        string Text(string name) => Request.Form[name].ToString().Trim();
        var changed = Dataset with
        {
            Relations =
            [
                .. Dataset.Relations.Select(relation => Renamed(relation, Text($"one.{relation.Name}"), Text($"many.{relation.Name}"))),
            ],
            Linked =
            [
                .. Dataset.Linked.Select(linked =>
                    Text($"linked.{linked.Name}") is { Length: > 0 } label ? linked with { Label = label } : linked
                ),
            ],
        };
        foreach (var relation in Dataset.Relations.Where(relation => !relation.OneToOne))
        {
            var field = changed[relation.Field];
            changed = (FieldDemands.Of(changed, field) with { IsUnique = Text($"alone.{relation.Name}").Length > 0 })
                .Apply(changed, field, Format)
                .Dataset
                ?? changed;
        }

        return await SaveAsync(changed, "The relations are saved.", $"{Here}/relations", cancellation, async () =>
            await ShowAsync(cancellation)
        );
    }

    public async Task<IActionResult> OnPostRemoveAsync(Guid id, Guid table, string name, CancellationToken cancellation)
    {
        if (
            !await LoadAllAsync(id, table, cancellation)
            || Dataset.Relations.FirstOrDefault(relation => relation.Name.Value == name) is not { } relation
        )
        {
            return NotFound();
        }

        // A title by way of the relation goes with it.
        var title = Dataset.Title.RemoveAll(path => path.Relations.Contains(relation.Name));
        var changed = Dataset with
        {
            Relations = Dataset.Relations.Remove(relation),
            Title = title.IsEmpty ? [FieldPath.Of(Dataset.Fields[0].Name)] : title,
        };
        return await SaveAsync(
            changed,
            $"The relation {relation.Label} is removed; “{Dataset[relation.Field].Label}” shows its plain values.",
            $"{Here}/relations",
            cancellation
        );
    }

    public async Task<IActionResult> OnPostAddAsync(Guid id, Guid table, CancellationToken cancellation)
    {
        if (!await LoadAllAsync(id, table, cancellation))
        {
            return NotFound();
        }

        var field = Dataset.Find(new FieldName(Field ?? ""));
        var end = Ends.FirstOrDefault(end => $"{end.Dataset.Id}.{end.Field.Name}" == End);
        if (field is null || end is null)
        {
            Refusal = "Choose a field of this table, and what it leads to.";
            return await ShowAsync(cancellation);
        }

        var (changed, problem) = RelationMaking.Make(
            Catalogue,
            Source.Structure,
            Dataset,
            field,
            end,
            string.IsNullOrWhiteSpace(OneLabel) ? field.Label : OneLabel,
            string.IsNullOrWhiteSpace(ManyLabel) ? Dataset.Label : ManyLabel
        );
        if (changed is null)
        {
            Refusal = problem;
            return await ShowAsync(cancellation);
        }

        return await SaveAsync(changed, $"The relation {changed.Relations[^1].Label} is added.", $"{Here}/relations", cancellation);
    }

    public async Task<IActionResult> OnPostLinkAsync(Guid id, Guid table, CancellationToken cancellation)
    {
        if (!await LoadAllAsync(id, table, cancellation))
        {
            return NotFound();
        }

        if (Ways.FirstOrDefault(way => way.Id == Way) is not { } chosen)
        {
            Refusal = "Choose the table that links the two.";
            return await ShowAsync(cancellation);
        }

        var linked = RelationMaking.Link(Dataset, chosen, ManyLabel);
        return await SaveAsync(
            Dataset with
            {
                Linked = Dataset.Linked.Add(linked),
            },
            $"The relation {linked.Label} is added.",
            $"{Here}/relations",
            cancellation
        );
    }

    public async Task<IActionResult> OnPostUnlinkAsync(Guid id, Guid table, string name, CancellationToken cancellation) =>
        await LoadAllAsync(id, table, cancellation) && Dataset.Linked.FirstOrDefault(linked => linked.Name.Value == name) is { } linked
            ? await SaveAsync(
                Dataset with
                {
                    Linked = Dataset.Linked.Remove(linked),
                },
                $"The relation {linked.Label} is removed.",
                $"{Here}/relations",
                cancellation
            )
            : NotFound();

    private async Task<bool> LoadAllAsync(Guid id, Guid table, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            return false;
        }

        var sources = await Store.Sources.AsNoTracking().ToListAsync(cancellation);
        Structures = sources.ToDictionary(source => new SourceId(source.Id), source => source.Structure);
        SourceNames = sources.ToDictionary(source => new SourceId(source.Id), source => source.Name);
        return true;
    }

    // What formulas call a relation stays: other names for people change none of them.
    private static Relation Renamed(Relation relation, string one, string many) =>
        relation with
        {
            Label = one.Length > 0 ? one : relation.Label,
            InverseLabel = many.Length > 0 ? many : relation.InverseLabel,
        };

    private async Task<PageResult> ShowAsync(CancellationToken cancellation)
    {
        var examples = new Dictionary<Relation, string>();
        foreach (
            var relation in Dataset
                .Relations.Concat(Catalogue.RelationsTo(Dataset.Id).Select(pair => pair.Relation))
                .Distinct()
                .Where(relation => Catalogue.Find(relation.Target) is { GoneBecause: null })
        )
        {
            var count = new FieldName("how_many");
            var request = new ReadRequest(relation.Target)
            {
                Computed = [new ComputedColumn(count, $"COUNT({Formatter.Name(relation.InverseName.Value)})")],
                Sort = [new SortBy(count, Descending: true)],
                Window = new PageWindow.FromStart(0, 1),
            };
            if (
                !relation.OneToOne
                && await gate.ReadAsync(Catalogue, request, Builder, cancellation) is ReadResult.Rows { Records: [var record] }
                && record[count] is decimal and > 0 and var number
            )
            {
                examples.Add(relation, string.Create(Format.Culture, $"{record.Title} has {number:#,##0}"));
            }
        }

        Suggestions = await SuggestedAsync(cancellation);
        (Examples, Lost, Alike) = (
            examples,
            await CountAsync(Dataset.Relations, RecordFaults.Lost, cancellation),
            await CountAsync(Dataset.Relations.Where(relation => !relation.OneToOne && IsAlone(relation)), RecordFaults.Alike, cancellation)
        );
        return Page();
    }

    // Within one source the structure was weighed when it was read; between two, the values of likely fields are compared here.
    private async Task<IReadOnlyList<Suggestion>> SuggestedAsync(CancellationToken cancellation)
    {
        const int MostValues = 500;
        const int MostComparisons = 24;
        var likely =
            from end in Ends
            where end.Dataset.Source != Dataset.Source
            from field in Dataset.Fields
            where Dataset.RelationOf(field.Name) is null && RelationMaking.Fits(field, end.Field)
            where ImpliedRelations.SpeaksOf(field.Column, end.Dataset.Table.Name, end.Field.Column)
            select (field, end);
        var suggested = new List<Suggestion>();
        foreach (var (field, end) in likely.Take(MostComparisons))
        {
            var values = await gate.GroupAsync(
                Catalogue,
                new GroupRequest(Dataset.Id, field.Name, new Filter.Everything(), "", MostValues),
                Builder,
                cancellation
            );
            object?[] distinct = values is GroupResult.Groups groups
                ? [.. groups.Values.Select(group => group.Value).Where(value => value is not (null or Unreadable))]
                : [];
            var request = new ReadRequest(end.Dataset.Id)
            {
                Filter = new Filter.OneOf(end.Field.Name, [.. distinct]),
                Window = new PageWindow.FromStart(0, MostValues),
            };
            if (
                distinct.Length > 1
                && await gate.ReadAsync(Catalogue, request, Builder, cancellation) is ReadResult.Rows rows
                && rows.Records.Length * 20 >= distinct.Length * 19
            )
            {
                suggested.Add(new Suggestion(field, end, distinct.Length, rows.Records.Length));
            }
        }

        return suggested;
    }

    // How many records do not bear each relation out; those that all do are left out.
    private async Task<Dictionary<Relation, long>> CountAsync(
        IEnumerable<Relation> relations,
        Func<Relation, Filter> which,
        CancellationToken cancellation
    )
    {
        var counts = new Dictionary<Relation, long>();
        foreach (var relation in relations)
        {
            var request = new ReadRequest(Dataset.Id)
            {
                Filter = which(relation),
                Window = new PageWindow.FromStart(0, 0),
                Counted = true,
            };
            if (await gate.ReadAsync(Catalogue, request, Builder, cancellation) is ReadResult.Rows { Count.Number: > 0 and var number })
            {
                counts.Add(relation, number);
            }
        }

        return counts;
    }
}
