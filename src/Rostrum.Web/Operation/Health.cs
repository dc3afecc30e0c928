using Microsoft.AspNetCore.Diagnostics.HealthChecks;
using Microsoft.Extensions.Diagnostics.HealthChecks;
using Rostrum.Store;

namespace Rostrum.Web.Operation;

/// <summary>
/// <c>/health/live</c>: the process answers. <c>/health/ready</c>, also as <c>/health</c>: it reaches its own records, so that requests may
/// be sent to it.
/// </summary>
internal static class Health
{
    public static void AddHealth(this IServiceCollection services) => services.AddHealthChecks().AddCheck<StoreHealth>("store");

    public static void MapHealth(this WebApplication application)
    {
        application.MapHealthChecks("/health").AllowAnonymous();
        application.MapHealthChecks("/health/ready").AllowAnonymous();
        application.MapHealthChecks("/health/live", new HealthCheckOptions { Predicate = _ => false }).AllowAnonymous();
    }

    private sealed class StoreHealth(RostrumStore store) : IHealthCheck
    {
        public async Task<HealthCheckResult> CheckHealthAsync(HealthCheckContext context, CancellationToken cancellationToken = default) =>
            await store.Database.CanConnectAsync(cancellationToken)
                ? HealthCheckResult.Healthy()
                : HealthCheckResult.Unhealthy("the store does not answer");
    }
}
