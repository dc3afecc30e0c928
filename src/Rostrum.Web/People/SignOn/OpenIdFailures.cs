using System.Net.Sockets;
using Microsoft.AspNetCore.Authentication;
using Microsoft.EntityFrameworkCore;
using Microsoft.IdentityModel.Protocols.OpenIdConnect;
using Microsoft.IdentityModel.Tokens;
using Rostrum.Sources.Http;
using Rostrum.Store;

namespace Rostrum.Web.People.SignOn;

/// <summary>Why a sign-in by an OpenID provider did not come about.</summary>
internal enum SignInFailure
{
    /// <summary>The person, or the provider, said no.</summary>
    Denied,

    /// <summary>It was begun in another browser, or took too long.</summary>
    Late,

    /// <summary>The provider does not answer.</summary>
    Unreachable,

    /// <summary>What the provider says cannot be trusted: a signature, an audience, a time or a nonce is wrong.</summary>
    Untrusted,
}

/// <summary>Leads people back to the sign-in with a reason that they can read, and keeps for owners what the matter was.</summary>
internal static partial class OpenIdFailures
{
    private const int LongestReason = 400;

    public static string Words(SignInFailure failure, string label) =>
        failure switch
        {
            SignInFailure.Denied => $"{label} did not let you in. Try again, or ask your administrator.",
            SignInFailure.Late => $"The sign-in with {label} took too long, or was begun in another window. Try again.",
            SignInFailure.Unreachable => $"{label} does not answer. Try again later, or sign in another way.",
            _ => $"The answer of {label} could not be trusted, so you are not signed in. Tell an owner of this workspace.",
        };

    /// <summary>Where somebody goes for whom it did not come about.</summary>
    public static string Address(string provider, SignInFailure failure) =>
        $"/sign-in?with={Uri.EscapeDataString(provider)}&failed={failure}";

    public static async Task AnswerAsync(RemoteFailureContext context)
    {
        var failure = Of(context.Failure);
        var name = context.Scheme.Name.Split(' ')[1];
        await NoteAsync(context.HttpContext, name, failure, context.Failure);
        context.Response.Redirect(Address(name, failure));
        context.HandleResponse();
    }

    /// <summary>What a fault means for the person.</summary>
    public static SignInFailure Of(Exception? fault) =>
        fault switch
        {
            { Message: var message } when message.Contains("access_denied", StringComparison.Ordinal) => SignInFailure.Denied,
            AuthenticationFailureException { Message: "Correlation failed." } => SignInFailure.Late,
            AuthenticationFailureException { Message: var message } when message.Contains("state", StringComparison.OrdinalIgnoreCase) =>
                SignInFailure.Late,
            SecurityTokenException or OpenIdConnectProtocolException => SignInFailure.Untrusted,
            HttpRequestException or SocketException or TaskCanceledException or IOException or AddressRefusedException =>
                SignInFailure.Unreachable,
            InvalidOperationException { InnerException: { } inner } => Of(inner),
            { InnerException: { } inner } => Of(inner),
            _ => SignInFailure.Untrusted,
        };

    /// <summary>Keeps what the matter was, where it lies with the provider or with the settings.</summary>
    public static async Task NoteAsync(HttpContext http, string provider, SignInFailure failure, Exception? fault)
    {
        if (failure is not (SignInFailure.Unreachable or SignInFailure.Untrusted))
        {
            return;
        }

        var reason = Innermost(fault)?.Message ?? "It gave no reason.";
        LogFailed(http.RequestServices.GetRequiredService<ILogger<OpenIdSchemes>>(), provider, failure, reason);
        var (at, words) = (
            http.RequestServices.GetRequiredService<TimeProvider>().GetUtcNow(),
            reason[..Math.Min(reason.Length, LongestReason)]
        );
        await http
            .RequestServices.GetRequiredService<RostrumStore>()
            .SignInProviders.Where(row => row.Name == provider)
            .ExecuteUpdateAsync(
                row => row.SetProperty(one => one.Failure, words).SetProperty(one => one.FailedAt, at),
                http.RequestAborted
            );
    }

    private static Exception? Innermost(Exception? fault) => fault?.InnerException is { } inner ? Innermost(inner) : fault;

    [LoggerMessage(Level = LogLevel.Warning, Message = "A sign-in by {Provider} failed ({Failure}): {Reason}")]
    private static partial void LogFailed(ILogger log, string provider, SignInFailure failure, string reason);
}
