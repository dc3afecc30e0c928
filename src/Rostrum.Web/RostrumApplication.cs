using System.Globalization;
using System.Text.Encodings.Web;
using System.Text.Unicode;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.WebEncoders;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Sources.Http;
using Rostrum.Sources.Own;
using Rostrum.Sources.People;
using Rostrum.Sources.Workflows;
using Rostrum.Store;
using Rostrum.Web.Build;
using Rostrum.Web.Build.Apps;
using Rostrum.Web.Build.Apps.Files;
using Rostrum.Web.Build.Composer;
using Rostrum.Web.Build.OwnTables;
using Rostrum.Web.Build.Sources;
using Rostrum.Web.Build.Sources.Requests;
using Rostrum.Web.Build.Workflows;
using Rostrum.Web.Bulk;
using Rostrum.Web.Files;
using Rostrum.Web.Imports;
using Rostrum.Web.Live;
using Rostrum.Web.Live.Panels.Calendar.Feed;
using Rostrum.Web.Live.Panels.Table.Grid;
using Rostrum.Web.Live.Public;
using Rostrum.Web.Live.Sheet;
using Rostrum.Web.Logbook;
using Rostrum.Web.Notes;
using Rostrum.Web.Operation;
using Rostrum.Web.People;
using Rostrum.Web.Security;
using Rostrum.Web.Together;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web;

