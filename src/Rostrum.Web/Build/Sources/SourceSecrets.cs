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

    public SourceSettings Settings(SourceEntry source) =>
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
            }
        );
}

/// <summary>Tells the gate how to reach the workspace's sources.</summary>
internal sealed class SourceDirectory(WorkspaceCache workspaces, SourceSecrets secrets) : ISourceDirectory
{
    private readonly System.Runtime.CompilerServices.ConditionalWeakTable<SourceEntry, SourceSettings> _known = [];

    public async ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation) =>
        (await workspaces.GetAsync(cancellation)).Sources.TryGetValue(source.Value, out var stored)
            ? _known.GetValue(stored, secrets.Settings)
            : null;
}
