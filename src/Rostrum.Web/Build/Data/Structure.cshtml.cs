using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drift;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;

namespace Rostrum.Web.Build.Data;

/// <summary>A source's structure read again: what is other than it was, what that breaks, and accepting it.</summary>
internal sealed class StructureModel(
    RostrumStore store,
    Drafts drafts,
    WorkspaceCache workspaces,
    SourceSecrets secrets,
    SourceServices services,
    RecordFormat format,
    TimeProvider time
) : PageModel
{
    public StoredSource Source { get; private set; } = null!;

    public ImmutableArray<StructureChange> Changes { get; private set; } = [];

    public ImmutableArray<DriftEffect> Effects { get; private set; } = [];

    public string? Failure { get; private set; }

    /// <summary>What was read, in short: it must be the same when it is accepted.</summary>
    public string Digest { get; private set; } = "";

    public string? Refusal { get; private set; }

    public string LastRead => format.Display(new FieldType.Instant(), Source.ReadAt);

    private ImmutableArray<Dataset> _after = [];
    private SourceStructure? _now;

    public async Task<IActionResult> OnGetAsync(Guid id, CancellationToken cancellation) =>
        await ReadAsync(id, cancellation) ? Page() : NotFound();

    public async Task<IActionResult> OnPostAsync(Guid id, string digest, CancellationToken cancellation)
    {
        if (!await ReadAsync(id, cancellation))
        {
            return NotFound();
        }

        if (_now is null || digest != Digest)
        {
            Refusal = _now is null ? null : "The source has changed again since this was shown. Check the changes again.";
            return Page();
        }

        var source = await store.Sources.FirstAsync(row => row.Id == id, cancellation);
        (source.Structure, source.ReadAt) = (_now, time.GetUtcNow());
        await store.TakeAsync(_after, cancellation);
        await store.SaveChangesAsync(cancellation);
        TempData["note"] = "The structure is accepted.";
        return Redirect($"/build/sources/{id:N}");
    }

    private async Task<bool> ReadAsync(Guid id, CancellationToken cancellation)
    {
        if (await store.Sources.AsNoTracking().FirstOrDefaultAsync(source => source.Id == id, cancellation) is not { } source)
        {
            return false;
        }

        Source = source;
        var settings = secrets.Settings(SourceEntry.Of(source), (await workspaces.GetAsync(cancellation)).Secrets);
        switch (await SourceConnector.ReadStructureAsync(settings, cancellation, services))
        {
            case StructureResult.Failed failed:
                Failure = failed.Failure.Message;
                break;
            case StructureResult.Read read:
                await CompareAsync(read, settings, cancellation);
                break;
        }

        return true;
    }

    private async Task CompareAsync(StructureResult.Read read, SourceSettings settings, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var before = await store.DatasetsAsync(cancellation, Source.Id);
        _now = read.Structure;
        _after =
        [
            .. DriftAcceptance
                .Accept(new SourceId(Source.Id), [.. before.All], Source.Structure, read.Structure, read.Evidence, format)
                .Select(dataset => SourceConnector.Drafted(dataset, settings)),
        ];
        Changes = StructureDrift.Compare(Source.Structure, read.Structure);
        var apps = (await drafts.AllAsync(store, cancellation)).Select(app => app.Draft).ToList();
        var labels = workspace.Roles.ToDictionary(role => role.Name, role => role.Label);
        Effects = DriftEffects.Of(
            before,
            new DatasetCatalogue(_after),
            apps,
            workspace.Policies.Select(policy => (labels.GetValueOrDefault(policy.Role, policy.Role), policy)),
            workspace.Anybody
        );

        // The server's estimate of rows changes by itself.
        var text = JsonSerializer.Serialize(
            read.Structure with
            {
                Tables = [.. read.Structure.Tables.Select(table => table with { EstimatedRows = null })],
            },
            KindJson.Options
        );
        Digest = Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(System.Text.Encoding.UTF8.GetBytes(text)));
    }
}
