using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;
using Rostrum.Web.People.SignOn;

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
        var (attempt, wait) = await BeginAsync(userName, address, cancellation);
        if (wait > TimeSpan.Zero)
        {
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
        if (person is { DeactivatedAt: not null })
        {
            person = null;
        }

        attempt.Outcome = person is null ? SignInAttempt.Refused : SignInAttempt.SignedIn;
        await store.SaveChangesAsync(cancellation);
        return new CheckedPassword(person, TimeSpan.Zero);
    }

    /// <summary>Checks a code of a person whose password was right, in the same way.</summary>
    public async Task<(bool IsRight, TimeSpan Wait)> CheckCodeAsync(
        Person person,
        string? address,
        Func<Task<bool>> check,
        CancellationToken cancellation
    )
    {
        var (attempt, wait) = await BeginAsync($"code of {person.Id:N}", address, cancellation);
        if (wait > TimeSpan.Zero)
        {
            return (false, wait);
        }

        var isRight = await check();
        (attempt.PersonId, attempt.Outcome) = (person.Id, isRight ? SignInAttempt.SignedIn : SignInAttempt.Refused);
        await store.SaveChangesAsync(cancellation);
        return (isRight, TimeSpan.Zero);
    }

    /// <summary>
    /// Lets somebody else check a name and a password, in the same way. Null while a pause is not over; what could not be asked is no wrong
    /// password.
    /// </summary>
    public async Task<(DirectoryAnswer? Answer, TimeSpan Wait)> CheckOutsideAsync(
        string name,
        string? address,
        Func<Task<DirectoryAnswer>> check,
        CancellationToken cancellation
    )
    {
        var (attempt, wait) = await BeginAsync(name, address, cancellation);
        if (wait > TimeSpan.Zero)
        {
            return (null, wait);
        }

        var answer = await check();
        if (answer is DirectoryAnswer.Refused)
        {
            attempt.Outcome = SignInAttempt.Refused;
        }
        else
        {
            store.SignInAttempts.Remove(attempt);
        }

        await store.SaveChangesAsync(cancellation);
        return (answer, TimeSpan.Zero);
    }

    /// <summary>Writes down that somebody has signed in who gave no password.</summary>
    public async Task NoteAsync(Person person, string? address, CancellationToken cancellation)
    {
        store.SignInAttempts.Add(
            new SignInAttempt
            {
                PersonId = person.Id,
                UserName = person.UserName!,
                Outcome = SignInAttempt.SignedIn,
                RemoteAddress = address,
                At = time.GetUtcNow(),
            }
        );
        await store.SaveChangesAsync(cancellation);
    }

    // Written before anything is looked at: of many at once, each counts those before it.
    private async Task<(SignInAttempt Attempt, TimeSpan Wait)> BeginAsync(string userName, string? address, CancellationToken cancellation)
    {
        var attempt = new SignInAttempt
        {
            UserName = userName is { Length: > 100 } ? userName[..100] : userName,
            Outcome = SignInAttempt.Trying,
            RemoteAddress = address,
            At = time.GetUtcNow(),
        };
        store.SignInAttempts.Add(attempt);
        await store.SaveChangesAsync(cancellation);
        var wait = SignInPauses.Left(await PastAsync(attempt, cancellation), attempt.UserName, address, attempt.At);
        if (wait > TimeSpan.Zero)
        {
            attempt.Outcome = SignInAttempt.TooSoon;
            await store.SaveChangesAsync(cancellation);
        }

        return (attempt, wait);
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
