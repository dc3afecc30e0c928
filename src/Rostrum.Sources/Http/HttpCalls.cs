using System.Buffers;
using System.Collections.Immutable;
using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Net.Http.Headers;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.Extensions.Http.Resilience;
using Polly;
using Rostrum.Core.Access;
using Rostrum.Core.Apis;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Http;

/// <summary>
/// Sends requests to one API: with its sign-in, within limits of time and size, and what only reads again where that may help.
/// </summary>
internal sealed class HttpCalls : IDisposable
{
    /// <summary>So much of an answer is read and no more.</summary>
    public const int MostBytes = 20 * 1024 * 1024;

    private const int FirstBytes = 1024 * 1024;
    private const int MostRedirects = 5;
    private const int LongestShown = 200_000;
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(20);
    private static readonly TimeSpan LongestPause = TimeSpan.FromSeconds(3);

    private readonly ApiSettings _api;
    private readonly SourceSettings _settings;
    private readonly IApiTokens _tokens;
    private readonly HttpClient _client;
    private readonly string _signInKey;
    private readonly ResiliencePipeline<HttpResponseMessage> _again;
    private readonly ImmutableDictionary<string, object?> _open;
    private readonly ImmutableDictionary<string, object?> _secret;

    /// <summary>The names that templates have where no secret may go.</summary>
    public FormulaNames OpenNames { get; }

    /// <summary>The names that they have in headers and bodies.</summary>
    public FormulaNames SecretNames { get; }

    public HttpCalls(ApiSettings api, SourceSettings settings, IApiTokens tokens)
    {
        (_api, _settings, _tokens) = (api, settings, tokens);
        _client = new HttpClient(
            new SocketsHttpHandler
            {
                AllowAutoRedirect = false,
                UseCookies = false,
                AutomaticDecompression = DecompressionMethods.All,
                ConnectCallback = AddressGuard.ConnectAsync,
                ConnectTimeout = TimeSpan.FromSeconds(5),
                PooledConnectionLifetime = TimeSpan.FromMinutes(5),
            }
        )
        {
            Timeout = Timeout.InfiniteTimeSpan,
        };
        _again = new ResiliencePipelineBuilder<HttpResponseMessage>()
            .AddRetry(
                new HttpRetryStrategyOptions
                {
                    MaxRetryAttempts = 3,
                    Delay = TimeSpan.FromMilliseconds(150),
                    BackoffType = DelayBackoffType.Exponential,
                    UseJitter = true,
                    ShouldRetryAfterHeader = true,
                    ShouldHandle = attempt => ValueTask.FromResult(HelpsAgain(attempt.Outcome)),
                }
            )
            .Build();
        _signInKey = Convert.ToHexString(
            SHA256.HashData(Encoding.UTF8.GetBytes($"{settings.Options}\n{settings.User}\n{settings.Password}"))
        );
        var variables = new FormulaShape(
            "variables",
            [.. api.Variables.Select(pair => KeyValuePair.Create(pair.Name, (FormulaType)new FormulaType.Text()))]
        );
        var secrets = new FormulaShape(
            "secrets",
            [.. settings.Secrets.All.Keys.Select(name => KeyValuePair.Create(name, (FormulaType)new FormulaType.Text()))]
        );
        var open = ImmutableDictionary<string, FormulaType>
            .Empty.WithComparers(StringComparer.OrdinalIgnoreCase)
            .Add("variables", new FormulaType.Record(variables));
        OpenNames = new FormulaNames(open);
        SecretNames = new FormulaNames(open.Add("secrets", new FormulaType.Record(secrets)));
        _open = ImmutableDictionary<string, object?>
            .Empty.WithComparers(StringComparer.OrdinalIgnoreCase)
            .Add("variables", new FormulaRecord(variables, [.. api.Variables.Select(pair => (object?)pair.Value)]));
        _secret = _open.Add("secrets", new FormulaRecord(secrets, [.. settings.Secrets.All.Values.Select(value => (object?)value)]));
    }

    /// <summary>A text with dots in the place of every secret.</summary>
    public string Masked(string text) => _settings.Secrets.Masked(text, _settings.Password, BasicValue);

    /// <summary>The address under which the API stands.</summary>
    public string Address => _api.Address;

    /// <summary>Sends a request, and reads the answer whole.</summary>
    public async Task<ApiAnswer> SendAsync(ApiCall call, CancellationToken cancellation)
    {
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        limit.CancelAfter(Limit);
        try
        {
            return await SendInTimeAsync(call, limit.Token);
        }
        catch (OperationCanceledException) when (!cancellation.IsCancellationRequested)
        {
            throw new ApiException(
                new SourceFailure(FailureReason.TimedOut, $"“{_api.Address}” did not answer within {Limit.TotalSeconds:0} seconds.")
            );
        }
    }

