using Microsoft.AspNetCore.DataProtection;

namespace Rostrum.Web.People.SignOn;

/// <summary>Encrypts the secrets that Rostrum shows to identity providers and directories.</summary>
internal sealed class ProviderSecrets(IDataProtectionProvider protection)
{
    private readonly IDataProtector _protector = protection.CreateProtector("Rostrum.SignInProvider.1");

    public string Protect(string secret) => _protector.Protect(secret);

    public string Unprotect(string secret) => _protector.Unprotect(secret);
}
