using Microsoft.EntityFrameworkCore;
using Rostrum.Store;
using Rostrum.Web;
using Rostrum.Web.CommandLine;
using Rostrum.Web.Demo;

if (args is ["formula", ..])
{
    await FormulaCommand.RunAsync(args);
    return;
}

var builder = WebApplication.CreateBuilder(args);
builder.AddRostrum();
var application = builder.Build();

await using (var store = await application.Services.GetRequiredService<IDbContextFactory<RostrumStore>>().CreateDbContextAsync())
{
    await store.Database.MigrateAsync();
}

if (args.Contains("load-demo", StringComparer.Ordinal))
{
    await DemoLoader.LoadAsync(application.Services, CancellationToken.None);
    return;
}

application.UseRostrum();
await application.RunAsync();