/// <summary>Puts the application together.</summary>
internal static class RostrumApplication
{
    public static void AddRostrum(this WebApplicationBuilder builder)
    {
        var services = builder.Services;
        var configuration = builder.Configuration;
        builder.WebHost.ConfigureKestrel(kestrel =>
        {
            kestrel.AddServerHeader = false;

            // What is checked stands in the address, which comes in up to three headers as well.
            kestrel.Limits.MaxRequestLineSize = 64 * 1024;
            kestrel.Limits.MaxRequestHeadersTotalSize = 256 * 1024;
        });
        builder.Logging.ClearProviders();
        _ =
            configuration["ROSTRUM_LOG"] == "json"
                ? builder.Logging.AddJsonConsole(console => console.IncludeScopes = true)
                : builder.Logging.AddSimpleConsole(console => console.SingleLine = true);

        services.AddSingleton(TimeProvider.System);
        var culture = CultureInfo.GetCultureInfo(configuration["Workspace:Culture"] ?? "en-GB");
        services.AddSingleton(
            RecordFormat.For(culture, TimeZoneInfo.FindSystemTimeZoneById(configuration["Workspace:TimeZone"] ?? "UTC")) with
            {
                Currency = configuration["Workspace:Currency"] ?? new RegionInfo(culture.Name).ISOCurrencySymbol,
            }
        );
        services.AddRostrumStore(
            configuration["ROSTRUM_STORE"]
                ?? throw new InvalidOperationException("ROSTRUM_STORE names the database of Rostrum's own records.")
        );
        services
            .AddDataProtection()
            .SetApplicationName("Rostrum")
            .PersistKeysToDbContext<RostrumStore>()
            .ProtectKeysWithCertificate(WorkspaceKey.Read(configuration["ROSTRUM_KEY"]));
        services.AddProxies(configuration["ROSTRUM_PROXIES"]);
        services.AddSingleton(new SourceFiles(configuration["ROSTRUM_FILES"]));
        services.AddSingleton<SourceSecrets>();
        services.AddSingleton<SourceNotes>();
        services.AddSingleton<ISourceDirectory, SourceDirectory>();
        services.AddSingleton<IApiTokens, StoredApiTokens>();
        services.AddSingleton<IWorkspacePeople, PeopleAsRecords>();
        services.AddSingleton(provider => new SourceServices(
            provider.GetRequiredService<IApiTokens>(),
            provider.GetRequiredService<IWorkflowRows>()
        )
        {
            People = provider.GetRequiredService<IWorkspacePeople>(),
            OwnTables = OwnTableStore.SettingsOf(configuration["ROSTRUM_STORE"]!),
            CleanFormatted = RichText.Clean,
        });
        services.AddScoped<OwnTableSetUp>();
        services.AddScoped<TableEditor>();
        services.AddScoped<PeopleSetUp>();
        services.AddSingleton<IRecordEvents, RecordEvents>();
        services.AddSingleton<RecordGate>();
        services.AddSingleton<Notifier>();
        services.AddHostedService(provider => provider.GetRequiredService<Notifier>());
        services.AddScoped<WatchToggle>();
        services.AddSingleton<Unsubscribing>();
        services.AddScoped<CalendarFeeds>();
        services.AddSingleton<PublishedApps>();
        services.AddSingleton<AppOpenings>();
        services.AddSingleton<IActor, Actor>();
        services.AddScoped<CurrentPerson>();
        services.AddScoped<Undoing>();
        services.AddScoped<FileImports>();
        services.AddScoped<Uploads>();
        services.AddScoped<FormFiles>();
        services.AddScoped<RecordNotes>();
        services.AddSingleton<FileStore>(provider =>
            provider.GetRequiredService<IDbContextFactory<RostrumStore>>() is var stores
            && configuration["ROSTRUM_FILE_STORE"] is { Length: > 0 } folder
                ? new FolderFiles(stores, folder)
                : new DatabaseFiles(stores)
        );
        services.AddScoped<UnsavedTables>();
        services.AddScoped<GridWorkflow>();
        services.AddScoped<GridSaving>();
        services.AddScoped<RecordLogbook>();
        services.AddScoped<BulkChanges>();
        services.AddSingleton<BulkExecution>();
        services.AddHostedService<BulkWorker>();
        services.AddScoped<SavedForms>();
        services.AddScoped<SentForms>();
        services.AddScoped<SourceSetUp>();
        services.AddScoped<ApiTables>();
        services.AddScoped<AppWriting>();
        services.AddScoped<WorkflowDrafts>();
        services.AddScoped<RunRights>();
        services.AddScoped<DraftEditing>();
        services.AddScoped<AppTransfer>();
        services.AddScoped<NamedAppsOnly>();
        services.AddPeople();
        services.AddWorkflows();
        services.AddPublicLinks();
        services.AddSingleton<RobotTrap>();

        // Only what means something to HTML is escaped; letters of any script stay as they are.
        services.Configure<WebEncoderOptions>(encoder => encoder.TextEncoderSettings = new TextEncoderSettings(UnicodeRanges.All));
        services.AddHealth();
        builder.AddTelemetry();
        services.AddAntiforgery(antiforgery => antiforgery.Cookie.Name = "rostrum-form");
        services
            .AddRazorPages(pages =>
            {
                pages.Conventions.AuthorizeFolder("/");
                pages.Conventions.AuthorizeFolder("/Build", nameof(WorkspacePermissions.BuildApps));
                pages.Conventions.AuthorizeFolder("/Build/Sources", nameof(WorkspacePermissions.ManageSources));
                pages.Conventions.AuthorizeFolder("/Build/OwnTables", nameof(WorkspacePermissions.ManageSources));
                pages.Conventions.AuthorizePage("/Build/Data/Structure", nameof(WorkspacePermissions.ManageSources));
                pages.Conventions.AuthorizeFolder("/Build/Workflows", nameof(WorkspacePermissions.BuildApps));
                pages.Conventions.AuthorizeFolder("/Build/Secrets", nameof(WorkspacePermissions.ManageSecrets));
                pages.Conventions.AuthorizeFolder("/People/Roles", nameof(WorkspacePermissions.ManagePeople));
                pages.Conventions.AuthorizeFolder("/People/Directory", nameof(WorkspacePermissions.ManagePeople));
                pages.Conventions.AuthorizeFolder("/People/SignOn/Providers", nameof(WorkspacePermissions.ManagePeople));
                pages.Conventions.AllowAnonymousToPage("/People/SignOn/With");
                pages.Conventions.AuthorizeFolder("/People/Auditing", nameof(WorkspacePermissions.ReadAudit));
                pages.Conventions.AllowAnonymousToPage("/People/Account/Code");
                pages.Conventions.AllowAnonymousToPage("/People/Account/Forgot");
                pages.Conventions.AllowAnonymousToPage("/People/Account/NewPassword");
                pages.Conventions.AllowAnonymousToPage("/People/Joining/Join");
                pages.Conventions.AllowAnonymousToPage("/People/SignIn");
                pages.Conventions.AllowAnonymousToPage("/People/Problem");
                pages.Conventions.AllowAnonymousToPage("/Together/Unsubscribe");
                pages.Conventions.AddPageRoute("/Live/AppPage", "/try/{app}/{address?}");
                pages.Conventions.AddPageRoute("/Live/AppPage", "/canvas/{app}/{address?}");
                pages.Conventions.AddPageRoute("/Live/AppPage", $"/{TableEditing.App}/{{own:guid}}");
                pages.Conventions.AddPageRoute("/Live/AppPage", $"{PublicLinks.Root}/{{token}}");
            })
            .WithRazorPagesAtContentRoot()
            .AddMvcOptions(mvc =>
            {
                mvc.Filters.Add<ReadableInput.Filter>();
                mvc.Filters.AddService<SecondFactorFirst>();
                mvc.Filters.AddService<NamedAppsOnly>();
            });
        services.Configure<Microsoft.AspNetCore.Mvc.MvcViewOptions>(views =>
            views.HtmlHelperOptions.CheckBoxHiddenInputRenderMode = Microsoft.AspNetCore.Mvc.Rendering.CheckBoxHiddenInputRenderMode.None
        );
    }

    public static void UseRostrum(this WebApplication application)
    {
        application.UseForwardedHeaders();
        application.UseHsts();
        application.UseExceptionHandler("/problem/500");
        application.UseStatusCodePagesWithReExecute("/problem/{0}");
        application.UseSecurityHeaders();
        application.UseStoreOutage();
        application.UseStaticFiles(
            new StaticFileOptions
            {
                OnPrepareResponse = file => file.Context.Response.Headers.CacheControl = "public, max-age=31536000, immutable",
            }
        );
        application.UseReadableInput();
        application.UseRouting();
        application.UseAuthentication();
        application.UseUploadSize();
        application.UsePublicLinks();
        application.UseAuthorization();
        application.UseMetrics();
        application.MapHealth();
        application.MapAppLook();
        application.MapGet("/workshop/{**rest}", RedirectToBuild).AllowAnonymous();
        application.MapCalendarFeeds();
        application.MapWebhooks();
        application.MapRazorPages();
    }

    // The Build area had another address once.
    private static IResult RedirectToBuild(HttpRequest request)
    {
        request.Path.StartsWithSegments("/workshop", StringComparison.OrdinalIgnoreCase, out var rest);
        return Results.Redirect(new PathString("/build").Add(rest).ToUriComponent() + request.QueryString, permanent: true);
    }
}