    private async Task<ApiAnswer> SendInTimeAsync(ApiCall call, CancellationToken cancellation)
    {
        var request = call.Request;
        var open = Templates(call.Filled, OpenNames, _open);
        var secret = Templates(call.Filled, SecretNames, _secret);
        var target = call.Address is null ? Target(request, open, call.Query) : Absolute(call.Address);
        var (body, bodyText) = Body(request, secret, call.Sent);
        var began = Stopwatch.GetTimestamp();
        string? token = await TokenAsync(null, cancellation);
        var response = await RepeatedAsync(token);
        if (response.StatusCode is HttpStatusCode.Unauthorized && token is not null)
        {
            response.Dispose();
            token = await TokenAsync(token, cancellation);
            response = await RepeatedAsync(token);
        }

        using (response)
        {
            return await AnswerAsync(request.Method, response, Stopwatch.GetElapsedTime(began), bodyText, cancellation);
        }

        async Task<HttpResponseMessage> RepeatedAsync(string? with) =>
            request.Method == "GET"
                ? await _again.ExecuteAsync(async token => await FollowedAsync(with, token), cancellation)
                : await FollowedAsync(with, cancellation);

        async Task<HttpResponseMessage> FollowedAsync(string? with, CancellationToken stop)
        {
            var (here, method) = (target, request.Method);
            for (var redirects = 0; ; redirects++)
            {
                using var message = new HttpRequestMessage(new HttpMethod(method), here);
                var isHome = here.Host == target.Host && here.Port == target.Port && here.Scheme == target.Scheme;
                AddHeaders(message, request, secret, with, call.Etag, isHome);
                message.Content = method == "GET" ? null : body?.Invoke();
                var got = await _client.SendAsync(message, HttpCompletionOption.ResponseHeadersRead, stop);
                if (!IsRedirect(got) || got.Headers.Location is not { } location)
                {
                    return got;
                }

                got.Dispose();
                if (redirects == MostRedirects)
                {
                    throw new ApiException(new SourceFailure(FailureReason.Other, $"“{_api.Address}” redirects again and again."));
                }

                here = new Uri(here, location);
                if (
                    method != "GET"
                    && (
                        here.Host != target.Host
                        || got.StatusCode is not (HttpStatusCode.TemporaryRedirect or HttpStatusCode.PermanentRedirect)
                    )
                )
                {
                    throw new ApiException(
                        new SourceFailure(
                            FailureReason.Other,
                            $"“{_api.Address}” redirects a {method} to {Masked(here.GetLeftPart(UriPartial.Path))}. Nothing was sent "
                                + "there: write that address into the request if it is right."
                        )
                    );
                }
            }
        }
    }

    private static bool IsRedirect(HttpResponseMessage response) => (int)response.StatusCode is 301 or 302 or 303 or 307 or 308;

    private static ApiTemplates Templates(
        (FormulaShape Shape, object?[] Values) filled,
        FormulaNames names,
        ImmutableDictionary<string, object?> given
    ) => new(filled.Shape, filled.Values, names, new FormulaContext(DateTimeOffset.UtcNow, TimeZoneInfo.Utc) { Given = given });

    private Uri Target(ApiRequest request, ApiTemplates templates, IEnumerable<KeyValuePair<string, string>> query)
    {
        var path = Text(templates, request.Path, TemplatePlace.Path);
        var pairs = request
            .Query.Select(pair => KeyValuePair.Create(pair.Name, Text(templates, pair.Value, TemplatePlace.Value)))
            .Concat(query)
            .Where(pair => pair.Value.Length > 0)
            .ToList();
        if (_api.SignIn is ApiSignIn.Key { InQuery: true } key)
        {
            pairs.Add(KeyValuePair.Create(key.Name, _settings.Password));
        }

        var text = string.Join('&', pairs.Select(pair => $"{Uri.EscapeDataString(pair.Key)}={Uri.EscapeDataString(pair.Value)}"));
        var whole = path.StartsWith('/') || path.Length == 0 ? _api.Address + path : $"{_api.Address}/{path}";
        return Absolute(
            text.Length == 0 ? whole
            : whole.Contains('?', StringComparison.Ordinal) ? $"{whole}&{text}"
            : $"{whole}?{text}"
        );
    }

    // An address that an answer gave must lead to the same machine: credentials go along.
    private Uri Absolute(string address)
    {
        var home = new Uri(_api.Address);
        if (
            !Uri.TryCreate(home, address, out var target)
            || target.Scheme is not ("http" or "https")
            || target.Host != home.Host
            || target.Port != home.Port
        )
        {
            throw new ApiException(
                new SourceFailure(FailureReason.Other, $"“{Masked(address)}” is no address under “{_api.Address}”: no request was sent.")
            );
        }

        return target;
    }

