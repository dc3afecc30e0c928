using System.Security.Cryptography;
using System.Text;
using Rostrum.Web.People;

namespace Rostrum.Web.Operation;

/// <summary>
/// <c>/metrics</c>, in the text form of Prometheus, for the administrator alone: an owner who is signed in, or a program that sends the
/// token that <c>ROSTRUM_METRICS_TOKEN</c> names. For anybody else there is no such address.
/// </summary>
internal static class MetricsEndpoint
{
    private const string Path = "/metrics";

    public static void UseMetrics(this WebApplication application)
    {
        var token = application.Configuration["ROSTRUM_METRICS_TOKEN"];
        application.UseWhen(
            context => context.Request.Path == Path,
            metrics =>
            {
                metrics.Use(
                    async (context, next) =>
                    {
                        if (Carries(context.Request, token) || await IsOwnerAsync(context))
                        {
                            await next(context);
                        }
                        else
                        {
                            context.Response.StatusCode = StatusCodes.Status404NotFound;
                        }
                    }
                );
                metrics.UseOpenTelemetryPrometheusScrapingEndpoint(Path);
            }
        );
    }

    private static async Task<bool> IsOwnerAsync(HttpContext context) =>
        context.User.Identity?.IsAuthenticated == true
        && await context.RequestServices.GetRequiredService<CurrentPerson>().IsOwnerAsync(context.RequestAborted);

    private static bool Carries(HttpRequest request, string? token) =>
        token is { Length: >= 16 }
        && CryptographicOperations.FixedTimeEquals(
            SHA256.HashData(Encoding.UTF8.GetBytes(request.Headers.Authorization.ToString())),
            SHA256.HashData(Encoding.UTF8.GetBytes($"Bearer {token}"))
        );
}
