using System.Buffers;
using System.Diagnostics;
using System.Globalization;
using System.Text;
using System.Text.Json;
using Rostrum.Core.Apis;

namespace Rostrum.Sources.Http;

/// <summary>Reads what an API answers, within a limit of size, and says what is wrong with it.</summary>
/// <param name="address">The address under which the API stands.</param>
/// <param name="masked">Puts dots in the place of every secret.</param>
internal sealed class HttpAnswers(string address, Func<string, string> masked)
{
    /// <summary>So much of an answer is read and no more.</summary>
    public const int MostBytes = 20 * 1024 * 1024;

    private const int FirstBytes = 1024 * 1024;
    private const int LongestShown = 200_000;

    /// <summary>An answer as it came.</summary>
    /// <param name="method">The request's method.</param>
    /// <param name="response">The answer; its body is not yet read.</param>
    /// <param name="took">How long it took to come.</param>
    /// <param name="sent">The body that was sent.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<ApiAnswer> OfAsync(
        string method,
        HttpResponseMessage response,
        TimeSpan took,
        string sent,
        CancellationToken cancellation
    )
    {
        var began = Stopwatch.GetTimestamp();
        var (bytes, isCut) = await ReadAsync(response.Content, cancellation);
        var answer = new ApiAnswer(
            method,
            masked(response.RequestMessage!.RequestUri!.ToString()),
            (int)response.StatusCode,
            [
                .. response
                    .Headers.Concat(response.Content.Headers)
                    .Where(header => !header.Key.Equals("Set-Cookie", StringComparison.OrdinalIgnoreCase))
                    .Select(header => new ApiPair(header.Key, masked(string.Join(", ", header.Value)))),
            ],
            () => masked(Encoding.UTF8.GetString(bytes.Span[..Math.Min(bytes.Length, LongestShown)])),
            bytes.Length,
            took + Stopwatch.GetElapsedTime(began)
        )
        {
            Sent = sent.Length == 0 ? "" : masked(sent),
        };
        if (isCut)
        {
            return answer with
            {
                Failure = new SourceFailure(
                    FailureReason.TooCostly,
                    $"“{address}” answered with more than {MostBytes / 1024 / 1024} MB. Ask for less: a page, or a filter."
                ),
            };
        }

        var json = bytes.Length == 0 ? null : Parsed(bytes);
        return answer with { Json = json, Failure = FailureOf(answer, json, bytes.Length) };
    }

    private SourceFailure? FailureOf(ApiAnswer answer, JsonElement? json, int length) =>
        answer.Status switch
        {
            304 => null,
            >= 200 and < 300 => length == 0 || json is not null ? null
            : answer.Header("Content-Type")?.Contains("html", StringComparison.OrdinalIgnoreCase) == true
                ? Failed(FailureReason.Other, "answered with a web page and not with JSON. Check the path and the sign-in.")
            : Failed(FailureReason.Other, "answered with a text that is no JSON."),
            401 => Failed(FailureReason.WrongPassword, "refuses the sign-in (401). Check the user, the password or the token."),
            403 => Failed(FailureReason.NoRight, "does not allow this (403)."),
            404 => Failed(FailureReason.StructureChanged, $"has nothing at {answer.Address} (404)."),
            429 => Failed(
                FailureReason.TimedOut,
                $"asks for a pause (429){(answer.Header("Retry-After") is { } seconds ? $" of {seconds} seconds" : "")}."
            ),
            var status => Failed(FailureReason.Other, $"answered {status.ToString(CultureInfo.InvariantCulture)}{Said(json)}."),
        };

    public SourceFailure Failed(FailureReason reason, string what) => new(reason, $"“{address}” {what}");

    /// <summary>What the API says of an error, where it says it in one of the usual members.</summary>
    public string Said(JsonElement? json)
    {
        foreach (var name in (string[])["detail", "message", "error_description", "error", "title"])
        {
            if (
                json is { ValueKind: JsonValueKind.Object } document
                && document.TryGetProperty(name, out var member)
                && member.ValueKind is JsonValueKind.String
            )
            {
                return $": {masked(member.GetString()!.TrimEnd('.'))}";
            }
        }

        return "";
    }

    public static JsonElement? Parsed(ReadOnlyMemory<byte> bytes)
    {
        try
        {
            // It is kept for as long as its elements are: there is nothing to give back.
            return JsonDocument.Parse(bytes).RootElement;
        }
        catch (JsonException)
        {
            return null;
        }
    }

    public static async Task<(ReadOnlyMemory<byte> Bytes, bool IsCut)> ReadAsync(HttpContent content, CancellationToken cancellation)
    {
        await using var stream = await content.ReadAsStreamAsync(cancellation);
        var said = content.Headers.ContentLength ?? 0;
        using var bytes = new MemoryStream((int)Math.Min(said, FirstBytes));
        var buffer = ArrayPool<byte>.Shared.Rent(16 * 1024);
        try
        {
            while (await stream.ReadAsync(buffer, cancellation) is > 0 and var read)
            {
                if (bytes.Length + read > MostBytes)
                {
                    return (Read(), true);
                }

                bytes.Write(buffer, 0, read);
            }
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }

        return (Read(), false);

        ReadOnlyMemory<byte> Read() => bytes.GetBuffer().AsMemory(0, (int)bytes.Length);
    }
}
