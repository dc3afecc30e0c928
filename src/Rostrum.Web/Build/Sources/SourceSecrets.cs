using Microsoft.AspNetCore.DataProtection;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Build.Sources;

/// <summary>Encrypts the passwords of sources, and decrypts them for the gate alone.</summary>
internal sealed class SourceSecrets(IDataProtectionProvider protection, SourceFiles files)
{
    private readonly IDataProtector _protector = protection.CreateProtector("Rostrum.SourcePassword.1");

    public string Protect(string password) => _protector.Protect(password);

    public string Unprotect(string password) => _protector.Unprotect(password);

    /// <summary>How a source is reached, with the secrets that its settings and requests name.</summary>
    public SourceSettings Settings(SourceEntry source, IReadOnlyDictionary<string, string> all) =>
        files.Placed(
            new SourceSettings(
                source.Host,
                source.Port,
                source.Database,
                source.UserName,
                _protector.Unprotect(source.ProtectedPassword),
                source.Encrypted
            )
            {
                Kind = source.Kind,
                Options = source.Options,
                Requests = source.Requests,
                Secrets = Named(source.Options + source.Requests, all),
            }
        );

    /// <summary>The secrets that a text names.</summary>
    public SecretValues Named(string text, IReadOnlyDictionary<string, string> all) =>
        new(
            all.Where(secret => text.Contains($"secrets.{secret.Key}", StringComparison.OrdinalIgnoreCase))
                .Select(secret => KeyValuePair.Create(secret.Key, _protector.Unprotect(secret.Value)))
        );
}

/// <summary>Tells the gate how to reach the workspace's sources.</summary>
internal sealed class SourceDirectory(WorkspaceCache workspaces, SourceSecrets secrets, SourceNotes notes) : ISourceDirectory
{
    private readonly System.Runtime.CompilerServices.ConditionalWeakTable<SourceEntry, SourceSettings> _known = [];

    public async ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (!workspace.Sources.TryGetValue(source.Value, out var stored))
        {
            return null;
        }

        var settings = _known.GetValue(stored, entry => secrets.Settings(entry, workspace.Secrets));
        if (!settings.Secrets.AreNone)
        {
            notes.Used(stored.Name, settings.Secrets);
        }

        return settings;
    }

    public void Failed(SourceId source, SourceFailure failure) => notes.Failed(source, failure);
}
