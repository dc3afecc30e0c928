using System.Net;
using AngleSharp.Dom;
using AngleSharp.Html.Parser;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.AspNetCore.TestHost;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;
using Npgsql;
using Rostrum.StandIns.Fleet;
using Rostrum.StandIns.Post;
using Rostrum.Store;
using Rostrum.Web.Demo;
using Rostrum.Web.People.Mail;
using Rostrum.Web.Security;
using Rostrum.Web.Together;

namespace Rostrum.Web.Tests;

/// <summary>The whole application with the demo, on databases of its own: copies of ones that are made once for all suites.</summary>
public class DemoApplication : WebApplicationFactory<Program>, IAsyncLifetime
{
    private static readonly Lazy<Task<string>> Template = new(LoadTemplateAsync);

    private static readonly Lazy<string> Key = new(() =>
    {
        var path = Path.Combine(Path.GetTempPath(), $"rostrum-test-{Guid.NewGuid():N}.key");
        WorkspaceKey.Make(path);
        return path;
    });

    private readonly string _name = $"test_{Guid.NewGuid():N}";

    private static string DatabaseServer =>
        Environment.GetEnvironmentVariable("ROSTRUM_TEST_POSTGRES")
        ?? throw new InvalidOperationException("ROSTRUM_TEST_POSTGRES names the server: run ./rostrum test");

    public string StoreConnection => With($"{_name}_store");

    public string FleetConnection => With($"{_name}_fleet");

    public async Task InitializeAsync()
    {
        var template = await Template.Value;
        await ServerAsync($"CREATE DATABASE {_name}_store TEMPLATE {template}_store STRATEGY file_copy");
        await ServerAsync($"CREATE DATABASE {_name}_fleet TEMPLATE {template}_fleet STRATEGY file_copy");
        await RunAsync(StoreConnection, $"UPDATE sources SET database = '{_name}_fleet' WHERE name = 'Fleet'");
    }

    async Task IAsyncLifetime.DisposeAsync()
    {
        await DisposeAsync();
        await ServerAsync($"DROP DATABASE IF EXISTS {_name}_store WITH (FORCE)");
        await ServerAsync($"DROP DATABASE IF EXISTS {_name}_fleet WITH (FORCE)");
        await Post.DisposeAsync();
        Directory.Delete(Files, recursive: true);
    }

    // What it makes goes with the cluster's next start: ./rostrum test removes every test_ database then.
    private static async Task<string> LoadTemplateAsync()
    {
        await using var maker = new DemoApplication();
        await ServerAsync($"CREATE DATABASE {maker._name}_store");
        await ServerAsync($"CREATE DATABASE {maker._name}_fleet");
        await FleetLoader.LoadAsync(maker.FleetConnection, new DateOnly(2026, 3, 14), CancellationToken.None);
        await DemoLoader.LoadAsync(maker.Services, CancellationToken.None);
        await maker.DisposeAsync();
        // A database can be copied while nobody is connected to it, and by a pool somebody may be.
        await ServerAsync($"ALTER DATABASE {maker._name}_store ALLOW_CONNECTIONS false");
        await ServerAsync($"ALTER DATABASE {maker._name}_fleet ALLOW_CONNECTIONS false");
        await ServerAsync($"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname LIKE '{maker._name}%'");
        return maker._name;
    }

    /// <summary>The folder whose files may be sources.</summary>
    public string Files { get; } = Directory.CreateTempSubdirectory("rostrum-files-").FullName;

    /// <summary>Takes the mail that is sent.</summary>
    public PostRoom Post { get; } = new();

    /// <summary>Sends the mail that is due at this moment.</summary>
    public Task SendMailAsync() => Services.GetRequiredService<MailSender>().SendDueAsync(CancellationToken.None);

    protected override void ConfigureWebHost(IWebHostBuilder builder)
    {
        builder.UseSetting("ROSTRUM_STORE", StoreConnection);
        builder.UseSetting("ROSTRUM_FLEET", FleetConnection);
        builder.UseSetting("ROSTRUM_KEY", Key.Value);
        builder.UseSetting("ROSTRUM_FILES", Files);
        builder.UseSetting("ROSTRUM_SMTP", $"smtp://127.0.0.1:{Post.Port}");
        builder.UseSetting("ROSTRUM_MAIL_FROM", "Rostrum <rostrum@brackwater.example>");
        builder.UseSetting("ROSTRUM_ADDRESS", "http://rostrum.example");
        builder.UseSetting("Logging:LogLevel:Default", "Error");
        builder.ConfigureTestServices(services =>
        {
            services.Configure<PasswordHasherOptions>(hasher => hasher.IterationCount = 1);

            // Mail and news go when a test says so: by their own clocks they would go between two of its lines, now and then.
            foreach (var clock in services.Where(IsClock).ToArray())
            {
                services.Remove(clock);
            }
        });
    }

