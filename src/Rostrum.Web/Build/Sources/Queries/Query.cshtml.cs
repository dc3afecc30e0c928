using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Sources.Sql;
using Rostrum.Store;
using Rostrum.Web.Build.Sources.Requests;
using Rostrum.Web.People;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Sources.Queries;

/// <summary>A query in SQL: run with sample values, looked at, and kept as a dataset.</summary>
internal sealed class QueryModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    SourceSecrets secrets,
    RecordGate gate,
    RecordFormat format,
    CurrentPerson person,
    TimeProvider time
) : PageModel
{
    private const int MostShown = 50;
    private const int LongestName = 60;

    public StoredSource Source { get; private set; } = null!;

    public DatasetCatalogue Catalogue { get; private set; } = new([]);

    /// <summary>The dataset that is edited; null for a new one.</summary>
    public Dataset? Known { get; private set; }

    public string Name { get; private set; } = "";

    public DatasetQuery Query { get; private set; } = new("", []);

    /// <summary>What is typed for each parameter, to try the query.</summary>
    public ImmutableDictionary<string, string> Samples { get; private set; } = ImmutableDictionary<string, string>.Empty;

    public ImmutableHashSet<string> Key { get; private set; } = [];

    public string? Problem { get; private set; }

    /// <summary>The dataset as it would be.</summary>
    public Dataset? Shown { get; private set; }

    public ReadResult.Rows? Rows { get; private set; }

    public ImmutableArray<SourceCall> Calls { get; private set; } = [];

    /// <summary>The parameters are part of the answer: some were found in the text.</summary>
    public bool HasNewParameters { get; private set; }

    /// <summary>It is a statement that changes data.</summary>
    public bool IsStatement => Query.IsStatement;

    /// <summary>"query" or "statement".</summary>
    public string Noun => IsStatement ? "statement" : "query";

    /// <summary>What the database said of a statement that changes data.</summary>
    public StatementTrial.Sound? Trial { get; private set; }

    public RecordFormat Format => format;

    public string Here => $"/build/sources/{Source.Id:N}/queries/{Known?.Id.ToString() ?? "new"}";

    /// <summary>The address of one of the page's answers.</summary>
    public string At(string? handler = null) =>
        QueryHelpers.AddQueryString(
            Here,
            new Dictionary<string, string?> { ["handler"] = handler, ["changes"] = IsStatement && Known is null ? "yes" : null }
        );

    /// <summary>The tables and their columns, for completion.</summary>
    public string Tables =>
        JsonSerializer.Serialize(
            Source.Structure.Tables.ToDictionary(
                table => table.Name.ToString(),
                table => table.Columns.Select(column => column.Name).ToArray()
            )
        );

    /// <summary>Ready patterns for a table.</summary>
    public IEnumerable<(string Label, string Text)> Patterns(TableStructure table)
    {
        string Quoted(string name) =>
            name.All(letter => char.IsAsciiLetterLower(letter) || char.IsAsciiDigit(letter) || letter == '_') ? name : Quote(name);
        var from = table.Name.Schema is "public" or "" ? Quoted(table.Name.Name) : $"{Quoted(table.Name.Schema)}.{Quoted(table.Name.Name)}";
        if (IsStatement)
        {
            foreach (var pattern in Changes(table, from, Quoted))
            {
                yield return pattern;
            }

            yield break;
        }

        var columns = string.Join(", ", table.Columns.Take(12).Select(column => Quoted(column.Name)));
        yield return ("Select", $"SELECT {columns}\nFROM {from}");
        if (table.PrimaryKey is [var key])
        {
            yield return ("One by key", $"SELECT {columns}\nFROM {from}\nWHERE {Quoted(key)} = ${{{Wording.FieldName(key, [])}}}");
        }

        if (
            table.Columns.FirstOrDefault(column =>
                column.Type is FieldType.Choice or FieldType.Text && !table.PrimaryKey.Contains(column.Name)
            ) is
            { } by
        )
        {
            yield return ($"Count by {by.Name}", $"SELECT {Quoted(by.Name)}, count(*) AS records\nFROM {from}\nGROUP BY {Quoted(by.Name)}");
        }
    }

    private static IEnumerable<(string Label, string Text)> Changes(TableStructure table, string from, Func<string, string> quoted)
    {
        string Parameter(string column) => $"${{{Wording.FieldName(column, [])}}}";
        var written = table.Columns.Where(column => column.Generation is ColumnGeneration.None).Take(12).ToArray();
        yield return (
            "Insert",
            $"INSERT INTO {from} ({string.Join(", ", written.Select(column => quoted(column.Name)))})\n"
                + $"VALUES ({string.Join(", ", written.Select(column => Parameter(column.Name)))})"
        );
        if (table.PrimaryKey.IsEmpty)
        {
            yield break;
        }

        var where = "WHERE " + string.Join(" AND ", table.PrimaryKey.Select(key => $"{quoted(key)} = {Parameter(key)}"));
        if (written.FirstOrDefault(column => !table.PrimaryKey.Contains(column.Name)) is { } first)
        {
            yield return ("Update", $"UPDATE {from}\nSET {quoted(first.Name)} = {Parameter(first.Name)}\n{where}");
        }

        yield return ("Delete", $"DELETE FROM {from}\n{where}");
    }

    private string Quote(string name) => QueryTrying.Quoted(Source.Kind, name);

    public async Task<IActionResult> OnGetAsync(Guid id, string query, CancellationToken cancellation) =>
        await LoadAsync(id, query, cancellation) ? Page() : NotFound();

    public async Task<IActionResult> OnPostRunAsync(Guid id, string query, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, query, cancellation))
        {
            return NotFound();
        }

        Read();
        await RunAsync(withRows: true, cancellation);
        return Request.IsPartial() ? Partial("/Build/Sources/Queries/_QueryAnswer.cshtml", this) : Page();
    }

    public async Task<IActionResult> OnPostAsync(Guid id, string query, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, query, cancellation))
        {
            return NotFound();
        }

        Read();
        Problem =
            Name.Length is 0 or > LongestName ? $"Give the {Noun} a name."
            : Catalogue.All.Any(other =>
                other.Id != Known?.Id && other.Source.Value == id && other.Label.Equals(Name, StringComparison.OrdinalIgnoreCase)
            )
                ? $"There is “{Name}” already. Choose another name."
            : null;
        if (Problem is null)
        {
            await RunAsync(withRows: false, cancellation);
            if (Trial is not null)
            {
                Shown = DatasetMaking.OfStatement(new SourceId(id), Known?.Id ?? new DatasetId(Guid.NewGuid()), Name, Query);
            }
        }

        if (Problem is not null || Shown is null)
        {
            return Request.IsPartial() ? Partial("/Build/Sources/Queries/_QueryAnswer.cshtml", this) : Page();
        }

        await store.SaveOnNewestAsync(() => store.TakeAsync([Shown], cancellation), cancellation);
        TempData["note"] = $"The {Noun} {Name} is saved.";
        var address = IsStatement ? $"/build/sources/{id:N}/{Shown.Id}/access" : $"/build/sources/{id:N}/{Shown.Id}";
        if (!Request.IsPartial())
        {
            return Redirect(address);
        }

        Response.Headers["HX-Redirect"] = address;
        return new EmptyResult();
    }

    public async Task<IActionResult> OnPostRemoveAsync(Guid id, string query, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, query, cancellation) || Known is null)
        {
            return NotFound();
        }

        await MadeDatasets.RemoveAsync(store, Known.Id, cancellation);
        return Redirect($"/build/sources/{id:N}");
    }

    private void Read()
    {
        var form = Request.Form;
        string Text(string key) => form[key].ToString().Trim();
        Name = Text("Name");
        var parameters = ImmutableArray.CreateBuilder<QueryParameter>();
        var samples = ImmutableDictionary.CreateBuilder<string, string>(StringComparer.OrdinalIgnoreCase);
        for (var at = 0; form.ContainsKey($"parameter.{at}"); at++)
        {
            if (Text($"parameter.{at}") is { Length: > 0 } name)
            {
                var type = RequestForm.Types.FirstOrDefault(type => type.Name == Text($"type.{at}")).Type ?? new FieldType.Text();
                parameters.Add(
                    new QueryParameter(
                        Wording.FieldName(name, parameters.Select(known => known.Name)),
                        type,
                        Text($"default.{at}") is { Length: > 0 } usual ? usual : null
                    )
                );
                samples[parameters[^1].Name.Value] = Text($"sample.{at}");
            }
        }

        Samples = samples.ToImmutable();
        var changes = IsStatement;
        Query = new DatasetQuery(form["Text"].ToString().Replace("\r\n", "\n", StringComparison.Ordinal), parameters.ToImmutable());

        // A parameter that the text no longer names is gone; a name that it has newly is one.
        var named = Template.Parse(Query.Text).Parts.OfType<TemplatePart.Formula>().Select(part => part.Parsed.Text).ToArray();
        Query = new DatasetQuery(
            Query.Text,
            [.. Query.Parameters.Where(known => named.Any(text => text.Contains(known.Name.Value, StringComparison.OrdinalIgnoreCase)))]
        );
        var unknown = Query.UnknownNames().ToArray();
        HasNewParameters = unknown.Length > 0 || Query.Parameters.Length != parameters.Count;
        Query = new DatasetQuery(
            Query.Text,
            [.. Query.Parameters, .. unknown.Select(name => new QueryParameter(new FieldName(name.ToLowerInvariant()), TypeOf(name), null))]
        )
        {
            IsStatement = changes,
        };
        Key = [.. form["key"].OfType<string>()];
    }

    // That of the column of the same name, where all that are called so have it.
    private FieldType TypeOf(string parameter)
    {
        var types = Source
            .Structure.Tables.SelectMany(table => table.Columns)
            .Where(column => Wording.FieldName(column.Name, []).Value.Equals(parameter, StringComparison.OrdinalIgnoreCase))
            .Select(column => column.Type.GetType())
            .Distinct()
            .ToArray();
        return types is [var only] && RequestForm.Types.FirstOrDefault(type => type.Type.GetType() == only) is { Type: { } known }
            ? known
            : new FieldType.Text();
    }

    private async Task RunAsync(bool withRows, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var grants = new Grants(Rights.Everywhere(Grant.ViewOnly), (await person.GrantsAsync(cancellation)).User ?? workspace.Anybody);
        Problem = Query.Problem(grants.Names);
        var given = ImmutableDictionary.CreateBuilder<string, object?>(StringComparer.OrdinalIgnoreCase);
        foreach (var parameter in Query.Parameters.Where(parameter => Samples.GetValueOrDefault(parameter.Name.Value) is { Length: > 0 }))
        {
            switch (FieldText.FromForm(parameter.Type, Samples[parameter.Name.Value], format))
            {
                case Parsed.Value value:
                    given[parameter.Name.Value] = DatasetShapes.Carried(value.Is);
                    break;
                case Parsed.Problem problem:
                    Problem ??= $"{parameter.Name}: {problem.Message}";
                    break;
            }
        }

        if (Problem is not null)
        {
            return;
        }

        var settings = secrets.Settings(SourceEntry.Of(Source), workspace.Secrets);
        var context = new FormulaContext(time.GetUtcNow(), format.Zone);
        if (IsStatement)
        {
            await TryAsync(settings, given.ToImmutable(), grants, context, cancellation);
            return;
        }

        switch (await QueryTrying.ShapeAsync(settings, Query, given.ToImmutable(), grants, context, cancellation))
        {
            case QueryShape.Failed failed:
                Problem = failed.Message;
                break;
            case QueryShape.Columns columns:
                Shown = DatasetMaking.OfQuery(
                    new SourceId(Source.Id),
                    Known?.Id ?? new DatasetId(Guid.NewGuid()),
                    Name.Length == 0 ? "Query" : Name,
                    Query,
                    columns.All,
                    [.. columns.All.Select(column => column.Name).Where(Key.Contains)],
                    Known,
                    format
                );
                if (withRows)
                {
                    await ShowAsync(Shown, given.ToImmutable(), grants, cancellation);
                }

                break;
        }
    }

    // It is run only where the builder says so, and then rolled back.
    private async Task TryAsync(
        SourceSettings settings,
        ImmutableDictionary<string, object?> given,
        Grants grants,
        FormulaContext context,
        CancellationToken cancellation
    )
    {
        var run = Request.Form.ContainsKey("roll-back");
        switch (await QueryTrying.TryAsync(settings, Query, given, grants, context, run, cancellation))
        {
            case StatementTrial.Failed failed:
                Problem = failed.Message;
                break;
            case StatementTrial.Sound sound:
                Trial = sound;
                break;
        }
    }

    private async Task ShowAsync(Dataset shown, ImmutableDictionary<string, object?> given, Grants grants, CancellationToken cancellation)
    {
        var calls = new List<SourceCall>();
        var request = new ReadRequest(shown.Id)
        {
            Fields = [.. shown.Fields.Select(field => field.Name)],
            Filter = new Filter.Given(given),
            Window = new PageWindow.FromStart(0, MostShown),
        };
        var catalogue = new DatasetCatalogue([.. Catalogue.All.Where(other => other.Id != shown.Id), shown]);
        switch (await gate.Watched(calls.Add).ReadAsync(catalogue, request, grants, cancellation))
        {
            case ReadResult.Rows rows:
                Rows = rows;
                break;
            case ReadResult.Failed failed:
                Problem = failed.Failure.Message;
                break;
            case ReadResult.Invalid invalid:
                Problem = invalid.Problem;
                break;
            case ReadResult.Denied denied:
                Problem = denied.Reason;
                break;
        }

        Calls = [.. calls];
    }

    private async Task<bool> LoadAsync(Guid id, string query, CancellationToken cancellation)
    {
        if (
            await store.Sources.AsNoTracking().FirstOrDefaultAsync(source => source.Id == id, cancellation) is not { } source
            || !QueryTrying.IsFor(source.Kind)
        )
        {
            return false;
        }

        (Source, Catalogue) = (source, await store.DatasetsAsync(cancellation));
        if (query == "new")
        {
            Query = new DatasetQuery("", []) { IsStatement = Request.Query["changes"] == "yes" };
            return true;
        }

        Known = Guid.TryParse(query, out var known) ? Catalogue.Find(new DatasetId(known)) : null;
        if (Known is not { Query: { } text } || Known.Source.Value != id)
        {
            return false;
        }

        (Name, Query) = (Known.Label, text);
        Key = [.. Known.Key.Select(name => Known[name].Column)];
        return true;
    }
}
