using System.Diagnostics;
using System.Net;
using System.Net.Http.Headers;
using Microsoft.Extensions.Http.Resilience;
using Polly;
using Rostrum.Core.Apis;

namespace Rostrum.Sources.Http;

/// <summary>
/// Sends requests to one API: with its sign-in, within limits of time and size, and what only reads again where that may help.
/// </summary>
internal sealed class HttpCalls : IDisposable
{
    private const int MostRedirects = 5;
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(20);
    private static readonly TimeSpan LongestPause = TimeSpan.FromSeconds(3);

    private readonly ApiSettings _api;
    private readonly SourceSettings _settings;
    private readonly HttpClient _client;
    private readonly ResiliencePipeline<HttpResponseMessage> _again;
    private readonly HttpNames _names;
    private readonly HttpSignIn _signIn;

    public HttpCalls(ApiSettings api, SourceSettings settings, IApiTokens tokens)
    {
        (_api, _settings) = (api, settings);
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
        _names = new HttpNames(api, settings);
        Answers = new HttpAnswers(api.Address, Masked);
        _signIn = new HttpSignIn(api, settings, tokens, _client, _names, Answers);
    }

    /// <summary>A text with dots in the place of every secret.</summary>
    public string Masked(string text) => _settings.Secrets.Masked(text, _settings.Password, HttpSignIn.BasicValue(_api, _settings));

    /// <summary>Reads what the API answers.</summary>
    public HttpAnswers Answers { get; }

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
        var (open, secret) = (_names.ForOpen(call.Filled), _names.ForSecret(call.Filled));
        var target = call.Address is null ? Target(request, open, call.Query) : Absolute(call.Address);
        var (body, bodyText) = HttpBody.Of(request, secret, call.Sent);
        var began = Stopwatch.GetTimestamp();
        string? token = await _signIn.TokenAsync(null, cancellation);
        var response = await RepeatedAsync(token);
        if (response.StatusCode is HttpStatusCode.Unauthorized && token is not null)
        {
            response.Dispose();
            token = await _signIn.TokenAsync(token, cancellation);
            response = await RepeatedAsync(token);
        }

        using (response)
        {
            return await Answers.OfAsync(request.Method, response, Stopwatch.GetElapsedTime(began), bodyText, cancellation);
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

    private Uri Target(ApiRequest request, ApiTemplates templates, IEnumerable<KeyValuePair<string, string>> query)
    {
        var path = templates.Text(request.Path, TemplatePlace.Path);
        var pairs = request
            .Query.Select(pair => KeyValuePair.Create(pair.Name, templates.Text(pair.Value, TemplatePlace.Value)))
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
            var value = templates.Text(header.Value, TemplatePlace.Header);
            if (!message.Headers.TryAddWithoutValidation(header.Name, value))
            {
                throw new ApiException(new SourceFailure(FailureReason.Other, $"“{header.Name}” is no header that can be sent."));
            }
        }

        if (etag is not null)
        {
            message.Headers.TryAddWithoutValidation("If-None-Match", etag);
        }

        _signIn.AddTo(message, token);
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

    public void Dispose() => _client.Dispose();
}
