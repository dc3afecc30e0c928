using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.People;

/// <summary>What came of a name and a password: a person, or nobody; or a pause that is not over.</summary>
internal sealed record CheckedPassword(Person? Person, TimeSpan Wait);

/// <summary>
/// Checks a name and a password, and writes down that it did. It does the same work, and so takes the same time, whether anybody has the
/// name or not.
/// </summary>
internal sealed class PasswordCheck(UserManager<Person> people, IPasswordHasher<Person> hasher, RostrumStore store, TimeProvider time)
{
    public async Task<CheckedPassword> CheckAsync(string userName, string password, string? address, CancellationToken cancellation)
    {
        var now = time.GetUtcNow();
        var attempt = new SignInAttempt
        {
            UserName = userName is { Length: > 100 } ? userName[..100] : userName,
            Outcome = SignInAttempt.Trying,
            RemoteAddress = address,
            At = now,
        };
        store.SignInAttempts.Add(attempt);

        // Written before anything is looked at: of many at once, each counts those before it.
        await store.SaveChangesAsync(cancellation);
        var wait = SignInPauses.Left(await PastAsync(attempt, cancellation), attempt.UserName, address, now);
        if (wait > TimeSpan.Zero)
        {
            attempt.Outcome = SignInAttempt.TooSoon;
            await store.SaveChangesAsync(cancellation);
            return new CheckedPassword(null, wait);
        }

        var person = await people.FindByNameAsync(userName);
        if (person is null)
        {
            hasher.HashPassword(new Person { Name = "" }, password);
        }
        else if (!await people.CheckPasswordAsync(person, password))
        {
            attempt.PersonId = person.Id;
            person = null;
        }

        attempt.PersonId ??= person?.Id;
        attempt.Outcome = person is null ? SignInAttempt.Refused : SignInAttempt.SignedIn;
        await store.SaveChangesAsync(cancellation);
        return new CheckedPassword(person, TimeSpan.Zero);
    }

    private Task<List<PastAttempt>> PastAsync(SignInAttempt attempt, CancellationToken cancellation) =>
        store
            .SignInAttempts.AsNoTracking()
            .Where(past =>
                past.Id < attempt.Id
                && past.At > attempt.At - SignInPauses.Window
                && past.Outcome != SignInAttempt.TooSoon
                && (past.UserName == attempt.UserName || past.RemoteAddress == attempt.RemoteAddress)
            )
            .OrderBy(past => past.Id)
            .Select(past => new PastAttempt(past.UserName, past.RemoteAddress, past.Outcome == SignInAttempt.SignedIn, past.At))
            .ToListAsync(cancellation);
}
