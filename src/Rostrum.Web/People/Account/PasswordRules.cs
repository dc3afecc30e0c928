using Microsoft.AspNetCore.Identity;
using Rostrum.Store;

namespace Rostrum.Web.People.Account;

/// <summary>
/// What a password must be, after NIST SP 800-63B: long enough, and none that is known to everybody. No kinds of characters are demanded,
/// and none expires.
/// </summary>
internal sealed class PasswordRules : IPasswordValidator<Person>
{
    public const int Shortest = 12;
    private const int Longest = 128;

    // So many letters must be left when the person's names are taken away.
    private const int Left = 4;

    // What is left of the passwords that are tried first when digits and signs around them are taken away.
    private static readonly HashSet<string> Common =
    [
        .. (
            "password passwort passw0rd p@ssw0rd pass secret letmein welcome login access admin administrator root user guest test default "
            + "changeme change changeit master superman batman football baseball basketball hockey soccer dragon monkey shadow sunshine "
            + "princess iloveyou lovely flower summer winter spring autumn january february march april june july august september october "
            + "november december monday friday sunday qwerty qwertz azerty qwertyuiop qwertyuiopasdf asdfgh asdfghjkl zxcvbnm qazwsx "
            + "qazwsxedc onetwothree abcdef abcdefgh abcdefghijkl abcabcabc company office computer internet server database rostrum"
        ).Split(' '),
    ];

    public Task<IdentityResult> ValidateAsync(UserManager<Person> manager, Person user, string? password)
    {
        var problem = Problem(password ?? "", [user.UserName ?? "", user.Name, (user.Email ?? "").Split('@')[0]]);
        return Task.FromResult(
            problem is null ? IdentityResult.Success : IdentityResult.Failed(new IdentityError { Code = "Password", Description = problem })
        );
    }

    /// <summary>What is wrong with a password; null where nothing is.</summary>
    /// <param name="password">The password.</param>
    /// <param name="own">What it must not be made of: the person's names.</param>
    public static string? Problem(string password, IEnumerable<string> own)
    {
        var length = password.EnumerateRunes().Count();
        if (length is < Shortest or > Longest)
        {
            return length < Shortest
                ? $"The password is too short: it needs at least {Shortest} characters."
                : $"The password is too long: at most {Longest} characters are taken.";
        }

        var core = new string([.. password.ToLowerInvariant().Where(char.IsLetter)]);
        var names = own.SelectMany(name => name.ToLowerInvariant().Split([' ', '.', '-', '_']))
            .Where(name => name.Length > 2)
            .OrderByDescending(name => name.Length);
        return password.Distinct().Count() < 5 || IsRun(password) || Common.Contains(core) || Common.Any(word => IsRepeated(core, word))
                ? "This password is one of those that are tried first. Choose another: a few words that do not belong together, say."
            : names.Aggregate(core, (left, name) => left.Replace(name, "", StringComparison.Ordinal)).Length < Left
                ? "The password is your own name. Choose another."
            : null;
    }

    private static bool IsRepeated(string text, string word) =>
        text.Length > 0 && text.Length % word.Length == 0 && text.Chunk(word.Length).All(part => part.AsSpan().SequenceEqual(word));

    // 123456789012, abcdefghijkl, and backwards.
    private static bool IsRun(string text)
    {
        var steps = text.Zip(text.Skip(1), (one, next) => next - one).ToArray();
        return steps.Count(step => step is 1 or -1 or 0) >= steps.Length * 0.8;
    }
}
