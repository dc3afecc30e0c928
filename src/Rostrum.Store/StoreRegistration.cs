using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;

namespace Rostrum.Store;

public static class StoreRegistration
{
    /// <summary>Which tables ASP.NET Core Identity has: those of its third edition, with passkeys.</summary>
    public static IServiceCollection AddRostrumIdentityTables(this IServiceCollection services) =>
        services.Configure<IdentityOptions>(identity => identity.Stores.SchemaVersion = IdentitySchemaVersions.Version3);

    /// <summary>Registers the store, the workspace cache and the listener for other nodes' changes.</summary>
    public static IServiceCollection AddRostrumStore(this IServiceCollection services, string connectionString)
    {
        // Nothing that we do outlives its transaction, so that a connection comes back as it went.
        services.AddSingleton(_ =>
            NpgsqlDataSource.Create(
                new NpgsqlConnectionStringBuilder(connectionString)
                {
                    MaxAutoPrepare = 100,
                    AutoPrepareMinUsages = 2,
                    NoResetOnClose = true,
                }
            )
        );
        services.AddRostrumIdentityTables();
        services.AddSingleton<WorkspaceRevision>();
        services.AddSingleton<WorkspaceCache>();
        services.AddMemoryCache();
        services.AddSingleton<OpenSessions>();
        services.AddSingleton<Drafts>();
        services.AddSingleton<ChangeNotice>();
        services.AddSingleton<RecordChanges>();
        services.AddSingleton<WorkSignal>();
        services.AddSingleton<AuditTrail>();
        services.AddHostedService<ChangeListener>();
        services.AddPooledDbContextFactory<RostrumStore>(
            (provider, options) =>
                options
                    .UseNpgsql(provider.GetRequiredService<NpgsqlDataSource>())
                    .UseSnakeCaseNamingConvention()
                    .AddInterceptors(provider.GetRequiredService<AuditTrail>(), provider.GetRequiredService<ChangeNotice>())
        );
        services.AddScoped(provider => provider.GetRequiredService<IDbContextFactory<RostrumStore>>().CreateDbContext());
        return services;
    }
}

/// <summary>Lets `dotnet ef` make migrations without starting the application.</summary>
internal sealed class DesignTimeStore : Microsoft.EntityFrameworkCore.Design.IDesignTimeDbContextFactory<RostrumStore>
{
    public RostrumStore CreateDbContext(string[] args) =>
        new(
            new DbContextOptionsBuilder<RostrumStore>()
                .UseNpgsql("Host=127.0.0.1")
                .UseSnakeCaseNamingConvention()
                .UseApplicationServiceProvider(new ServiceCollection().AddRostrumIdentityTables().BuildServiceProvider())
                .Options
        );
}