    private static string Text(ApiTemplates templates, string template, TemplatePlace place)
    {
        var (text, problem) = templates.Fill(template, place);
        return problem is null ? text : throw new ApiException(new SourceFailure(FailureReason.Other, $"“{template}”: {problem}"));
    }

    private void AddHeaders(
        HttpRequestMessage message,
        ApiRequest request,
        ApiTemplates templates,
        string? token,
        string? etag,
        bool isHome
    )
    {
        message.Headers.Accept.Add(new MediaTypeWithQualityHeaderValue("application/json"));
        message.Headers.UserAgent.Add(new ProductInfoHeaderValue("Rostrum", "1.0"));
        if (!isHome)
        {
            return;
        }

        foreach (var header in _api.Headers.Concat(request.Headers))
        {
            var value = Text(templates, header.Value, TemplatePlace.Header);
            if (!message.Headers.TryAddWithoutValidation(header.Name, value))
            {
                throw new ApiException(new SourceFailure(FailureReason.Other, $"“{header.Name}” is no header that can be sent."));
            }
        }

        if (etag is not null)
        {
            message.Headers.TryAddWithoutValidation("If-None-Match", etag);
        }

        switch (_api.SignIn)
        {
            case ApiSignIn.Basic:
                message.Headers.Authorization = new AuthenticationHeaderValue("Basic", BasicValue);
                break;
            case ApiSignIn.Bearer:
                message.Headers.Authorization = new AuthenticationHeaderValue("Bearer", _settings.Password);
                break;
            case ApiSignIn.Key { InQuery: false } key:
                message.Headers.TryAddWithoutValidation(key.Name, _settings.Password);
                break;
            case ApiSignIn.ClientCredentials or ApiSignIn.Token:
                message.Headers.Authorization = new AuthenticationHeaderValue("Bearer", token);
                break;
            default:
                break;
        }
    }

    private string? BasicValue =>
        _api.SignIn is ApiSignIn.Basic basic ? Convert.ToBase64String(Encoding.UTF8.GetBytes($"{basic.User}:{_settings.Password}")) : null;

    private static (Func<HttpContent>? Content, string Text) Body(ApiRequest request, ApiTemplates templates, JsonNode? sent)
    {
        Func<HttpContent> Json(string text) => () => new StringContent(text, Encoding.UTF8, "application/json");
        switch (request.Body)
        {
            case ApiBody.Record record:
                var document = record.Under is { Length: > 0 } under ? new JsonObject { [under] = sent?.DeepClone() } : sent;
                var written = document?.ToJsonString() ?? "{}";
                return (Json(written), written);
            case ApiBody.Json json:
                var text = Text(templates, json.Text, TemplatePlace.Json);
                return (Json(text), text);
            case ApiBody.GraphQl graph:
                var variables = new JsonObject();
                foreach (var pair in graph.Variables)
                {
                    variables[pair.Name] = JsonNode.Parse(Text(templates, pair.Value, TemplatePlace.Json));
                }

                var asked = new JsonObject { ["query"] = graph.Query, ["variables"] = variables }.ToJsonString();
                return (Json(asked), asked);
            case ApiBody.Form form:
                var pairs = form
                    .Fields.Select(pair => KeyValuePair.Create(pair.Name, Text(templates, pair.Value, TemplatePlace.Value)))
                    .ToArray();
                return (() => new FormUrlEncodedContent(pairs), string.Join('&', pairs.Select(pair => $"{pair.Key}={pair.Value}")));
            case ApiBody.Parts parts:
                var fields = parts
                    .Fields.Select(pair => KeyValuePair.Create(pair.Name, Text(templates, pair.Value, TemplatePlace.Value)))
                    .ToArray();
                return (
                    () =>
                    {
                        var content = new MultipartFormDataContent();
                        foreach (var (name, value) in fields)
                        {
                            content.Add(new StringContent(value), name);
                        }

                        return content;
                    },
                    string.Join('\n', fields.Select(pair => $"{pair.Key}: {pair.Value}"))
                );
            case ApiBody.Plain plain:
                var said = Text(templates, plain.Text, TemplatePlace.Value);
                return (() => new StringContent(said, Encoding.UTF8, "text/plain"), said);
            default:
                return (null, "");
        }
    }

