using System.Collections.Concurrent;
using System.Globalization;
using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.Encodings.Web;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;

namespace Rostrum.StandIns.Post;

/// <summary>A mail that came in.</summary>
public sealed record ReceivedMail(string From, string To, string Text, DateTimeOffset At);

/// <summary>
/// Takes mail for the demo and the tests, as a mail server would (SMTP, RFC 5321, as much of it as a plain sender needs), shows it on a
/// page, and sends nothing on.
/// </summary>
public sealed class PostRoom : IAsyncDisposable
{
    private const int LongestMail = 1_000_000;
    private const int MostKept = 200;

    private readonly TcpListener _listener;
    private readonly CancellationTokenSource _end = new();
    private readonly ConcurrentQueue<ReceivedMail> _received = new();
    private readonly Task _listening;

    /// <param name="port">The port on loopback; 0 for any that is free.</param>
    public PostRoom(int port = 0)
    {
        _listener = new TcpListener(IPAddress.Loopback, port);
        _listener.Start();
        _listening = ListenAsync();
    }

    /// <summary>Where it listens.</summary>
    public int Port => ((IPEndPoint)_listener.LocalEndpoint).Port;

    /// <summary>Refuses every mail with a code of 4xx: the sender should come back later.</summary>
    public bool IsBusy { get; set; }

    /// <summary>What came in, the newest last.</summary>
    public IReadOnlyCollection<ReceivedMail> Received => [.. _received];

    /// <summary>The page that shows what came in.</summary>
    public WebApplication PageAt(string address)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        var page = builder.Build();
        page.Urls.Add(address);
        page.MapGet("/", () => Results.Content(Page(), "text/html; charset=utf-8"));
        page.MapGet("/mails", () => Results.Json(Received));
        return page;
    }

    public async ValueTask DisposeAsync()
    {
        await _end.CancelAsync();
        _listener.Stop();
        await _listening;
        _end.Dispose();
    }

    private string Page()
    {
        var text = new StringBuilder("<!doctype html><html lang=\"en\"><title>Post room</title><h1>Post room</h1>");
        foreach (var mail in Received.Reverse())
        {
            text.Append(
                CultureInfo.InvariantCulture,
                $"<article><h2>To {HtmlEncoder.Default.Encode(mail.To)}</h2><pre>{HtmlEncoder.Default.Encode(mail.Text)}</pre></article>"
            );
        }

        return text.ToString();
    }

    private async Task ListenAsync()
    {
        try
        {
            while (!_end.IsCancellationRequested)
            {
                var client = await _listener.AcceptTcpClientAsync(_end.Token);
                _ = TalkAsync(client);
            }
        }
        catch (Exception exception) when (exception is OperationCanceledException or SocketException or ObjectDisposedException)
        {
            // It is closed.
        }
    }

    private async Task TalkAsync(TcpClient client)
    {
        using var _ = client;
        try
        {
            await using var stream = client.GetStream();
            using var reader = new StreamReader(stream, Encoding.UTF8);
            await using var writer = new StreamWriter(stream, new UTF8Encoding(false)) { NewLine = "\r\n", AutoFlush = true };
            await writer.WriteLineAsync("220 post room");
            var (from, to) = ("", new List<string>());
            while (await reader.ReadLineAsync(_end.Token) is { } line)
            {
                var command = line.Split(' ', 2)[0].ToUpperInvariant();
                switch (command)
                {
                    case "EHLO":
                        await writer.WriteLineAsync("250-post room\r\n250 8BITMIME");
                        break;
                    case "MAIL":
                        (from, to) = (Between(line), []);
                        await writer.WriteLineAsync(IsBusy ? "451 come back later" : "250 ok");
                        break;
                    case "RCPT":
                        to.Add(Between(line));
                        await writer.WriteLineAsync("250 ok");
                        break;
                    case "DATA":
                        await writer.WriteLineAsync("354 go on");
                        Keep(new ReceivedMail(from, string.Join(", ", to), await DataAsync(reader), DateTimeOffset.UtcNow));
                        await writer.WriteLineAsync("250 kept");
                        break;
                    case "QUIT":
                        await writer.WriteLineAsync("221 bye");
                        return;
                    default:
                        await writer.WriteLineAsync("250 ok");
                        break;
                }
            }
        }
        catch (Exception exception) when (exception is IOException or OperationCanceledException)
        {
            // The sender went away.
        }
    }

    private void Keep(ReceivedMail mail)
    {
        _received.Enqueue(mail);
        while (_received.Count > MostKept)
        {
            _received.TryDequeue(out _);
        }
    }

    private async Task<string> DataAsync(StreamReader reader)
    {
        var text = new StringBuilder();
        while (await reader.ReadLineAsync(_end.Token) is { } line && line != ".")
        {
            if (text.Length < LongestMail)
            {
                text.AppendLine(line.StartsWith("..", StringComparison.Ordinal) ? line[1..] : line);
            }
        }

        return text.ToString();
    }

    private static string Between(string line)
    {
        var (from, to) = (line.IndexOf('<', StringComparison.Ordinal), line.IndexOf('>', StringComparison.Ordinal));
        return from >= 0 && to > from ? line[(from + 1)..to] : "";
    }
}
