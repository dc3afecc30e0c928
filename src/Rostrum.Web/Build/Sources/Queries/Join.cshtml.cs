using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Build.Sources.Queries;

/// <summary>Two datasets, of whatever sources, as one.</summary>
internal sealed class JoinModel(RostrumStore store, RecordGate gate, RecordFormat format) : PageModel
{
    private const int MostShown = 20;

    public StoredSource Source { get; private set; } = null!;

    public DatasetCatalogue Catalogue { get; private set; } = new([]);

    public IReadOnlyDictionary<Guid, string> SourceNames { get; private set; } = new Dictionary<Guid, string>();

    public Dataset? Known { get; private set; }

    public string Name { get; private set; } = "";

    public Dataset? Left { get; private set; }

    public Dataset? Right { get; private set; }

    public ImmutableArray<JoinPair> Pairs { get; private set; } = [];

    public bool OnlyMatching { get; private set; } = true;

    public ImmutableHashSet<string> Chosen { get; private set; } = [];

    public string? Problem { get; private set; }

    public Dataset? Shown { get; private set; }

    public ReadResult.Rows? Rows { get; private set; }

    public RecordFormat Format => format;

    public string Here => $"/build/sources/{Source.Id:N}/joins/{Known?.Id.ToString() ?? "new"}";

    /// <summary>The datasets that can be joined: whatever has fields, and is not made of this join itself.</summary>
    public IEnumerable<Dataset> Offered =>
        Catalogue
            .All.Where(dataset => dataset is { GoneBecause: null, IsStatement: false } && !IsMadeOfThis(dataset))
            .OrderBy(dataset => dataset.Source.Value != Source.Id)
            .ThenBy(dataset => dataset.Label, StringComparer.CurrentCulture);

