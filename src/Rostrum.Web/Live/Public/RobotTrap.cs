using System.Globalization;
using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;

namespace Rostrum.Web.Live.Public;

/// <summary>Tells robots that fill in public forms from people: by a field that people do not see, and by the time that it took.</summary>
internal sealed class RobotTrap(IDataProtectionProvider protection, TimeProvider time)
{
    /// <summary>A field that nobody sees, and that must stay blank.</summary>
    public const string Bait = "website";

    /// <summary>The field that says when the form was opened.</summary>
    public const string Opened = "opened";

    private static readonly TimeSpan Shortest = TimeSpan.FromSeconds(2);
    private static readonly TimeSpan Longest = TimeSpan.FromHours(12);

    private readonly ITimeLimitedDataProtector _protector = protection.CreateProtector("public form").ToTimeLimitedDataProtector();

    /// <summary>This moment, as only Rostrum can write it.</summary>
    public string Now() => _protector.Protect(time.GetUtcNow().ToUnixTimeMilliseconds().ToString(CultureInfo.InvariantCulture), Longest);

    /// <summary>What keeps a form that was sent from being saved; null where nothing does.</summary>
    public string? Problem(IFormCollection form)
    {
        if (form[Bait].ToString().Length > 0)
        {
            return "Not sent: this looks like a robot. Reload the page and try again.";
        }

        try
        {
            var opened = DateTimeOffset.FromUnixTimeMilliseconds(
                long.Parse(_protector.Unprotect(form[Opened].ToString()), CultureInfo.InvariantCulture)
            );
            return time.GetUtcNow() - opened < Shortest ? "That was very quick. Check what you wrote, and send it again." : null;
        }
        catch (CryptographicException)
        {
            return "Not sent: this form was opened too long ago. Reload the page and try again.";
        }
    }
}
