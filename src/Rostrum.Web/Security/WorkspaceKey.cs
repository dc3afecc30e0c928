using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace Rostrum.Web.Security;

/// <summary>
/// The key that protects the keys in the store, and with them cookies and the passwords of sources. It is a file outside the store
/// (PKCS #12, without a password): whoever has a copy of the database alone cannot read them.
/// </summary>
internal static class WorkspaceKey
{
    /// <summary>Writes a new key. A file that is there already is left as it is, and that is an error.</summary>
    /// <exception cref="IOException">There is such a file, or none can be written there.</exception>
    public static void Make(string path)
    {
        using var rsa = RSA.Create(3072);
        var request = new CertificateRequest("CN=Rostrum", rsa, HashAlgorithmName.SHA256, RSASignaturePadding.Pkcs1);
        using var certificate = request.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddYears(50));
        var file = new FileStreamOptions { Mode = FileMode.CreateNew, Access = FileAccess.Write };
        if (!OperatingSystem.IsWindows())
        {
            file.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        }

        using var stream = new FileStream(path, file);
        stream.Write(certificate.Export(X509ContentType.Pkcs12));
    }

    /// <summary>The key in the file that ROSTRUM_KEY names.</summary>
    /// <exception cref="InvalidOperationException">It names none, or what is no key.</exception>
    public static X509Certificate2 Read(string? path)
    {
        if (!File.Exists(path))
        {
            throw new InvalidOperationException(
                "ROSTRUM_KEY names the file with the key of this workspace; `make-key FILE` makes a new one."
            );
        }

        try
        {
            return X509CertificateLoader.LoadPkcs12FromFile(path, null);
        }
        catch (CryptographicException failure)
        {
            throw new InvalidOperationException($"{path} holds no key.", failure);
        }
    }
}