    public async Task<IActionResult> OnGetAsync(Guid id, string join, Guid? left, Guid? right, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, join, cancellation))
        {
            return NotFound();
        }

        if (Known?.Join is { } known)
        {
            (Left, Right, Pairs, OnlyMatching) = (Catalogue.Find(known.Left), Catalogue.Find(known.Right), known.Pairs, known.OnlyMatching);
            Chosen = [.. known.Fields.Select(field => $"{(field.FromRight ? "right" : "left")}.{field.Field}")];
            return Page();
        }

        (Left, Right) = (Catalogue.Find(new DatasetId(left ?? default)), Catalogue.Find(new DatasetId(right ?? default)));
        if (Left is not null && Right is not null)
        {
            Guess();
        }

        return Page();
    }

    public async Task<IActionResult> OnPostAsync(Guid id, string join, string? handler, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, join, cancellation))
        {
            return NotFound();
        }

        Read();
        var made = Made();
        if (made is null)
        {
            return Page();
        }

        await ShowAsync(made, cancellation);
        if (Problem is not null || Request.Form.ContainsKey("try"))
        {
            return Page();
        }

        var joins = DatasetMaking.WithJoins(Catalogue.All.Where(known => known.Id != made.Id).Append(made));
        Dataset[] changed = [.. joins.Where(dataset => !ReferenceEquals(dataset, Catalogue.Find(dataset.Id)))];
        await store.SaveOnNewestAsync(() => store.TakeAsync(changed, cancellation), cancellation);
        TempData["note"] = $"The join {Name} is saved.";
        return Redirect($"/build/sources/{made.Source.Value:N}/{made.Id}");
    }

    public async Task<IActionResult> OnPostRemoveAsync(Guid id, string join, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, join, cancellation) || Known is null)
        {
            return NotFound();
        }

        await MadeDatasets.RemoveAsync(store, Known.Id, cancellation);
        return Redirect($"/build/sources/{id:N}");
    }

    // Fields whose values are of one kind, by a relation or by their names.
    private void Guess()
    {
        var relation = Left!.Relations.FirstOrDefault(known => known.Target == Right!.Id);
        var pair = relation is not null
            ? new JoinPair(relation.Field, relation.TargetField)
            : (
                from left in Left.StoredFields
                from right in Right!.StoredFields
                where RelationMaking.Fits(left, right)
                orderby Likelihood(left, right) descending
                select new JoinPair(left.Name, right.Name)
            ).FirstOrDefault();
        Pairs = pair is null ? [] : [pair];
        Name = $"{Left.Label} with {Right!.LabelInSentence}";
        Chosen =
        [
            .. Left.StoredFields.Where(field => !field.Hidden).Select(field => $"left.{field.Name}"),
            .. Right.StoredFields.Where(field => !field.Hidden && field.Name != pair?.Right).Select(field => $"right.{field.Name}"),
        ];
    }

    // What names the right one's records, and is called as they are, is the likeliest: port_code and the code of a port.
    private int Likelihood(Field left, Field right) =>
        (Right!.Key.Contains(right.Name) ? 2 : 0)
        + (left.Name == right.Name ? 2 : 0)
        + (left.Name.Value.Contains(Right.RecordLabel.Replace(' ', '_'), StringComparison.OrdinalIgnoreCase) ? 3 : 0);

    private void Read()
    {
        var form = Request.Form;
        Dataset? Of(string key) => Guid.TryParse(form[key], out var id) ? Catalogue.Find(new DatasetId(id)) : null;
        (Name, Left, Right) = (form["Name"].ToString().Trim(), Of("Left"), Of("Right"));
        OnlyMatching = form["Kind"] != "all";
        Chosen = [.. form["field"].OfType<string>()];
        Pairs =
        [
            .. Enumerable
                .Range(0, 4)
                .Select(at => new JoinPair(
                    new FieldName(form[$"pair.{at}.left"].ToString()),
                    new FieldName(form[$"pair.{at}.right"].ToString())
                ))
                .Where(pair => Left?.Find(pair.Left) is not null && Right?.Find(pair.Right) is not null),
        ];
    }

    private bool IsMadeOfThis(Dataset dataset) => Known is not null && DatasetMaking.IsMadeOf(Catalogue, dataset.Id, Known.Id);

    private Dataset? Made()
    {
        if (Left is null || Right is null)
        {
            Problem = "Choose the two to join.";
            return null;
        }

        if (IsMadeOfThis(Left) || IsMadeOfThis(Right))
        {
            Problem = "A join cannot be made of itself. Choose another dataset.";
            return null;
        }

        Problem =
            Name.Length is 0 or > 60 ? "Give the join a name."
            : Pairs.IsEmpty ? "Choose the fields that must have the same values."
            : Pairs.FirstOrDefault(pair => Left[pair.Left].Type.GetType() != Right[pair.Right].Type.GetType()) is { } odd
                ? $"“{Left[odd.Left].Label}” and “{Right[odd.Right].Label}” hold values of different kinds."
            : Chosen.IsEmpty ? "Tick the fields to show."
            : null;
        if (Problem is not null)
        {
            return null;
        }

        var fields = DatasetMaking.Fields(
            Left,
            Right,
            [
                .. Left.StoredFields.Where(field => Chosen.Contains($"left.{field.Name}")).Select(field => (false, field.Name)),
                .. Right.StoredFields.Where(field => Chosen.Contains($"right.{field.Name}")).Select(field => (true, field.Name)),
            ]
        );
        var join = new DatasetJoin(Left.Id, Right.Id, Pairs, OnlyMatching, fields);
        return DatasetMaking.OfJoin(Known?.Id ?? new DatasetId(Guid.NewGuid()), Name, join, Left, Right, Known, format);
    }

    private async Task ShowAsync(Dataset made, CancellationToken cancellation)
    {
        Shown = made;
        var request = new ReadRequest(made.Id)
        {
            Fields = [.. made.Fields.Select(field => field.Name)],
            Window = new PageWindow.FromStart(0, MostShown),
            Counted = true,
        };
        var catalogue = new DatasetCatalogue([.. Catalogue.All.Where(other => other.Id != made.Id), made]);
        var read = await gate.ReadAsync(catalogue, request, Grants.ViewEverything, cancellation);
        Rows = read as ReadResult.Rows;
        Problem = read is ReadResult.Failed failed ? failed.Failure.Message : (read as ReadResult.Invalid)?.Problem;
    }

    private async Task<bool> LoadAsync(Guid id, string join, CancellationToken cancellation)
    {
        var sources = await store.Sources.AsNoTracking().ToListAsync(cancellation);
        if (sources.FirstOrDefault(source => source.Id == id) is not { } source)
        {
            return false;
        }

        (Source, Catalogue) = (source, await store.DatasetsAsync(cancellation));
        SourceNames = sources.ToDictionary(one => one.Id, one => one.Name);
        if (join == "new")
        {
            return true;
        }

        Known = Guid.TryParse(join, out var known) ? Catalogue.Find(new DatasetId(known)) : null;
        Name = Known?.Label ?? "";
        return Known?.Join is not null;
    }
}
