using System.Collections.Concurrent;

namespace Rostrum.Sources.Http;

/// <summary>A token that an API gave.</summary>
/// <param name="Text">The token.</param>
/// <param name="Expires">Until when it is good.</param>
public sealed record ApiToken(string Text, DateTimeOffset Expires);

/// <summary>Keeps the tokens that APIs give, for all nodes: whoever needs a new one asks for it, and the others wait for that.</summary>
public interface IApiTokens
{
    /// <summary>The token that is good now.</summary>
    /// <param name="key">Tells sign-ins apart; no secret can be read from it.</param>
    /// <param name="spoilt">A token that was refused, so that it is not given again; null where none was.</param>
    /// <param name="ask">Asks the API for one.</param>
    /// <param name="cancellation">Ends the wait.</param>
    Task<string> GetAsync(string key, string? spoilt, Func<CancellationToken, Task<ApiToken>> ask, CancellationToken cancellation);
}

/// <summary>Keeps tokens for one process.</summary>
public sealed class TokensInMemory(TimeProvider? clock = null) : IApiTokens, IDisposable
{
    private static readonly TimeSpan Margin = TimeSpan.FromSeconds(5);

    private readonly ConcurrentDictionary<string, ApiToken> _tokens = new(StringComparer.Ordinal);
    private readonly SemaphoreSlim _turn = new(1);

    /// <inheritdoc/>
    public async Task<string> GetAsync(
        string key,
        string? spoilt,
        Func<CancellationToken, Task<ApiToken>> ask,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(ask);
        await _turn.WaitAsync(cancellation);
        try
        {
            if (_tokens.TryGetValue(key, out var known) && IsGood(known, spoilt, clock ?? TimeProvider.System))
            {
                return known.Text;
            }

            var token = await ask(cancellation);
            _tokens[key] = token;
            return token.Text;
        }
        finally
        {
            _turn.Release();
        }
    }

    /// <inheritdoc/>
    public void Dispose() => _turn.Dispose();

    /// <summary>Whether a token can still be used.</summary>
    public static bool IsGood(ApiToken token, string? spoilt, TimeProvider clock)
    {
        ArgumentNullException.ThrowIfNull(token);
        ArgumentNullException.ThrowIfNull(clock);
        return token.Text != spoilt && token.Expires - Margin > clock.GetUtcNow();
    }
}
