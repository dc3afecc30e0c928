using System.Security.Cryptography;
using System.Text;

namespace Rostrum.Web.People.Directory;

/// <summary>Who gains and who loses what by rights that are about to be saved: shown before they are.</summary>
/// <param name="Lines">What changes, a sentence each.</param>
/// <param name="Sure">What the form sends to say that it was shown just this.</param>
internal sealed record Consequences(IReadOnlyList<string> Lines, string Sure)
{
    /// <summary>What is to be shown first; null where nobody gains or loses, or where it was shown already.</summary>
    /// <param name="form">The form that was sent.</param>
    /// <param name="wanted">What is to be saved: another wish is looked at anew.</param>
    /// <param name="lines">Works out what changes.</param>
    public static async Task<Consequences?> ToShowAsync(
        IFormCollection form,
        IEnumerable<string?> wanted,
        Func<Task<IReadOnlyList<string>>> lines
    )
    {
        var sure = Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(string.Join('\n', wanted))))[..16];
        return form["sure"] == sure || await lines() is not { Count: > 0 } changes ? null : new Consequences(changes, sure);
    }
}
