using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.WebUtilities;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.People.Account;

/// <summary>A passkey, as its owner sees it.</summary>
internal sealed record PasskeyRow(string Id, string Name, string Added);

/// <summary>
/// Passkeys (W3C Web Authentication, level 3), as ASP.NET Core Identity has them: a key in the person's device, which asks for a finger
/// or a code itself, and so is two factors in one.
/// </summary>
internal sealed class Passkeys(SignInManager<Person> signIn, UserManager<Person> people, RecordFormat format)
{
    private const int LongestName = 60;

    /// <summary>The person's passkeys, the newest first.</summary>
    public async Task<ImmutableArray<PasskeyRow>> OfAsync(Person person) =>
        [
            .. (await people.GetPasskeysAsync(person))
                .OrderByDescending(passkey => passkey.CreatedAt)
                .Select(passkey => new PasskeyRow(
                    WebEncoders.Base64UrlEncode(passkey.CredentialId),
                    passkey.Name ?? "Passkey",
                    format.Display(new FieldType.Instant(), passkey.CreatedAt)
                )),
        ];

    /// <summary>What the browser is asked for, to make one.</summary>
    public Task<string> MakingAsync(Person person) =>
        signIn.MakePasskeyCreationOptionsAsync(
            new PasskeyUserEntity
            {
                Id = person.Id.ToString(),
                Name = person.UserName!,
                DisplayName = person.Name,
            }
        );

    /// <summary>Keeps what the browser made; what is wrong with it where that cannot be.</summary>
    public async Task<string?> AddAsync(Person person, string credential, string name)
    {
        var made = await Asked(credential, signIn.PerformPasskeyAttestationAsync);
        if (made is not { Succeeded: true, Passkey: { } passkey })
        {
            return "The passkey was not added: the browser’s answer does not fit what was asked. Try again.";
        }

        passkey.Name = name.Trim() is { Length: > 0 } said ? said[..Math.Min(said.Length, LongestName)] : "Passkey";
        await people.AddOrUpdatePasskeyAsync(person, passkey);
        return null;
    }

    public Task RemoveAsync(Person person, string id) => people.RemovePasskeyAsync(person, WebEncoders.Base64UrlDecode(id));

    /// <summary>What the browser is asked for, to sign in: any passkey that it has for this address.</summary>
    public Task<string> AskingAsync() => signIn.MakePasskeyRequestOptionsAsync(user: null);

    /// <summary>Whose passkey the browser has used; null where it is nobody’s, or they may not come in.</summary>
    public async Task<Person?> WhoseAsync(string credential)
    {
        var used = await Asked(credential, signIn.PerformPasskeyAssertionAsync);
        if (used is not { Succeeded: true, User: { DeactivatedAt: null } person, Passkey: { } passkey })
        {
            return null;
        }

        // With how often it was used: a copy of it would be behind.
        await people.AddOrUpdatePasskeyAsync(person, passkey);
        return person;
    }

    // A browser that was asked by no page of ours has nothing to answer.
    private static async Task<T?> Asked<T>(string credential, Func<string, Task<T>> answer)
        where T : class
    {
        if (credential.Length == 0)
        {
            return null;
        }

        try
        {
            return await answer(credential);
        }
        catch (InvalidOperationException)
        {
            return null;
        }
    }
}
