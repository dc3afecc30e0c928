using System.Collections.Concurrent;
using System.Globalization;
using System.Text;
using System.Text.Encodings.Web;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;

namespace Rostrum.StandIns.Signal;

/// <summary>A message that came in.</summary>
/// <param name="Room">The room.</param>
/// <param name="Text">What it says.</param>
/// <param name="Key">The key by which a second try of the same call is told; blank where none was sent.</param>
/// <param name="Calls">How often it was sent.</param>
public sealed record ReceivedMessage(string Room, string Text, string Key, int Calls, DateTimeOffset At);

/// <summary>
/// Takes messages as a chat's webhook does, and shows them on a page. The same Idempotency-Key twice is one message, as the draft of the
/// HTTP working group has it (draft-ietf-httpapi-idempotency-key-header).
/// </summary>
public sealed class SignalRoom
{
    /// <summary>What callers show.</summary>
    public const string Token = "flag-and-lamp-5";

    private int _taking;
    private readonly ConcurrentDictionary<string, ReceivedMessage> _received = new(StringComparer.Ordinal);

    /// <summary>Answers every call with this status instead of taking it; 0 where it takes them.</summary>
    public int Refuses { get; set; }

    /// <summary>Takes the message and then breaks the connection, so that the caller cannot know.</summary>
    public bool HangsUp { get; set; }

    /// <summary>How long it takes for a message.</summary>
    public TimeSpan Takes { get; set; }

    /// <summary>How many messages it took at the same time, at most.</summary>
    public int MostAtOnce { get; private set; }

    /// <summary>What came in, the oldest first.</summary>
    public IReadOnlyCollection<ReceivedMessage> Received => [.. _received.Values.OrderBy(message => message.At)];

    /// <summary>The service at an address; it is started by its caller.</summary>
    public WebApplication At(string address)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        var app = builder.Build();
        app.Urls.Add(address);
        app.MapGet("/", () => Results.Content(Page(), "text/html; charset=utf-8"));
        app.MapGet("/messages", () => Results.Json(Received));
        app.MapPost("/rooms/{room}", TakeAsync);
        return app;
    }

    private sealed record Message(string? Text);

    private async Task<IResult> TakeAsync(string room, Message message, HttpContext context)
    {
        lock (_received)
        {
            MostAtOnce = Math.Max(MostAtOnce, ++_taking);
        }

        await Task.Delay(Takes, context.RequestAborted);
        lock (_received)
        {
            _taking--;
        }

        return Take(room, message, context);
    }

    private IResult Take(string room, Message message, HttpContext context)
    {
        if (context.Request.Headers.Authorization != $"Bearer {Token}")
        {
            return Results.Json(new { error = "The token is missing or wrong." }, statusCode: 401);
        }

        if (Refuses > 0)
        {
            return Results.Json(new { error = "The room is closed for a while." }, statusCode: Refuses);
        }

        var key = context.Request.Headers["Idempotency-Key"].ToString();
        var fresh = new ReceivedMessage(room, message.Text ?? "", key, 1, TimeProvider.System.GetUtcNow());
        _received.AddOrUpdate(key.Length == 0 ? Guid.NewGuid().ToString() : key, fresh, (_, known) =>
            known with
            {
                Calls = known.Calls + 1,
            }
        );
        if (HangsUp)
        {
            context.Abort();
        }

        return Results.Json(new { taken = true });
    }

    private string Page()
    {
        var text = new StringBuilder("<!doctype html><html lang=\"en\"><title>Signal room</title><h1>Signal room</h1>");
        foreach (var message in Received.Reverse())
        {
            text.Append(
                CultureInfo.InvariantCulture,
                $"<article><h2>{HtmlEncoder.Default.Encode(message.Room)}</h2><p>{HtmlEncoder.Default.Encode(message.Text)}</p></article>"
            );
        }

        return text.ToString();
    }
}