    private static bool IsClock(ServiceDescriptor service) =>
        service.ServiceType == typeof(IHostedService)
        && service.ImplementationFactory is Func<IServiceProvider, MailSender> or Func<IServiceProvider, Notifier>;

    /// <summary>A browser of sorts, signed in as one of the demo's people.</summary>
    public async Task<Visitor> AsAsync(string person)
    {
        var visitor = Anonymous();
        var answer = await visitor.PostAsync("/sign-in", "/sign-in", ("UserName", person), ("Password", DemoLoader.Password));
        Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode);
        if (answer.Headers.Location!.OriginalString.StartsWith("/sign-in/code", StringComparison.Ordinal))
        {
            // A code counts once: whoever comes twice within half a minute takes the next one.
            var at = DateTimeOffset.UtcNow.AddSeconds(_codes++ % 2 == 0 ? 0 : 30);
            using var second = await visitor.PostAsync("/sign-in/code", "/sign-in/code", ("code", Totp.Code(AuthenticatorKey, at)));
            Assert.Equal(HttpStatusCode.Redirect, second.StatusCode);
        }

        return visitor;
    }

    // The auditor’s, as demo/workspace.yaml has it.
    private const string AuthenticatorKey = "BRACKWATERFERRIES2AUDITOR7HARBOU";
    private int _codes;

    public Visitor Anonymous() => new(CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false }));

    public async Task<T> InStoreAsync<T>(Func<RostrumStore, Task<T>> read)
    {
        await using var scope = Services.CreateAsyncScope();
        return await read(scope.ServiceProvider.GetRequiredService<RostrumStore>());
    }

    public Task<AppDraft> DraftAsync(string address) =>
        InStoreAsync(async store => (await Services.GetRequiredService<Drafts>().FindAsync(store, address, CancellationToken.None))!);

    /// <summary>Tells everybody what happened to what they watch.</summary>
    public async Task TellAsync()
    {
        do
        {
            await Services.GetRequiredService<Notifier>().TellAsync(CancellationToken.None);
        } while (await InStoreAsync(store => store.RecordEvents.AnyAsync()));
    }

    /// <summary>A change of many records once it is over.</summary>
    public async Task<BulkChange> BulkEndAsync(long id)
    {
        for (var tries = 0; tries < 600; tries++)
        {
            var bulk = await InStoreAsync(store => store.BulkChanges.AsNoTracking().FirstAsync(row => row.Id == id));
            if (bulk.Status is not BulkStatus.Running)
            {
                return bulk;
            }

            await Task.Delay(100);
        }

        throw new TimeoutException("It does not come to its end.");
    }

    public Task FleetAsync(string sql) => RunAsync(FleetConnection, sql);

    public Task<string> FleetScalarAsync(string sql) => ScalarAsync(FleetConnection, sql);

    public static async Task<string> ScalarAsync(string connection, string sql)
    {
        await using var source = NpgsqlDataSource.Create(connection);
        await using var command = source.CreateCommand(sql);
        return Convert.ToString(await command.ExecuteScalarAsync(), System.Globalization.CultureInfo.InvariantCulture) ?? "";
    }

    public static Task ServerAsync(string sql) => RunAsync(DatabaseServer, sql);

    public string FleetName => $"{_name}_fleet";

    public string StoreName => $"{_name}_store";

    private static string With(string database) =>
        new NpgsqlConnectionStringBuilder(DatabaseServer) { Database = database }.ConnectionString;

    private static async Task RunAsync(string connection, string sql)
    {
        await using var source = NpgsqlDataSource.Create(connection);
        await using var command = source.CreateCommand(sql);
        await command.ExecuteNonQueryAsync();
    }
}

internal static class Workspaces
{
    /// <summary>The workspace as the application knows it at this moment.</summary>
    public static async Task<Workspace> GetWorkspaceAsync(this IServiceProvider services) =>
        await services.GetRequiredService<WorkspaceCache>().GetAsync(CancellationToken.None);
}

/// <summary>Sends requests as a browser would, with its cookies and the form's token.</summary>
public sealed class Visitor(HttpClient client)
{
    public HttpClient Client { get; } = client;

    public async Task<IDocument> PageAsync(string address, HttpStatusCode expected = HttpStatusCode.OK)
    {
        using var answer = await Client.GetAsync(address);
        Assert.Equal(expected, answer.StatusCode);
        return await ParseAsync(answer);
    }

    /// <summary>What is in a table's menu once it is opened.</summary>
    public Task<IDocument> ViewMenuAsync(IDocument page) =>
        PageAsync(page.QuerySelector(".view-menu .dropdown-menu")!.GetAttribute("hx-get")!);

    public async Task<HttpStatusCode> StatusAsync(string address)
    {
        using var answer = await Client.GetAsync(address);
        return answer.StatusCode;
    }

