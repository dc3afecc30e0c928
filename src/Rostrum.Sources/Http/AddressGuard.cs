using System.Net;
using System.Net.Sockets;

namespace Rostrum.Sources.Http;

/// <summary>
/// Keeps requests from addresses that belong to the machine's own surroundings: link-local ones, and those under which clouds tell a
/// machine its own credentials. An administrator may allow them with ROSTRUM_LINK_LOCAL=allow.
/// </summary>
public static class AddressGuard
{
    private static readonly IPAddress CloudMetadata = IPAddress.Parse("fd00:ec2::254");

    private static bool IsAllowed => Environment.GetEnvironmentVariable("ROSTRUM_LINK_LOCAL") == "allow";

    /// <summary>Connects to a host's first address that is allowed.</summary>
    /// <exception cref="AddressRefusedException">None is.</exception>
    public static async ValueTask<Stream> ConnectAsync(SocketsHttpConnectionContext context, CancellationToken cancellation)
    {
        var addresses = IPAddress.TryParse(context.DnsEndPoint.Host.Trim('[', ']'), out var literal)
            ? [literal]
            : await Dns.GetHostAddressesAsync(context.DnsEndPoint.Host, cancellation);
        var allowed = addresses.Where(address => IsAllowed || !IsRefused(address)).ToArray();
        if (allowed.Length == 0)
        {
            throw new AddressRefusedException(context.DnsEndPoint.Host);
        }

        var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        try
        {
            await socket.ConnectAsync(allowed, context.DnsEndPoint.Port, cancellation);
            return new NetworkStream(socket, ownsSocket: true);
        }
        catch
        {
            socket.Dispose();
            throw;
        }
    }

    internal static bool IsRefused(IPAddress address)
    {
        var plain = address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address;
        return plain.IsIPv6LinkLocal
            || plain.Equals(CloudMetadata)
            || plain.Equals(IPAddress.Any)
            || plain.Equals(IPAddress.IPv6Any)
            || (plain.AddressFamily is AddressFamily.InterNetwork && plain.GetAddressBytes() is [169, 254, ..]);
    }
}

/// <summary>An address to which no request goes.</summary>
public sealed class AddressRefusedException(string host) : Exception($"no request goes to {host}")
{
    /// <summary>The host that was refused.</summary>
    public string Host => host;
}
