using System.Net.Http.Headers;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Rostrum.Core.Apis;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Http;

/// <summary>Signs requests in: with a user and a password, a key, or a token that is asked for and renewed.</summary>
internal sealed class HttpSignIn(
    ApiSettings api,
    SourceSettings settings,
    IApiTokens tokens,
    HttpClient client,
    HttpNames names,
    HttpAnswers answers
)
{
    private readonly string _key = Convert.ToHexString(
        SHA256.HashData(Encoding.UTF8.GetBytes($"{settings.Options}\n{settings.User}\n{settings.Password}"))
    );

    /// <summary>Adds what says who asks.</summary>
    /// <param name="message">The request.</param>
    /// <param name="token">The token, where the API wants one.</param>
    public void AddTo(HttpRequestMessage message, string? token)
    {
        switch (api.SignIn)
        {
            case ApiSignIn.Basic:
                message.Headers.Authorization = new AuthenticationHeaderValue("Basic", BasicValue(api, settings));
                break;
            case ApiSignIn.Bearer:
                message.Headers.Authorization = new AuthenticationHeaderValue("Bearer", settings.Password);
                break;
            case ApiSignIn.Key { InQuery: false } key:
                message.Headers.TryAddWithoutValidation(key.Name, settings.Password);
                break;
            case ApiSignIn.ClientCredentials or ApiSignIn.Token:
                message.Headers.Authorization = new AuthenticationHeaderValue("Bearer", token);
                break;
            default:
                break;
        }
    }

    /// <summary>What a password is sent as; null where none is sent so.</summary>
    public static string? BasicValue(ApiSettings api, SourceSettings settings) =>
        api.SignIn is ApiSignIn.Basic basic ? Convert.ToBase64String(Encoding.UTF8.GetBytes($"{basic.User}:{settings.Password}")) : null;

    /// <summary>The token; null where the API wants none.</summary>
    /// <param name="spoilt">One that was refused, so that another is asked for.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<string?> TokenAsync(string? spoilt, CancellationToken cancellation) =>
        api.SignIn is ApiSignIn.ClientCredentials or ApiSignIn.Token
            ? await tokens.GetAsync(_key, spoilt, AskForTokenAsync, cancellation)
            : null;

    private async Task<ApiToken> AskForTokenAsync(CancellationToken cancellation)
    {
        var (address, content, pointer, lifetime) = api.SignIn switch
        {
            ApiSignIn.ClientCredentials client => (
                client.TokenAddress,
                (HttpContent)
                    new FormUrlEncodedContent([
                        KeyValuePair.Create("grant_type", "client_credentials"),
                        KeyValuePair.Create("client_id", client.ClientId),
                        KeyValuePair.Create("client_secret", settings.Password),
                        .. client.Scope is { } scope ? [KeyValuePair.Create("scope", scope)] : (KeyValuePair<string, string>[])[],
                    ]),
                "/access_token",
                (string?)"/expires_in"
            ),
            ApiSignIn.Token token => (
                api.Address + token.Path,
                new StringContent(SignInBody(token), Encoding.UTF8, "application/json"),
                token.Pointer,
                token.Lifetime
            ),
            _ => throw new InvalidOperationException("there is no token to ask for"),
        };
        using var message = new HttpRequestMessage(HttpMethod.Post, address) { Content = content };
        using var response = await client.SendAsync(message, cancellation);
        var (bytes, _) = await HttpAnswers.ReadAsync(response.Content, cancellation);
        var json = HttpAnswers.Parsed(bytes);
        if (!response.IsSuccessStatusCode)
        {
            throw new ApiException(
                answers.Failed(
                    FailureReason.WrongPassword,
                    $"refuses to give a token ({(int)response.StatusCode}){answers.Said(json)}. Check the user and the password."
                ),
                (int)response.StatusCode
            );
        }

        var text =
            json is { } document && JsonPointer.At(document, pointer) is { ValueKind: JsonValueKind.String } found
                ? found.GetString()!
                : throw new ApiException(answers.Failed(FailureReason.Other, $"gave no token at {pointer}."));
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
        return names.ForSecret((shape, [token.User, settings.Password])).Text(token.Body, TemplatePlace.Json);
    }
}