    /// <summary>
    /// Sends a form with the token of a page that has one, the fields given, and the page's own for the record's originals.
    /// </summary>
    public async Task<HttpResponseMessage> PostAsync(string tokenFrom, string address, params (string Name, string Value)[] fields)
    {
        var page = await ParseAsync(await Client.GetAsync(tokenFrom));
        var token = page.QuerySelector("input[name=__RequestVerificationToken]")?.GetAttribute("value") ?? "";
        return await SendAsync(address, [("__RequestVerificationToken", token), .. fields]);
    }

    /// <summary>Gives a role rights, as an owner does who has looked at what changes.</summary>
    public async Task<HttpResponseMessage> GrantAsync(string address, params (string Name, string Value)[] fields)
    {
        var page = address.Split('?')[0];
        var looked = await PostAsync(page, address, fields);
        if (looked.StatusCode != HttpStatusCode.OK)
        {
            return looked;
        }

        using (looked)
        {
            var sure = (await ParseAsync(looked)).QuerySelector(".consequences input[name=sure]")?.GetAttribute("value");
            Assert.NotNull(sure);
            return await PostAsync(page, address, [.. fields, ("sure", sure)]);
        }
    }

    /// <summary>Looks through somebody's eyes: a role's name, a person's identity, or blank for one's own.</summary>
    public async Task ViewAsAsync(string who)
    {
        using var answer = await PostAsync("/view-as", "/view-as", ("who", who));
        Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode);
    }

    /// <summary>Lets previews change real records.</summary>
    public async Task AllowChangesAsync(string preview)
    {
        using var answer = await PostAsync(preview, preview + "?handler=Changes", ("allow", "yes"));
        Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode);
    }

    /// <summary>Publishes an app's draft as it is looked at.</summary>
    public async Task<HttpResponseMessage> PublishAsync(string versions, string note)
    {
        var page = await PageAsync(versions);
        string Value(string name) => page.QuerySelector($"form.publish input[name={name}]")?.GetAttribute("value") ?? "";
        return await SendAsync(
            $"{versions}?handler=Publish",
            [("__RequestVerificationToken", Value("__RequestVerificationToken")), ("revision", Value("revision")), ("Note", note)]
        );
    }

    /// <summary>Fills in the form of a record's sheet as it stands and changes some of its fields.</summary>
    public Task<HttpResponseMessage> SubmitAsync(IDocument page, string handler, params (string Name, string Value)[] changed) =>
        SubmitAsync(page, handler, partial: false, changed);

    public async Task<HttpResponseMessage> SubmitAsync(
        IDocument page,
        string handler,
        bool partial,
        params (string Name, string Value)[] changed
    )
    {
        var form = page.QuerySelector("[data-form]") ?? throw new InvalidOperationException("no form is open");
        var fields = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var input in form.QuerySelectorAll("input[name], textarea[name], select[name]"))
        {
            fields[input.GetAttribute("name")!] = input switch
            {
                AngleSharp.Html.Dom.IHtmlSelectElement select => select.Value ?? "",
                AngleSharp.Html.Dom.IHtmlTextAreaElement area => area.Value,
                _ => input.GetAttribute("value") ?? "",
            };
        }

        foreach (var (name, value) in changed)
        {
            fields[name] = value;
        }

        return await SendAsync(
            form.GetAttribute("action")!.Replace("handler=Save", $"handler={handler}", StringComparison.Ordinal),
            [.. fields.Select(field => (field.Key, field.Value))],
            partial
        );
    }

    /// <summary>What a browser would send of a form as it stands, with some of it changed.</summary>
    public static (string Name, string Value)[] Filled(IElement form, params (string Name, string Value)[] changed)
    {
        var names = changed.Select(one => one.Name).ToHashSet();
        var fields =
            from input in form.QuerySelectorAll("input[name], textarea[name], select[name]")
            let name = input.GetAttribute("name")!
            where !names.Contains(name) && name[0] != '_'
            where input is not AngleSharp.Html.Dom.IHtmlInputElement { Type: "radio" or "checkbox", IsChecked: false }
            select (
                name,
                input switch
                {
                    AngleSharp.Html.Dom.IHtmlSelectElement list => list.Value ?? "",
                    AngleSharp.Html.Dom.IHtmlTextAreaElement area => area.Value,
                    _ => input.GetAttribute("value") ?? "",
                }
            );
        return [.. fields, .. changed];
    }

    public static async Task<IDocument> ParseAsync(HttpResponseMessage answer) =>
        await new HtmlParser().ParseDocumentAsync(await answer.Content.ReadAsStringAsync());

    public async Task<HttpResponseMessage> SendAsync(string address, (string Name, string Value)[] fields, bool partial = false)
    {
        using var content = new FormUrlEncodedContent(fields.Select(field => KeyValuePair.Create(field.Name, field.Value)));
        using var request = new HttpRequestMessage(HttpMethod.Post, address) { Content = content };
        if (partial)
        {
            request.Headers.Add("HX-Request", "true");
            request.Headers.Add("HX-Target", "sheet");
        }

        return await Client.SendAsync(request);
    }
}
