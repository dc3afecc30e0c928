using System.Collections.Immutable;
using System.Net.Security;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace Rostrum.Sources.Sql;

/// <summary>Whether the certificate with which a server encrypts is looked at, and by whose word it counts.</summary>
internal sealed class ServerCertificate
{
    private const string Checked = "Certificate";
    private const string Authority = "Authority";
    private readonly X509Certificate2Collection? _authorities;

    private readonly bool _isChecked;

    private ServerCertificate(string isChecked, string authority, bool isEncrypted)
    {
        _isChecked = isChecked is "known" or "own";
        IsDemanded = isEncrypted || _isChecked;
        if (isChecked == "own")
        {
            _authorities = [];
            try
            {
                _authorities.ImportFromPem(authority);
            }
            catch (CryptographicException)
            {
                // What is none trusts nobody.
            }
        }
    }

    /// <summary>There is no connection but an encrypted one.</summary>
    public bool IsDemanded { get; }

    /// <summary>What builders say of it.</summary>
    public static ImmutableArray<SourceSetting> Settings { get; } =
    [
        new(Checked, "Certificate of the server", SettingInput.Choice)
        {
            Options =
            [
                ("unchecked", "is not checked"),
                ("known", "must be valid: signed by an authority that this machine trusts"),
                ("own", "must be valid: signed by the authority below"),
            ],
        },
        new(Authority, "Certificate of the authority", SettingInput.Lines)
        {
            Example = "-----BEGIN CERTIFICATE-----",
            Help = "In PEM, as the administrator of the server has it.",
            Missing = "Paste the certificate of the authority.",
            When = (Checked, ["own"]),
        },
    ];

    public static ServerCertificate Of(SourceSettings settings)
    {
        var options = settings.ReadOptions();
        return new ServerCertificate(options.GetValueOrDefault(Checked, ""), options.GetValueOrDefault(Authority, ""), settings.Encrypted);
    }

    /// <summary>Whether a server's certificate counts: the callback of a TLS handshake.</summary>
    public bool Accepts(object sender, X509Certificate? certificate, X509Chain? chain, SslPolicyErrors errors)
    {
        if (!_isChecked || errors == SslPolicyErrors.None)
        {
            return true;
        }

        if (_authorities is null || errors != SslPolicyErrors.RemoteCertificateChainErrors || certificate is null)
        {
            return false;
        }

        using var own = new X509Chain();
        own.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
        own.ChainPolicy.CustomTrustStore.AddRange(_authorities);
        own.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck;
        own.ChainPolicy.ExtraStore.AddRange(chain?.ChainPolicy.ExtraStore ?? []);
        using var presented = X509CertificateLoader.LoadCertificate(certificate.GetRawCertData());
        return own.Build(presented);
    }
}
