using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People;
using Rostrum.Web.People.Viewing;

namespace Rostrum.Web.Live;

/// <summary>The apps that the person may open.</summary>
internal sealed class IndexModel(
    RostrumStore store,
    Drafts drafts,
    WorkspaceCache workspaces,
    PublishedApps apps,
    CurrentPerson person,
    ViewAs viewAs,
    RecordFormat format
) : PageModel
{
    /// <param name="Address">Its address.</param>
    /// <param name="Name">What people call it.</param>
    /// <param name="Icon">Its icon; none where null.</param>
    /// <param name="Says">What it is for.</param>
    /// <param name="Opened">How long ago the person opened it; null where never.</param>
    public sealed record Entry(string Address, string Name, string? Icon, string Says, string? Opened);

    private static readonly Field Opened = new()
    {
        Name = new FieldName("opened"),
        Column = "",
        NativeType = "",
        Label = "Opened",
        Type = new FieldType.Instant(),
        Format = new DisplayFormat.Relative(),
    };

    public ImmutableArray<Entry> Apps { get; private set; } = [];

    /// <summary>A draft that differs from what is live, or that nobody has published.</summary>
    public sealed record DraftEntry(string Address, string Name, string Says, int Problems);

    /// <summary>For builders, what is in the works.</summary>
    public ImmutableArray<DraftEntry> Drafts { get; private set; } = [];

    public bool MayBuild { get; private set; }

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        MayBuild = await person.MayBuildAsync(cancellation);
        var roles = (await viewAs.SeenAsync(cancellation))?.Roles ?? await person.RolesAtWorkAsync(cancellation);
        var entries = ImmutableArray.CreateBuilder<Entry>();
        var opened = await store
            .Openings.Where(opening => opening.PersonId == person.Id)
            .ToDictionaryAsync(opening => opening.App, opening => opening.At, cancellation);
        foreach (var entry in (await workspaces.GetAsync(cancellation)).Apps)
        {
            if (
                await apps.LiveAsync(entry.Address, cancellation) is { } app
                && app.Definition.Pages.Where(page => page.IsFor(roles)).ToArray() is { Length: > 0 } pages
            )
            {
                entries.Add(
                    new Entry(
                        entry.Address,
                        app.Definition.Name,
                        app.Definition.Look?.Icon,
                        app.Definition.Look?.Description
                            ?? string.Join(" · ", pages.Where(page => !page.Unlisted).Select(page => page.Name)),
                        opened.TryGetValue(entry.Address, out var at) ? format.Display(Opened, at) : null
                    )
                );
            }
        }

        Apps = entries.ToImmutable();
        Drafts = MayBuild ? await DraftsAsync(cancellation) : [];
    }

    private async Task<ImmutableArray<DraftEntry>> DraftsAsync(CancellationToken cancellation)
    {
        var catalogue = await store.DatasetsAsync(cancellation);
        var anybody = (await workspaces.GetAsync(cancellation)).Anybody;
        var entries = ImmutableArray.CreateBuilder<DraftEntry>();
        var only = await person.BuildsOnlyAsync(cancellation);
        foreach (var draft in (await drafts.AllAsync(store, cancellation)).Where(draft => only is null || only.Contains(draft.Id)))
        {
            var live = await apps.LiveAsync(draft.Address, cancellation);
            var changes = live?.ChangesTo(draft.Draft, catalogue) ?? 0;
            if (live is null || changes > 0)
            {
                entries.Add(
                    new DraftEntry(
                        draft.Address,
                        draft.Draft.Name,
                        live is null
                            ? "not published yet"
                            : $"{changes} {(changes == 1 ? "change" : "changes")} since version {live.Version}",
                        AppProblems.Of(draft.Draft, catalogue, anybody).Count(problem => !problem.Warns)
                    )
                );
            }
        }

        return entries.ToImmutable();
    }
}
