using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Sources;

/// <summary>A source's name and connection, and its end. A change is tried before it is kept; pages that are open go on.</summary>
internal sealed class SettingsModel(
    RostrumStore store,
    Drafts drafts,
    PublishedApps apps,
    WorkspaceCache workspaces,
    SourceSecrets secrets,
    SourceFiles files
) : ConnectionModel(files, secrets, workspaces)
{
    public StoredSource Source { get; private set; } = null!;

    public int Tables { get; private set; }

    /// <summary>The apps that show its records: the name, the address, and whether the draft or the live version does.</summary>
    public ImmutableArray<(string Name, string Address, string What)> UsedBy { get; private set; } = [];

    /// <summary>Other sources of the same kind.</summary>
    public ImmutableArray<(Guid Id, string Name)> Others { get; private set; } = [];

    /// <summary>The source at which its datasets would be pointed, and what comes of that; null where none is chosen.</summary>
    public (Guid Id, string Name, DatasetMove Move)? Target { get; private set; }

    protected override string KnownRequests => Source.Requests;

    protected override string KnownPassword => Secrets.Unprotect(Source.ProtectedPassword);

    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        var cancellation = HttpContext.RequestAborted;
        var id = Guid.TryParse(RouteData.Values["id"] as string, out var known) ? known : default;
        if (await store.Sources.FirstOrDefaultAsync(source => source.Id == id, cancellation) is not { } found)
        {
            context.Result = NotFound();
            return;
        }

        Source = found;
        Kind = SourceKind.Find(found.Kind)!;
        if (!Request.IsPartial())
        {
            await UseAsync(cancellation);
        }

        await next();
    }

    public async Task OnGetAsync(Guid? to, CancellationToken cancellation)
    {
        await ChooseAsync(to, cancellation);
        Name = Source.Name;
        Typed["Host"] = Source.Host;
        Typed["Port"] = Source.Port.ToString(CultureInfo.InvariantCulture);
        Typed["Database"] = Source.Database;
        Typed["UserName"] = Source.UserName;
        foreach (var (key, value) in JsonSerializer.Deserialize<Dictionary<string, string>>(Source.Options)!)
        {
            Typed[key] = value;
        }

        if (Source.Encrypted)
        {
            Typed["Encrypted"] = "true";
        }
    }

    public Task<IActionResult> OnPostTestAsync(CancellationToken cancellation) => TestAsync(cancellation);

    public Task<IActionResult> OnPostUploadAsync(IFormFile? upload, CancellationToken cancellation) => UploadAsync(upload, cancellation);

    public async Task<IActionResult> OnPostAsync(CancellationToken cancellation)
    {
        if (!Read())
        {
            return Show();
        }

        var name = Name.Trim();
        Refusal = await store.Sources.AnyAsync(other => other.Name == name && other.Id != Source.Id, cancellation)
            ? $"There is a source named “{name}” already. Choose another name."
            : (await SourceConnector.TestAsync(await ReachedAsync(cancellation), cancellation, Services))?.Message;
        if (Refusal is not null)
        {
            return Show();
        }

        var settings = Settings;
        (Source.Name, Source.Host, Source.Port, Source.Database, Source.UserName, Source.Encrypted) = (
            name,
            settings.Host,
            settings.Port,
            settings.Database,
            settings.User,
            settings.Encrypted
        );
        Source.Options = settings.Options;
        Source.ProtectedPassword = Secrets.Protect(settings.Password);
        await store.SaveChangesAsync(cancellation);
        return GoTo($"/build/sources/{Source.Id:N}");
    }

    public async Task<IActionResult> OnPostRemoveAsync(CancellationToken cancellation)
    {
        var datasets = await store
            .Datasets.Where(dataset => dataset.SourceId == Source.Id)
            .Select(dataset => dataset.Id)
            .ToListAsync(cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        await store.Policies.Where(policy => datasets.Contains(policy.DatasetId)).ExecuteDeleteAsync(cancellation);
        await store.Datasets.Where(dataset => dataset.SourceId == Source.Id).ExecuteDeleteAsync(cancellation);
        store.Sources.Remove(Source);
        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        return Redirect("/build");
    }

    /// <summary>Points its datasets at another source. Versions that are published keep what they were published with.</summary>
    public async Task<IActionResult> OnPostMoveAsync(Guid to, CancellationToken cancellation)
    {
        await ChooseAsync(to, cancellation);
        if (Target is not { Move: { Missing.IsEmpty: true } move })
        {
            return Redirect($"/build/sources/{Source.Id:N}/settings?to={to:N}");
        }

        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var replaced = move.Replaced.Select(id => id.Value).ToArray();
        await store.Policies.Where(policy => replaced.Contains(policy.DatasetId)).ExecuteDeleteAsync(cancellation);
        await store.Datasets.Where(dataset => replaced.Contains(dataset.Id)).ExecuteDeleteAsync(cancellation);
        await store.TakeAsync(move.Changed, cancellation);

        // What is still there can be found anew.
        Source.Structure = new SourceStructure([]);
        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        TempData["note"] = $"The datasets of {Source.Name} read {Target.Value.Name} now.";
        return Redirect($"/build/sources/{to:N}");
    }

    private async Task ChooseAsync(Guid? to, CancellationToken cancellation)
    {
        var others = await store
            .Sources.AsNoTracking()
            .Where(other => other.Kind == Source.Kind && other.Id != Source.Id)
            .ToListAsync(cancellation);
        Others = [.. others.OrderBy(other => other.Name, StringComparer.CurrentCulture).Select(other => (other.Id, other.Name))];
        if (others.FirstOrDefault(other => other.Id == to) is not { } target)
        {
            return;
        }

        var move = DatasetMove.Of(
            await store.DatasetsAsync(cancellation),
            new SourceId(Source.Id),
            new SourceId(target.Id),
            target.Structure,
            await ShownAsync(cancellation)
        );
        Target = (target.Id, target.Name, move);
    }

    // The datasets that some app shows, in its draft or live.
    private async Task<HashSet<DatasetId>> ShownAsync(CancellationToken cancellation)
    {
        var shown = new HashSet<DatasetId>();
        foreach (var app in await drafts.AllAsync(store, cancellation))
        {
            shown.UnionWith(app.Draft.Datasets);
            shown.UnionWith((await apps.LiveAsync(app.Address, cancellation))?.Definition.Datasets ?? []);
        }

        return shown;
    }

    private async Task UseAsync(CancellationToken cancellation)
    {
        var own = (await store.DatasetsAsync(cancellation, Source.Id)).All.Select(dataset => dataset.Id).ToHashSet();
        var users = ImmutableArray.CreateBuilder<(string, string, string)>();
        foreach (var app in await drafts.AllAsync(store, cancellation))
        {
            var live = await apps.LiveAsync(app.Address, cancellation);
            var (draft, published) = (app.Draft.Datasets.Any(own.Contains), live?.Definition.Datasets.Any(own.Contains) == true);
            if (draft || published)
            {
                users.Add(
                    (
                        app.Draft.Name,
                        app.Address,
                        draft && published ? "its draft and its live version"
                        : draft ? "its draft"
                        : "its live version"
                    )
                );
            }
        }

        (Tables, UsedBy) = (own.Count, users.ToImmutable());
    }
}
