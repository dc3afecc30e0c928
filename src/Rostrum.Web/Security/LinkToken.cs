using System.Security.Cryptography;
using System.Text;
using Microsoft.AspNetCore.WebUtilities;

namespace Rostrum.Web.Security;

/// <summary>What a link holds that lets whoever has it in: 256 random bits, of which the store keeps a digest alone.</summary>
internal static class LinkToken
{
    /// <summary>A token, and what is kept of it.</summary>
    public static (string Token, byte[] Digest) Make()
    {
        var token = WebEncoders.Base64UrlEncode(RandomNumberGenerator.GetBytes(32));
        return (token, Digest(token));
    }

    /// <summary>What is kept of a token: its SHA-256.</summary>
    public static byte[] Digest(string token) => SHA256.HashData(Encoding.UTF8.GetBytes(token));
}
