using System.Buffers.Binary;
using System.Globalization;
using System.Security.Cryptography;

namespace Rostrum.Web.Tests;

/// <summary>What an authenticator app computes: RFC 6238 over HMAC-SHA-1, six digits, thirty seconds.</summary>
internal static class Totp
{
    public static string Code(string key, DateTimeOffset at)
    {
        Span<byte> step = stackalloc byte[8];
        BinaryPrimitives.WriteInt64BigEndian(step, at.ToUnixTimeSeconds() / 30);
#pragma warning disable CA5350 // The standard's.
        var hash = HMACSHA1.HashData(Decoded(key.Replace(" ", "", StringComparison.Ordinal)), step);
#pragma warning restore CA5350
        var number = BinaryPrimitives.ReadInt32BigEndian(hash.AsSpan(hash[^1] & 0xF, 4)) & 0x7FFFFFFF;
        return (number % 1_000_000).ToString("000000", CultureInfo.InvariantCulture);
    }

    // Base32 of RFC 4648.
    private static byte[] Decoded(string key)
    {
        var (bytes, held, bits) = (new List<byte>(), 0, 0);
        foreach (var letter in key)
        {
            held = (held << 5) | "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567".IndexOf(letter, StringComparison.Ordinal);
            bits += 5;
            if (bits >= 8)
            {
                bits -= 8;
                bytes.Add((byte)(held >> bits));
            }
        }

        return [.. bytes];
    }
}
