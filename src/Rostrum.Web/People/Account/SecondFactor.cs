using System.Security.Claims;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Identity;
using QRCoder;
using Rostrum.Store;

namespace Rostrum.Web.People.Account;

/// <summary>Codes of an authenticator app (TOTP, RFC 6238), and recovery codes, as ASP.NET Core Identity has them.</summary>
internal sealed class SecondFactor(UserManager<Person> people, IHttpContextAccessor context)
{
    private const string Issuer = "Rostrum";
    private const string Own = "Rostrum";
    private const string LastCode = "last code";
    private const string KeyStore = "[AspNetUserStore]";
    private const string KeyName = "AuthenticatorKey";
    private const int RecoveryCodes = 8;
    private const string Stays = "stay";

    private HttpContext Http => context.HttpContext!;

    /// <summary>Remembers at this browser, for some minutes, whose password was right: the code is asked next.</summary>
    public Task AskAsync(Person person, bool stay)
    {
        var identity = new ClaimsIdentity(IdentityConstants.TwoFactorUserIdScheme);
        identity.AddClaim(new Claim(ClaimTypes.Name, person.Id.ToString("N")));
        identity.AddClaim(new Claim(Stays, stay ? "yes" : "no"));
        return Http.SignInAsync(IdentityConstants.TwoFactorUserIdScheme, new ClaimsPrincipal(identity));
    }

    /// <summary>Whose code is asked at this browser, and whether they stay; null where nobody's is.</summary>
    public async Task<(Person Person, bool Stay)?> AskedAsync()
    {
        var asked = await Http.AuthenticateAsync(IdentityConstants.TwoFactorUserIdScheme);
        return
            asked.Principal?.FindFirstValue(ClaimTypes.Name) is { } id && await people.FindByIdAsync(id) is { DeactivatedAt: null } person
            ? (person, asked.Principal.FindFirstValue(Stays) == "yes")
            : null;
    }

    /// <summary>The code was right: nothing is asked here any more.</summary>
    public Task AnsweredAsync() => Http.SignOutAsync(IdentityConstants.TwoFactorUserIdScheme);

    /// <summary>Whether a code is the authenticator's now, or a recovery code that was not used. A code counts once.</summary>
    public async Task<bool> IsRightAsync(Person person, string typed)
    {
        var code = typed.Replace(" ", "", StringComparison.Ordinal).Replace("-", "", StringComparison.Ordinal);
        if (code.Length == 6 && code.All(char.IsAsciiDigit))
        {
            if (
                await people.GetAuthenticationTokenAsync(person, Own, LastCode) == code
                || !await people.VerifyTwoFactorTokenAsync(person, people.Options.Tokens.AuthenticatorTokenProvider, code)
            )
            {
                return false;
            }

            await people.SetAuthenticationTokenAsync(person, Own, LastCode, code);
            return true;
        }

        return (await people.RedeemTwoFactorRecoveryCodeAsync(person, typed.Trim().ToUpperInvariant())).Succeeded;
    }

    /// <summary>The key of the person's authenticator, in groups of four; made where there is none.</summary>
    public async Task<string> KeyAsync(Person person)
    {
        if (await people.GetAuthenticatorKeyAsync(person) is not { Length: > 0 } key)
        {
            // Identity's own way to make one ends the person's sessions; a key that is not in use yet is no reason for that.
            key = people.GenerateNewAuthenticatorKey();
            await people.SetAuthenticationTokenAsync(person, KeyStore, KeyName, key);
        }

        return string.Join(' ', key.Chunk(4).Select(four => new string(four)));
    }

    /// <summary>The same for an authenticator app to read off the screen: an SVG, drawn here.</summary>
    public static string Picture(Person person, string key)
    {
        var label = Uri.EscapeDataString($"{Issuer}:{person.Email ?? person.UserName}");
        var secret = key.Replace(" ", "", StringComparison.Ordinal);
        var address = $"otpauth://totp/{label}?secret={secret}&issuer={Uri.EscapeDataString(Issuer)}&digits=6";
        using var codes = new QRCodeGenerator();
        using var data = codes.CreateQrCode(address, QRCodeGenerator.ECCLevel.M);
        using var svg = new SvgQRCode(data);
        return svg.GetGraphic(4, "#1C2429", "#FFFFFF", drawQuietZones: true, SvgQRCode.SizingMode.ViewBoxAttribute);
    }

    /// <summary>
    /// Turns it on with a code that proves that the app has the key; the person's sessions end. Gives the recovery codes; null where the
    /// code is wrong.
    /// </summary>
    public async Task<string[]?> TurnOnAsync(Person person, string code)
    {
        if (!await IsRightAsync(person, code))
        {
            return null;
        }

        await people.SetTwoFactorEnabledAsync(person, enabled: true);
        return [.. await people.GenerateNewTwoFactorRecoveryCodesAsync(person, RecoveryCodes) ?? []];
    }

    /// <summary>Turns it on for somebody whose authenticator has a key already.</summary>
    public static async Task GiveAsync(UserManager<Person> people, Person person, string key)
    {
        await people.SetAuthenticationTokenAsync(person, KeyStore, KeyName, key);
        await people.SetTwoFactorEnabledAsync(person, enabled: true);
    }

    /// <summary>Turns it off, and forgets the key. The person's sessions end.</summary>
    public async Task TurnOffAsync(Person person)
    {
        await people.SetTwoFactorEnabledAsync(person, enabled: false);
        await people.RemoveAuthenticationTokenAsync(person, KeyStore, KeyName);
    }
}
