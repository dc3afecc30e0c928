using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Infrastructure;
using Microsoft.EntityFrameworkCore.Migrations;
using Rostrum.Store;
using Rostrum.Web;
using Rostrum.Web.CommandLine;
using Rostrum.Web.Demo;
using Rostrum.Web.People.Joining;
using Rostrum.Web.Security;

if (args is ["formula", ..])
{
    await FormulaCommand.RunAsync(args);
    return 0;
}

if (args is ["make-key", var path])
{
    WorkspaceKey.Make(path);
    return 0;
}

if (args is ["app", ..] && !AppCommand.NeedsWorkspace(args))
{
    return await AppCommand.RunAsync(args, services: null);
}

var builder = WebApplication.CreateBuilder(args);
builder.AddRostrum();
if (args is ["app" or "load-demo" or "first-owner" or "verify-log", ..])
{
    // A command says what came of it, and what went wrong.
    builder.Logging.SetMinimumLevel(LogLevel.Error);
}

var application = builder.Build();

await using (var store = await application.Services.GetRequiredService<IDbContextFactory<RostrumStore>>().CreateDbContextAsync())
{
    // Asking first spares each start the comparison of the whole model with its last migration.
    var isNew = !await store.GetService<IHistoryRepository>().ExistsAsync();
    var (known, applied) = (store.Database.GetMigrations(), isNew ? [] : await store.Database.GetAppliedMigrationsAsync());
    if (applied.Except(known).Any())
    {
        await Console.Error.WriteLineAsync(
            "Rostrum's records are of another version, which this one cannot read. `./rostrum reset` makes them anew."
        );
        return 1;
    }

    if (known.Except(applied).Any())
    {
        await store.Database.MigrateAsync();
    }
}

if (args is ["app", ..])
{
    return await AppCommand.RunAsync(args, application.Services);
}

if (args is ["verify-log"])
{
    return await VerifyLogCommand.RunAsync(application.Services);
}

if (args is ["load-demo", ..])
{
    await DemoLoader.LoadAsync(application.Services, CancellationToken.None);
    return 0;
}

if (args is ["first-owner"])
{
    if (await FirstOwner.LinkAsync(application.Services, CancellationToken.None) is { } link)
    {
        await Console.Out.WriteLineAsync(link);
    }

    return 0;
}

application.UseRostrum();
await application.RunAsync();
return 0;
