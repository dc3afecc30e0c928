using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources;
using Rostrum.Sources.Http;
using Rostrum.Store;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Sources.Requests;

/// <summary>A request of an API: sent, its answer looked at, its list found, and kept as a table.</summary>
internal sealed class RequestModel(RostrumStore store, WorkspaceCache workspaces, SourceSecrets secrets, ApiTables tables) : PageModel
{
    public StoredSource Source { get; private set; } = null!;

    /// <summary>The name of the table that is edited; null for a new one.</summary>
    public string? Known { get; private set; }

    /// <summary>What stands in the form.</summary>
    public ApiResource Resource { get; private set; } =
        new()
        {
            Name = "",
            List = new ApiRequest { Method = "GET", Path = "/" },
        };

    public ApiAnswer? Answer { get; private set; }

    /// <summary>The lists in the answer.</summary>
    public ImmutableArray<string> Lists { get; private set; } = [];

    public string? Refusal { get; private set; }

    /// <summary>The shape of the records is part of the answer to this request.</summary>
    public bool Describes { get; private set; }

    public ImmutableArray<string> Secrets { get; private set; } = [];

    public string Here => $"/build/sources/{Source.Id:N}/requests/{Known ?? "new"}";

    public async Task<IActionResult> OnGetAsync(Guid id, string table, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            return NotFound();
        }

        return Page();
    }

    /// <summary>Sends the request as it stands in the form.</summary>
    public async Task<IActionResult> OnPostSendAsync(Guid id, string table, string? items, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            return NotFound();
        }

        (Resource, _) = RequestForm.Read(Request.Form);
        var settings = await SettingsAsync(Resource, cancellation);
        Answer = await ApiTrying.SendAsync(settings, Resource.List, cancellation);
        Lists = Answer.Json is { } json ? AnswerReading.Lists(json) : [];
        if (
            (Resource.Fields.IsEmpty || items is not null)
            && Answer.Failure is null
            && ApiTrying.Described(Resource.Name, Resource.List, Answer, items) is { } described
        )
        {
            Resource = WithGuesses(await ApiTrying.SampledAsync(settings, described, cancellation), Resource);
            Describes = true;
        }

        return Request.IsPartial() ? Partial("/Build/Sources/Requests/_Answer.cshtml", this) : Page();
    }

    public async Task<IActionResult> OnPostAsync(Guid id, string table, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            return NotFound();
        }

        (Resource, Refusal) = RequestForm.Read(Request.Form);
        if (Refusal is null && Resource.Name != Known && ApiTables.Of(Source).Any(other => other.Name == Resource.Name))
        {
            Refusal = $"There is a table “{Resource.Name}” already. Choose another name.";
        }

        if (Refusal is not null)
        {
            return Request.IsPartial() ? Partial("/Build/Sources/Requests/_Refusal.cshtml", Refusal) : Page();
        }

        var dataset = await tables.KeepAsync(Source.Id, Known, Resource, cancellation);
        TempData["note"] = $"The requests for {Resource.Name} are saved.";
        var address = $"/build/sources/{Source.Id:N}/{dataset}";
        if (!Request.IsPartial())
        {
            return Redirect(address);
        }

        Response.Headers["HX-Redirect"] = address;
        return new EmptyResult();
    }

    public async Task<IActionResult> OnPostRemoveAsync(Guid id, string table, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation) || Known is null)
        {
            return NotFound();
        }

        await tables.RemoveAsync(Source.Id, Known, cancellation);
        return Redirect($"/build/sources/{Source.Id:N}");
    }

    private async Task<SourceSettings> SettingsAsync(ApiResource resource, CancellationToken cancellation)
    {
        var all = (await workspaces.GetAsync(cancellation)).Secrets;
        var settings = secrets.Settings(SourceEntry.Of(Source), all);
        return settings with { Secrets = secrets.Named(Source.Options + Source.Requests + KindJson.Write(resource), all) };
    }

    // What the form says already stays; the requests for single records are proposed as they usually are.
    private static ApiResource WithGuesses(ApiResource described, ApiResource typed)
    {
        var path = typed.List.Path.TrimEnd('/');
        var name = described.Name.Length > 0 ? described.Name : Wording.FieldName(path.Split('/')[^1], []).Value;
        var one = described.Key is [var key] ? $"{path}/${{{Wording.FieldName(key, []).Value}}}" : null;
        return described with
        {
            Name = name,
            KeptSeconds = typed.KeptSeconds,
            Filters = typed.Filters.IsEmpty ? Filters(described) : typed.Filters,
            Order = typed.Order,
            One = typed.One ?? (one is not null && typed.List.Method == "GET" ? new ApiRequest { Method = "GET", Path = one } : null),
            Create = typed.Create,
            Update = typed.Update,
            Delete = typed.Delete,
        };
    }

    // A parameter that the request names already, and that has the name of a field.
    private static ImmutableSortedDictionary<string, string> Filters(ApiResource described) =>
        described
            .Fields.Where(field => described.List.Query.Any(pair => pair.Name == field.Name))
            .ToImmutableSortedDictionary(field => field.Name, field => field.Name, StringComparer.Ordinal);

    private async Task<bool> LoadAsync(Guid id, string table, CancellationToken cancellation)
    {
        if (
            await store.Sources.AsNoTracking().FirstOrDefaultAsync(source => source.Id == id, cancellation) is not { } source
            || SourceKind.Find(source.Kind) is not { HasRequests: true }
        )
        {
            return false;
        }

        Source = source;
        Secrets = [.. (await workspaces.GetAsync(cancellation)).Secrets.Keys.Order(StringComparer.OrdinalIgnoreCase)];
        if (table == "new")
        {
            return true;
        }

        if (ApiTables.Of(source).FirstOrDefault(resource => resource.Name == table) is not { } known)
        {
            return false;
        }

        (Known, Resource) = (table, known);
        return true;
    }
}
