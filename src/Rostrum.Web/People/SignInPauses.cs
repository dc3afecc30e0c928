namespace Rostrum.Web.People;

/// <summary>An attempt of a short while ago at which the password was looked at.</summary>
internal sealed record PastAttempt(string UserName, string? Address, bool SignedIn, DateTimeOffset At);

/// <summary>
/// How long somebody waits before their next attempt to sign in. Pauses double with each failure and are never long: nobody can lock
/// somebody else out. Whether anybody has the name plays no part.
/// </summary>
internal static class SignInPauses
{
    /// <summary>Attempts before this are forgotten.</summary>
    public static readonly TimeSpan Window = TimeSpan.FromMinutes(30);

    private static readonly TimeSpan First = TimeSpan.FromSeconds(5);

    /// <summary>A pause as people read it.</summary>
    public static string Said(TimeSpan wait) =>
        wait <= TimeSpan.FromSeconds(90) ? $"{Math.Ceiling(wait.TotalSeconds)} seconds" : $"{Math.Ceiling(wait.TotalMinutes)} minutes";

    /// <summary>What is left of the pause at a time; zero where there is none.</summary>
    /// <param name="past">Attempts with this name or from this address, oldest first.</param>
    /// <param name="userName">The name.</param>
    /// <param name="address">Where the attempt comes from; null where that is not known.</param>
    /// <param name="now">The time.</param>
    public static TimeSpan Left(IReadOnlyCollection<PastAttempt> past, string userName, string? address, DateTimeOffset now)
    {
        var ofName = past.Where(attempt => attempt.UserName == userName).ToList();
        var here = ofName.Where(attempt => attempt.Address == address).ToList();
        var others = ofName.Where(attempt => attempt.Address != address).ToList();
        var ofAddress = address is null ? [] : past.Where(attempt => attempt.Address == address).ToList();
        return new[]
        {
            // Somebody who mistypes, or guesses at one name.
            Of(here, free: 5, TimeSpan.FromMinutes(5)),
            // Somebody who tries many names: an office behind one address has slips too, and signs in between them.
            Of(ofAddress, free: 30, TimeSpan.FromMinutes(5)),
            // Many who guess at one name. From where its owner has just signed in they do not matter.
            here.Exists(attempt => attempt.SignedIn)
                ? TimeSpan.Zero
                : Of(others, free: 30, TimeSpan.FromSeconds(30)),
        }.Max();

        TimeSpan Of(List<PastAttempt> attempts, int free, TimeSpan longest)
        {
            var failed = attempts.Skip(attempts.FindLastIndex(attempt => attempt.SignedIn) + 1).ToList();
            if (failed.Count < free)
            {
                return TimeSpan.Zero;
            }

            var pause = First * Math.Pow(2, Math.Min(failed.Count - free, 10));
            return (failed[^1].At + (pause < longest ? pause : longest) - now) is { Ticks: > 0 } left ? left : TimeSpan.Zero;
        }
    }
}
