using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.WebUtilities;

namespace Rostrum.Web.Together;

/// <summary>Links by which somebody ends the mails about what they watch, without signing in.</summary>
/// <remarks>A link says who, and is sealed: nobody makes one for somebody else. It can do no more than end mails.</remarks>
internal sealed class Unsubscribing(IDataProtectionProvider keys)
{
    private readonly IDataProtector _seal = keys.CreateProtector("Rostrum.Unsubscribing");

    /// <summary>The address, within the application, by which a person ends their mails.</summary>
    public string AddressOf(Guid person) => $"/unsubscribe/{WebEncoders.Base64UrlEncode(_seal.Protect(person.ToByteArray()))}";

    /// <summary>Whom such an address means; null where it is none.</summary>
    public Guid? PersonOf(string token)
    {
        try
        {
            return new Guid(_seal.Unprotect(WebEncoders.Base64UrlDecode(token)));
        }
        catch (Exception exception) when (exception is FormatException or ArgumentException or CryptographicException)
        {
            return null;
        }
    }
}
