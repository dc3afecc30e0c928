using System.Net;
using System.Net.Security;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text.Json;

namespace Rostrum.Sources.Tests.Engines;

/// <summary>What is demanded of the encryption of a connection, and what is said where a server does not meet it.</summary>
public sealed class EncryptionTests
{
    [Theory]
    [InlineData("postgres")]
    [InlineData("mysql")]
    public async Task A_server_that_does_not_encrypt_is_refused_where_that_is_demanded(string kind)
    {
        await using var source = await EngineSource.CreateAsync(kind, "CREATE TABLE notes (id int PRIMARY KEY)");
        Assert.Null(await SourceConnector.TestAsync(source.Settings, CancellationToken.None));
        var failure = await SourceConnector.TestAsync(source.Settings with { Encrypted = true }, CancellationToken.None);
        Assert.Contains("does not encrypt", failure!.Message, StringComparison.Ordinal);
        Assert.Equal(
            failure,
            await SourceConnector.TestAsync(source.Settings with { Options = """{"Certificate":"known"}""" }, CancellationToken.None)
        );
    }

    [Theory]
    [InlineData("unchecked", "localhost", true)]
    [InlineData("known", "localhost", false)]
    [InlineData("own", "localhost", true)]
    [InlineData("own", "elsewhere.example", false)]
    [InlineData("another", "localhost", false)]
    [InlineData("nonsense", "localhost", false)]
    public async Task A_certificate_counts_for_its_name_by_the_word_of_the_authority_that_was_named(string by, string host, bool counts)
    {
        await using var source = await EngineSource.CreateAsync("postgres", "CREATE TABLE notes (id int PRIMARY KEY)");
        using var authority = Authority();
        using var other = Authority();
        await using var server = new EncryptingServer(source.Settings, authority, host);
        var options = new Dictionary<string, string>
        {
            ["Certificate"] = by is "another" or "nonsense" ? "own" : by,
            ["Authority"] = by switch
            {
                "own" => authority.ExportCertificatePem(),
                "another" => other.ExportCertificatePem(),
                _ => "nonsense",
            },
        };
        var failure = await SourceConnector.TestAsync(
            source.Settings with
            {
                Host = "localhost",
                Port = server.Port,
                Encrypted = true,
                Options = JsonSerializer.Serialize(options),
            },
            CancellationToken.None
        );
        Assert.Equal(counts, failure is null);
        Assert.True(counts || failure!.Message.StartsWith("The certificate of localhost is not valid", StringComparison.Ordinal));
    }

    private static X509Certificate2 Authority()
    {
        using var key = ECDsa.Create();
        var request = new CertificateRequest("CN=Brackwater authority", key, HashAlgorithmName.SHA256);
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(true, false, 0, critical: true));
        return request.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddDays(30));
    }

    /// <summary>Encrypts in front of a PostgreSQL that does not.</summary>
    private sealed class EncryptingServer : IAsyncDisposable
    {
        private const int AskForEncryption = 8;
        private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
        private readonly SourceSettings _behind;
        private readonly X509Certificate2 _certificate;
        private readonly Task _serving;

        public EncryptingServer(SourceSettings behind, X509Certificate2 authority, string host)
        {
            _behind = behind;
            using var key = ECDsa.Create();
            var request = new CertificateRequest($"CN={host}", key, HashAlgorithmName.SHA256);
            var names = new SubjectAlternativeNameBuilder();
            names.AddDnsName(host);
            request.CertificateExtensions.Add(names.Build());
            using var signed = request.Create(authority, DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddDays(7), [1, 2, 3]);
            using var whole = signed.CopyWithPrivateKey(key);
            _certificate = X509CertificateLoader.LoadPkcs12(whole.Export(X509ContentType.Pfx), null);
            _listener.Start();
            _serving = ServeAsync();
        }

        public int Port => ((IPEndPoint)_listener.LocalEndpoint).Port;

        private async Task ServeAsync()
        {
            while (true)
            {
                TcpClient client;
                try
                {
                    client = await _listener.AcceptTcpClientAsync();
                }
                catch (Exception exception) when (exception is SocketException or ObjectDisposedException)
                {
                    return;
                }

                _ = PassOnAsync(client);
            }
        }

        private async Task PassOnAsync(TcpClient client)
        {
            try
            {
                using (client)
                using (var server = new TcpClient(_behind.Host, _behind.Port))
                {
                    var plain = client.GetStream();
                    await plain.ReadExactlyAsync(new byte[AskForEncryption]);
                    await plain.WriteAsync("S"u8.ToArray());
                    await using var encrypted = new SslStream(plain);
                    await encrypted.AuthenticateAsServerAsync(_certificate);
                    await Task.WhenAny(encrypted.CopyToAsync(server.GetStream()), server.GetStream().CopyToAsync(encrypted));
                }
            }
            catch (Exception exception) when (exception is IOException or System.Security.Authentication.AuthenticationException)
            {
                // Whoever refuses the certificate hangs up.
            }
        }

        public async ValueTask DisposeAsync()
        {
            _listener.Stop();
            await _serving;
            _certificate.Dispose();
        }
    }
}
