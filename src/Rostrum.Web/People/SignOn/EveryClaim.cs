using System.Security.Claims;
using System.Text.Json;
using Microsoft.AspNetCore.Authentication.OAuth.Claims;

namespace Rostrum.Web.People.SignOn;

/// <summary>Takes all that a provider says of a person: of a list each value, so that a rule can ask for one.</summary>
internal sealed class EveryClaim() : ClaimAction("*", ClaimValueTypes.String)
{
    // What they say is of the token, and not of the person.
    private static readonly string[] OfTheToken = ["iss", "nbf", "exp", "aud", "nonce", "iat", "c_hash", "at_hash", "azp", "jti"];

    public override void Run(JsonElement userData, ClaimsIdentity identity, string issuer)
    {
        foreach (var said in userData.EnumerateObject().Where(said => !OfTheToken.Contains(said.Name)))
        {
            var values = said.Value.ValueKind is JsonValueKind.Array ? [.. said.Value.EnumerateArray()] : new[] { said.Value };
            foreach (var value in values.Select(value => value.ToString()).Where(value => !identity.HasClaim(said.Name, value)))
            {
                identity.AddClaim(new Claim(said.Name, value, ValueType, issuer));
            }
        }
    }
}
