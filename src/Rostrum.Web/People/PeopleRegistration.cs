using System.Security.Claims;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Identity;
using Microsoft.Extensions.Options;
using Rostrum.Store;
using Rostrum.Web.People.Account;
using Rostrum.Web.People.Auditing;
using Rostrum.Web.People.Directory;
using Rostrum.Web.People.Joining;
using Rostrum.Web.People.Mail;
using Rostrum.Web.People.SignOn;
using Rostrum.Web.People.SignOn.Providers;
using Rostrum.Web.People.Viewing;
using Rostrum.Web.Security;

namespace Rostrum.Web.People;

/// <summary>Sign-in by name and password, and what happens when a session has ended.</summary>
internal static class PeopleRegistration
{
    public static void AddPeople(this IServiceCollection services)
    {
        services
            .AddIdentity<Person, Role>(identity =>
            {
                // What counts is said by the rules below alone, in their words.
                identity.Password.RequiredLength = 0;
                identity.Password.RequiredUniqueChars = 0;
                identity.Password.RequireNonAlphanumeric = false;
                identity.Password.RequireUppercase = false;
                identity.Password.RequireLowercase = false;
                identity.Password.RequireDigit = false;
            })
            .AddEntityFrameworkStores<RostrumStore>()
            .AddPasswordValidator<PasswordRules>()
            .AddDefaultTokenProviders();
        // PBKDF2 with HMAC-SHA-512: so many rounds as OWASP recommends.
        services.Configure<PasswordHasherOptions>(hasher => hasher.IterationCount = 210_000);
        services.Configure<DataProtectionTokenProviderOptions>(tokens => tokens.TokenLifespan = PasswordLinks.Longest);
        services.AddScoped<SecondFactor>();
        services.AddScoped<Passkeys>();
        services.Configure<IdentityPasskeyOptions>(passkeys =>
        {
            passkeys.UserVerificationRequirement = "required";
            passkeys.ResidentKeyRequirement = "required";
        });
        services.AddScoped<SigningIn>();
        services.AddScoped<PasswordLinks>();
        services.AddScoped<AccountNotices>();
        services.AddScoped<Invitations>();
        services.AddScoped<AccessEffects>();
        services.AddScoped<Audit>();
        services.AddScoped<ViewAs>();
        services.AddSingleton<PersonRecords>();
        services.AddScoped<AttributeForm>();
        services.AddSingleton<ProviderSecrets>();
        services.AddSingleton<LdapDirectory>();
        services.AddSingleton<ProviderCheck>();
        services.AddScoped<Arrival>();
        services.AddSingleton<IAuthenticationSchemeProvider, OpenIdSchemes>();
        services.AddSingleton(provider => MailSettings.Of(provider.GetRequiredService<IConfiguration>()));
        services.AddSingleton<MailSender>();
        services.AddHostedService(provider => provider.GetRequiredService<MailSender>());
        services.ConfigureApplicationCookie(cookie =>
        {
            cookie.Cookie.Name = "rostrum";
            cookie.Cookie.SameSite = SameSiteMode.Lax;
            cookie.ExpireTimeSpan = TimeSpan.FromHours(12);
            cookie.LoginPath = "/sign-in";
            cookie.AccessDeniedPath = "/problem/403";
            cookie.ReturnUrlParameter = "returnUrl";
            cookie.Events.OnValidatePrincipal = EndWithdrawnAsync;
            cookie.Events.OnRedirectToLogin = AskToSignIn;
            cookie.Events.OnRedirectToAccessDenied = context =>
            {
                context.Response.StatusCode = StatusCodes.Status403Forbidden;
                return Task.CompletedTask;
            };
        });
        services.AddScoped<PasswordCheck>();
        services.AddScoped<IAuthorizationHandler, PersonHandler>();
        services.AddScoped<SecondFactorFirst>();

        var authorization = services.AddAuthorizationBuilder();
        foreach (var permission in Enum.GetValues<WorkspacePermissions>())
        {
            authorization.AddPersonPolicy($"{permission}", person => person.MayAsync(permission, CancellationToken.None));
        }
    }

    private static AuthorizationBuilder AddPersonPolicy(
        this AuthorizationBuilder builder,
        string name,
        Func<CurrentPerson, ValueTask<bool>> holds
    ) => builder.AddPolicy(name, policy => policy.RequireAuthenticatedUser().AddRequirements(new PersonRequirement(holds)));

    // The person's stamp is at hand with the rest of the workspace, and so, for a while, is that the session is open: it ends as soon as
    // it should, and hardly a request asks the store for it.
    private static async Task EndWithdrawnAsync(CookieValidatePrincipalContext context)
    {
        var services = context.HttpContext.RequestServices;
        var people = (await services.GetRequiredService<WorkspaceCache>().GetAsync(context.HttpContext.RequestAborted)).People;
        var claims = services.GetRequiredService<IOptions<IdentityOptions>>().Value.ClaimsIdentity;
        if (
            !Guid.TryParse(context.Principal?.FindFirstValue(claims.UserIdClaimType), out var id)
            || !people.TryGetValue(id, out var person)
            || !person.IsActive
            || person.SecurityStamp != context.Principal.FindFirstValue(claims.SecurityStampClaimType)
            || context.Principal.SessionId() is not { } session
            || !await services.GetRequiredService<OpenSessions>().IsOpenAsync(session, id, context.HttpContext.RequestAborted)
        )
        {
            context.RejectPrincipal();
            await context.HttpContext.SignOutAsync(context.Scheme.Name);
        }
    }

    // A page leads to the sign-in and back again. A form that is being sent must not lose what was typed into it: it stays, and says so.
    private static Task AskToSignIn(RedirectContext<CookieAuthenticationOptions> context)
    {
        if (!context.Request.IsPartial())
        {
            context.Response.Redirect(context.RedirectUri);
            return Task.CompletedTask;
        }

        context.Response.StatusCode = StatusCodes.Status401Unauthorized;
        if (HttpMethods.IsGet(context.Request.Method))
        {
            context.Response.Headers["HX-Redirect"] = $"/sign-in?returnUrl={Uri.EscapeDataString(context.Request.CurrentAddress())}";
        }

        return Task.CompletedTask;
    }
}

internal static class SessionClaim
{
    public const string Type = "session";

    /// <summary>Where a second factor was asked for, when that was not here.</summary>
    public const string SecondFactor = "second factor";

    /// <summary>A provider asked for it.</summary>
    public const string Elsewhere = "elsewhere";

    /// <summary>A passkey is one.</summary>
    public const string Passkey = "passkey";

    /// <summary>The session that a cookie names.</summary>
    public static Guid? SessionId(this ClaimsPrincipal principal) => Guid.TryParse(principal.FindFirstValue(Type), out var id) ? id : null;
}

/// <summary>
/// What the person who is signed in must be. Roles are read from the workspace, not from the cookie, so that a withdrawn one is withdrawn
/// at once.
/// </summary>
internal sealed record PersonRequirement(Func<CurrentPerson, ValueTask<bool>> Holds) : IAuthorizationRequirement;

internal sealed class PersonHandler(CurrentPerson person) : AuthorizationHandler<PersonRequirement>
{
    protected override async Task HandleRequirementAsync(AuthorizationHandlerContext context, PersonRequirement requirement)
    {
        if (await requirement.Holds(person))
        {
            context.Succeed(requirement);
        }
    }
}