    private async Task<ApiAnswer> AnswerAsync(
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
            Masked(response.RequestMessage!.RequestUri!.ToString()),
            (int)response.StatusCode,
            [
                .. response
                    .Headers.Concat(response.Content.Headers)
                    .Where(header => !header.Key.Equals("Set-Cookie", StringComparison.OrdinalIgnoreCase))
                    .Select(header => new ApiPair(header.Key, Masked(string.Join(", ", header.Value)))),
            ],
            () => Masked(Encoding.UTF8.GetString(bytes.Span[..Math.Min(bytes.Length, LongestShown)])),
            bytes.Length,
            took + Stopwatch.GetElapsedTime(began)
        )
        {
            Sent = sent.Length == 0 ? "" : Masked(sent),
        };
        if (isCut)
        {
            return answer with
            {
                Failure = new SourceFailure(
                    FailureReason.TooCostly,
                    $"“{_api.Address}” answered with more than {MostBytes / 1024 / 1024} MB. Ask for less: a page, or a filter."
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

    private SourceFailure Failed(FailureReason reason, string what) => new(reason, $"“{_api.Address}” {what}");

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
                return $": {Masked(member.GetString()!.TrimEnd('.'))}";
            }
        }

        return "";
    }

    private static JsonElement? Parsed(ReadOnlyMemory<byte> bytes)
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

    private static async Task<(ReadOnlyMemory<byte> Bytes, bool IsCut)> ReadAsync(HttpContent content, CancellationToken cancellation)
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

    // A server that is busy, a network that broke: what only reads may be asked once more, unless the pause is long.
    private static bool HelpsAgain(Outcome<HttpResponseMessage> outcome) =>
        outcome.Exception is HttpRequestException { InnerException: not AddressRefusedException }
        || (
            outcome.Result is { } response
            && ((int)response.StatusCode is 408 or 429 || (int)response.StatusCode >= 500)
            && !(response.Headers.RetryAfter?.Delta > LongestPause)
            && response.Headers.RetryAfter?.Date is null
        );

    private async Task<string?> TokenAsync(string? spoilt, CancellationToken cancellation) =>
        _api.SignIn is ApiSignIn.ClientCredentials or ApiSignIn.Token
            ? await _tokens.GetAsync(_signInKey, spoilt, AskForTokenAsync, cancellation)
            : null;

    private async Task<ApiToken> AskForTokenAsync(CancellationToken cancellation)
    {
        var (address, content, pointer, lifetime) = _api.SignIn switch
        {
            ApiSignIn.ClientCredentials client => (
                client.TokenAddress,
                (HttpContent)
                    new FormUrlEncodedContent([
                        KeyValuePair.Create("grant_type", "client_credentials"),
                        KeyValuePair.Create("client_id", client.ClientId),
                        KeyValuePair.Create("client_secret", _settings.Password),
                        .. client.Scope is { } scope ? [KeyValuePair.Create("scope", scope)] : (KeyValuePair<string, string>[])[],
                    ]),
                "/access_token",
                (string?)"/expires_in"
            ),
            ApiSignIn.Token token => (
                _api.Address + token.Path,
                new StringContent(SignInBody(token), Encoding.UTF8, "application/json"),
                token.Pointer,
                token.Lifetime
            ),
            _ => throw new InvalidOperationException("there is no token to ask for"),
        };
        using var message = new HttpRequestMessage(HttpMethod.Post, address) { Content = content };
        using var response = await _client.SendAsync(message, cancellation);
        var (bytes, _) = await ReadAsync(response.Content, cancellation);
        var json = Parsed(bytes);
        if (!response.IsSuccessStatusCode)
        {
            throw new ApiException(
                Failed(
                    FailureReason.WrongPassword,
                    $"refuses to give a token ({(int)response.StatusCode}){Said(json)}. Check the user and the password."
                ),
                (int)response.StatusCode
            );
        }

        var text =
            json is { } document && JsonPointer.At(document, pointer) is { ValueKind: JsonValueKind.String } found
                ? found.GetString()!
                : throw new ApiException(Failed(FailureReason.Other, $"gave no token at {pointer}."));
        var seconds =
            lifetime is not null && JsonPointer.At(json!.Value, lifetime) is { ValueKind: JsonValueKind.Number } number
                ? number.GetDouble()
                : TimeSpan.FromHours(12).TotalSeconds;
        return new ApiToken(text, DateTimeOffset.UtcNow.AddSeconds(seconds));
    }

    private string SignInBody(ApiSignIn.Token token)
    {
        var shape = new FormulaShape(
            "sign-in",
            [
                KeyValuePair.Create("user", (FormulaType)new FormulaType.Text()),
                KeyValuePair.Create("password", (FormulaType)new FormulaType.Text()),
            ]
        );
        return Text(Templates((shape, [token.User, _settings.Password]), SecretNames, _secret), token.Body, TemplatePlace.Json);
    }

    public void Dispose() => _client.Dispose();
}
