using System.Collections.Immutable;
using CsvHelper;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Imports;
using Rostrum.Store;

namespace Rostrum.Web.People.Directory;

/// <summary>Sets the attributes of many people from rows of a spreadsheet: all of them, or none where one does not fit.</summary>
internal sealed class ImportAttributesModel(RostrumStore store, WorkspaceCache workspaces, AttributeForm attributes, AccessEffects effects)
    : PageModel
{
    private const int MostRows = 1_000;
    private const int MostProblems = 20;
    private const int MostLooked = 12;
    private const int LargestFile = 1_000_000;

    /// <summary>One value that is set.</summary>
    /// <param name="Person">Whose it is.</param>
    /// <param name="Attribute">The attribute.</param>
    /// <param name="Was">The value now, as people read it.</param>
    /// <param name="Text">The value then.</param>
    public sealed record Change(string Person, string Attribute, string Was, string Text);

    public string Lines { get; private set; } = "";

    public ImmutableArray<Change> Changes { get; private set; } = [];

    public ImmutableArray<string> Problems { get; private set; } = [];

    public Consequences? Consequences { get; private set; }

    public string? Done { get; private set; }

    /// <summary>The attributes that there are.</summary>
    public string Known { get; private set; } = "";

    public string Example { get; private set; } = "";

    public async Task OnGetAsync(CancellationToken cancellation) => await ShowAsync(cancellation);

    public async Task<IActionResult> OnPostAsync(string? lines, IFormFile? file, CancellationToken cancellation)
    {
        await ShowAsync(cancellation);
        Lines = lines ?? "";
        if (file is { Length: > 0 and <= LargestFile })
        {
            using var reader = new StreamReader(file.OpenReadStream());
            Lines = await reader.ReadToEndAsync(cancellation);
        }

        if (file is { Length: > LargestFile })
        {
            Problems = ["The file is larger than 1 MB."];
            return Page();
        }

        var wanted = await ReadAsync(cancellation);
        if (!Problems.IsEmpty)
        {
            return Page();
        }

        // Values that change nobody's rights are shown before they are set as well.
        Consequences = await Consequences.ToShowAsync(Request.Form, [Lines], async () => await SaidAsync(wanted, cancellation));
        if (Consequences is not null || Changes.IsEmpty)
        {
            Problems = Changes.IsEmpty ? ["Everybody has these values already."] : [];
            return Page();
        }

        foreach (var (person, kept) in wanted)
        {
            person.Attributes = kept;
        }

        await store.SaveChangesAsync(cancellation);
        (Done, Lines, Changes) = (
            $"Set for {(wanted.Count == 1 ? "1 person" : $"{wanted.Count:N0} people")}. It holds from now on.",
            "",
            []
        );
        return Page();
    }

    private async Task ShowAsync(CancellationToken cancellation)
    {
        var known = await store.Attributes.AsNoTracking().OrderBy(attribute => attribute.Label).ToListAsync(cancellation);
        Known = string.Join(", ", known.Select(attribute => attribute.Label));
        Example = $"mail,{(known.Count == 0 ? "Port" : known[0].Label)}\nmaren@example.com,BRW";
    }

    // Whose attributes become what.
    private async Task<List<(Person Person, ImmutableDictionary<string, string> Kept)>> ReadAsync(CancellationToken cancellation)
    {
        var wanted = new List<(Person, ImmutableDictionary<string, string>)>();
        var problems = ImmutableArray.CreateBuilder<string>();
        var changes = ImmutableArray.CreateBuilder<Change>();
        if (await RowsAsync(Lines, cancellation) is not { } rows)
        {
            Problems = ["The rows cannot be read: their quotes are broken."];
            return [];
        }

        var headings = rows.FirstOrDefault() ?? [];
        var who = Array.FindIndex(headings, heading => Is(heading, "mail") || Is(heading, "email") || Is(heading, "sign-in name"));
        if (who < 0 || rows.Count < 2)
        {
            Problems = ["The first row names the columns, one of them “mail” or “sign-in name”; a row for each person follows."];
            return [];
        }

        if (rows.Count > MostRows + 1)
        {
            Problems = [$"Set at most {MostRows:N0} people at once."];
            return [];
        }

        var stored = await store.Attributes.AsNoTracking().ToListAsync(cancellation);
        var columns = headings
            .Select(heading => stored.Find(attribute => Is(heading, attribute.Label) || Is(heading, attribute.Name))?.Name)
            .ToArray();
        problems.AddRange(
            headings
                .Where((heading, at) => at != who && columns[at] is null && heading.Trim().Length > 0)
                .Select(heading => $"There is no attribute “{heading.Trim()}”.")
        );
        var names = rows.Skip(1).Select(row => row.ElementAtOrDefault(who)?.Trim().ToUpperInvariant() ?? "").ToArray();
        var people = await store
            .Users.Where(person => names.Contains(person.NormalizedEmail) || names.Contains(person.NormalizedUserName))
            .ToListAsync(cancellation);
        foreach (var (row, at) in rows.Skip(1).Select((row, at) => (row, at)))
        {
            var found = people.FindAll(person => person.NormalizedEmail == names[at] || person.NormalizedUserName == names[at]);
            if (found is not [var person] || wanted.Any(one => one.Item1 == person))
            {
                var why =
                    found.Count == 0 ? "nobody is"
                    : found.Count > 1 ? "several people are"
                    : "a row before it is of";
                problems.Add($"Row {at + 2}: {why} “{row.ElementAtOrDefault(who)?.Trim()}”.");
                continue;
            }

            string TextOf(string attribute) => row.ElementAtOrDefault(Array.IndexOf(columns, attribute))?.Trim() ?? "";
            var before = await attributes.RowsAsync(person, ownOnly: false, cancellation);
            var filled = before.Where(one => Array.IndexOf(columns, one.Name) >= 0 && TextOf(one.Name).Length > 0).ToImmutableArray();
            var (typed, kept, problem) = await attributes.ReadAsync(filled, TextOf, cancellation);
            if (problem is not null)
            {
                problems.Add($"Row {at + 2}, {person.Name}: {problem}");
                continue;
            }

            var after = person.Attributes.SetItems(kept);
            var changed = typed.Where(one => person.Attributes.GetValueOrDefault(one.Name) != after.GetValueOrDefault(one.Name)).ToArray();
            changes.AddRange(
                changed.Select(one => new Change(person.Name, one.Label, before.First(known => known.Name == one.Name).Text, one.Text))
            );
            if (changed.Length > 0)
            {
                wanted.Add((person, after));
            }
        }

        (Problems, Changes) = ([.. problems.Take(MostProblems)], changes.ToImmutable());
        return wanted;
    }

    private async Task<IReadOnlyList<string>> SaidAsync(
        List<(Person Person, ImmutableDictionary<string, string> Kept)> wanted,
        CancellationToken cancellation
    )
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var lines = new List<string>();
        foreach (var (person, kept) in wanted.Take(MostLooked))
        {
            var after = workspace.People[person.Id].AsUser with { Attributes = workspace.WithValues(kept) };
            lines.AddRange(await effects.OfPersonAsync(workspace, person.Id, after, cancellation));
        }

        if (wanted.Count > MostLooked)
        {
            lines.Add($"What it means for the rights of {wanted.Count - MostLooked:N0} more people was not counted.");
        }

        return lines.Count > 0 ? lines
            : Changes.IsEmpty ? []
            : ["Nobody gains or loses a right to a record by it."];
    }

    private static bool Is(string heading, string name) => heading.Trim().Equals(name, StringComparison.OrdinalIgnoreCase);

    // Null where its quotes are broken.
    private static async Task<List<string[]>?> RowsAsync(string text, CancellationToken cancellation)
    {
        var options = new CsvReaderOptions
        {
            Separator = TextForm.DelimiterOf(text),
            HasHeader = false,
            MalformedData = CsvMalformedDataHandling.Throw,
        };
        await using var reader = CsvReader.Create(new StringReader(text), options, leaveOpen: false);
        var rows = new List<string[]>();
        try
        {
            while (await reader.ReadAsync(cancellation))
            {
                rows.Add([.. Enumerable.Range(0, reader.FieldCount).Select(reader.GetString)]);
            }
        }
        catch (CsvFormatException)
        {
            return null;
        }

        return rows;
    }
}
