using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;
using Rostrum.Sources.Http;
using Rostrum.Store;

namespace Rostrum.Web.Build.Sources;

/// <summary>Keeps the tokens of APIs in the store, encrypted: one node asks for a new one, and the others wait for it.</summary>
internal sealed class StoredApiTokens(IDbContextFactory<RostrumStore> stores, IDataProtectionProvider protection, TimeProvider clock)
    : IApiTokens
{
    private readonly IDataProtector _protector = protection.CreateProtector("Rostrum.ApiToken.1");

    public async Task<string> GetAsync(
        string key,
        string? spoilt,
        Func<CancellationToken, Task<ApiToken>> ask,
        CancellationToken cancellation
    )
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        if (await GoodAsync(store, key, spoilt, cancellation) is { } known)
        {
            return known;
        }

        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        await store.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtext({key}))", cancellation);
        if (await GoodAsync(store, key, spoilt, cancellation) is { } renewed)
        {
            return renewed;
        }

        var token = await ask(cancellation);
        var stored = await store.ApiTokens.FindAsync([key], cancellation);
        if (stored is null)
        {
            store.ApiTokens.Add(
                new StoredApiToken
                {
                    Key = key,
                    ProtectedToken = _protector.Protect(token.Text),
                    Expires = token.Expires,
                }
            );
        }
        else
        {
            (stored.ProtectedToken, stored.Expires) = (_protector.Protect(token.Text), token.Expires);
        }

        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        return token.Text;
    }

    private async Task<string?> GoodAsync(RostrumStore store, string key, string? spoilt, CancellationToken cancellation) =>
        await store.ApiTokens.AsNoTracking().FirstOrDefaultAsync(row => row.Key == key, cancellation) is { } row
        && new ApiToken(_protector.Unprotect(row.ProtectedToken), row.Expires) is var token
        && TokensInMemory.IsGood(token, spoilt, clock)
            ? token.Text
            : null;
}
