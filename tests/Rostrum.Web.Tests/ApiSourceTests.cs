using System.Net;
using System.Text.RegularExpressions;
using AngleSharp.Dom;
using AngleSharp.Html.Dom;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Apps.Files;
using Rostrum.StandIns.Harbour;
using Rostrum.Store;
using Rostrum.Web.Build.Apps.Files;

namespace Rostrum.Web.Tests;

/// <summary>An API is connected, tables are made of its requests, secrets go where they may and are shown nowhere.</summary>
public sealed class ApiSourceTests(LoggedApplication application) : IClassFixture<LoggedApplication>
{
    private const string New = "/build/sources/new?kind=http";
    private const string Planted = "planted-secret-9000";

    private static (string, string)[] Connection(string name, string address) =>
        [
            ("Name", name),
            ("Address", address),
            ("SignIn", "token"),
            ("UserName", HarbourOffice.User),
            ("Password", HarbourOffice.Password),
            ("TokenPath", "/sign-in"),
            ("TokenBody", """{"user": "${user}", "password": "${password}"}"""),
            ("TokenPointer", "/token"),
            ("LifetimePointer", "/expires_in"),
            ("Headers", "X-Planted: ${secrets.planted}"),
        ];

    [Fact]
    public async Task From_a_request_to_a_page_of_records_and_no_secret_is_shown_on_the_way()
    {
        await using var harbour = HarbourOffice.At("http://127.0.0.1:0", new DateOnly(2026, 3, 14));
        await harbour.StartAsync();
        var address = harbour.Urls.Single();
        var bea = await application.AsAsync("bea");
        var seen = new List<string>();

        using var added = await bea.PostAsync(
            "/build/secrets",
            "/build/secrets",
            ("Name", "planted"),
            ("value", Planted),
            ("Note", "for a test")
        );
        Assert.Equal(HttpStatusCode.Redirect, added.StatusCode);
        seen.Add((await bea.PageAsync("/build/secrets")).DocumentElement.OuterHtml);

        using var wrong = await bea.PostAsync(New, New, [.. Connection("Harbour", "ftp://nowhere")]);
        Assert.Contains("begins with https:// or http://", (await Visitor.ParseAsync(wrong)).Body!.TextContent, StringComparison.Ordinal);
        using var connected = await bea.PostAsync(New, New, [.. Connection("Harbour", address)]);
        var request = connected.Headers.Location!.ToString();
        Assert.EndsWith("/requests/new", request, StringComparison.Ordinal);

        (string, string)[] asked = [("Method", "GET"), ("Path", "/bookings"), ("Query", "port: BRW")];
        using var sent = await bea.PostAsync(request, request + "?handler=Send", asked);
        var answer = await Visitor.ParseAsync(sent);
        seen.Add(answer.DocumentElement.OuterHtml);
        Assert.Equal("/data/bookings", answer.QuerySelector("#Items")!.GetAttribute("value"));
        Assert.Equal("the list", answer.QuerySelector(".json-list")!.TextContent);
        Assert.Equal(
            "reference",
            answer
                .QuerySelectorAll(".shape tbody tr")
                .Single(row => row.QuerySelector("[name^='key.'][checked]") is not null)
                .QuerySelector("code")!
                .TextContent
        );

        var fields = Fields(answer.QuerySelector("form.request")!)
            .Select(pair => pair.Name == "Create.Path" ? ("Create.Path", "/bookings") : pair)
            .ToArray();
        using var saved = await bea.PostAsync(request, request, fields);
        Assert.Equal(HttpStatusCode.Redirect, saved.StatusCode);
        var table = await bea.PageAsync(saved.Headers.Location!.ToString());
        seen.Add(table.DocumentElement.OuterHtml);
        Assert.Contains("HB-00", table.Body!.TextContent, StringComparison.Ordinal);

        var source = request.Replace("/requests/new", "", StringComparison.Ordinal);
        using var again = await bea.PostAsync(request, request, fields);
        Assert.Contains(
            "There is a table “bookings” already.",
            (await Visitor.ParseAsync(again)).Body!.TextContent,
            StringComparison.Ordinal
        );

        var import = $"{source}/requests/import";
        using var read = await bea.PostAsync(import, import + "?handler=Read", ("path", "/openapi.json"));
        var found = await Visitor.ParseAsync(read);
        Assert.Equal(
            ["bookings", "tides", "weather", "pilots"],
            found.QuerySelectorAll("[name=chosen]").Select(box => box.GetAttribute("value"))
        );
        var text = ((IHtmlTextAreaElement)found.QuerySelector("textarea[name=text]")!).Value;
        using var imported = await bea.PostAsync(import, import, ("text", text), ("chosen", "weather"), ("chosen", "tides"));
        var weather = await bea.PageAsync(imported.Headers.Location!.ToString());
        Assert.Contains("weather", weather.Body!.TextContent, StringComparison.Ordinal);
        using var nothing = await bea.PostAsync(import, import + "?handler=Read", ("text", "no: description"));
        Assert.Contains("no OpenAPI 3 description", (await Visitor.ParseAsync(nothing)).Body!.TextContent, StringComparison.Ordinal);

        seen.Add((await bea.PageAsync($"{source}/settings")).DocumentElement.OuterHtml);
        seen.Add((await bea.PageAsync("/build")).DocumentElement.OuterHtml);
        await ComesToSayAsync(bea, "/build/secrets", "by Bea Holm in Harbour");
        await ComesToSayAsync(await application.AsAsync("oskar"), "/people/audit?kind=SecretUses&q=planted", "Used in Harbour");

        var drafting = Fields((await bea.PageAsync($"{source}/draft")).QuerySelector("main form")!).Where(pair => pair.Name != "AppName");
        using var drafted = await bea.PostAsync($"{source}/draft", $"{source}/draft", [.. drafting, ("AppName", "Harbour bookings")]);
        var app = drafted.Headers.Location!.ToString().Split('/')[^1];
        var (folder, _) = await FolderInZip.ReadAsync(await bea.Client.GetStreamAsync($"/build/apps/{app}?handler=Export"), default);
        seen.AddRange(folder!.Files.Select(file => $"{file.Key}\n{file.Value}"));
        var rows = await bea.Client.GetStringAsync($"/try/{app}/bookings?handler=Download&panel=bookings");
        Assert.Contains("HB-00", rows, StringComparison.Ordinal);
        seen.Add(rows);

        // One more call that fails, for the log to tell of it.
        await harbour.StopAsync();
        seen.Add((await bea.PageAsync(saved.Headers.Location!.ToString())).DocumentElement.OuterHtml);
        await ComesToSayAsync(bea, $"/build?handler=Health&source={source.Split('/')[^1]}", "last failed");
        seen.AddRange(application.Logged);
        Assert.NotEmpty(application.Logged);
        Assert.All(seen, page => Assert.DoesNotContain(Planted, page, StringComparison.Ordinal));
        Assert.All(seen, page => Assert.DoesNotContain(HarbourOffice.Password, page, StringComparison.Ordinal));

        await using var scope = application.Services.CreateAsyncScope();
        var store = scope.ServiceProvider.GetRequiredService<RostrumStore>();
        Assert.All(store.Secrets.ToList(), secret => Assert.DoesNotContain(Planted, secret.ProtectedValue, StringComparison.Ordinal));
        Assert.All(store.ApiTokens.ToList(), token =>
            Assert.DoesNotMatch(new Regex("^[0-9A-F]{32}$", RegexOptions.None, TimeSpan.FromSeconds(1)), token.ProtectedToken)
        );
    }

    private static IEnumerable<(string Name, string Value)> Fields(IElement form) =>
        ((IHtmlFormElement)form)
            .Elements.OfType<IHtmlElement>()
            .Select(element =>
                element switch
                {
                    IHtmlInputElement { Type: "checkbox" or "radio", IsChecked: false } => default,
                    IHtmlInputElement input => (input.Name ?? "", input.Value),
                    IHtmlSelectElement select => (select.Name ?? "", select.Value ?? ""),
                    IHtmlTextAreaElement area => (area.Name ?? "", area.Value),
                    _ => default,
                }
            )
            .Where(pair => !string.IsNullOrEmpty(pair.Item1) && pair.Item1 != "__RequestVerificationToken");

    // What becomes of a source is written down beside the request, and nobody waits for it.
    private static async Task ComesToSayAsync(Visitor builder, string address, string words)
    {
        for (var tries = 0; tries < 50; tries++)
        {
            if ((await builder.PageAsync(address)).Body!.TextContent.Contains(words, StringComparison.Ordinal))
            {
                return;
            }

            await Task.Delay(100);
        }

        Assert.Fail($"{address} does not come to say “{words}”.");
    }

    [Fact]
    public async Task Secrets_are_for_builders_and_are_replaced_and_removed()
    {
        Assert.Equal(HttpStatusCode.Forbidden, await (await application.AsAsync("pia")).StatusAsync("/build/secrets"));
        var bea = await application.AsAsync("bea");
        using var odd = await bea.PostAsync("/build/secrets", "/build/secrets", ("Name", "No good"), ("value", "x"));
        Assert.Contains(
            "small letters, digits and underscores",
            (await Visitor.ParseAsync(odd)).Body!.TextContent,
            StringComparison.Ordinal
        );
        using var added = await bea.PostAsync("/build/secrets", "/build/secrets", ("Name", "tenant"), ("value", "first"));
        using var replaced = await bea.PostAsync("/build/secrets", "/build/secrets?handler=Replace&name=tenant", ("value", "second"));
        var page = await bea.PageAsync("/build/secrets");
        Assert.DoesNotContain("second", page.DocumentElement.OuterHtml, StringComparison.Ordinal);
        using var removed = await bea.PostAsync("/build/secrets", "/build/secrets?handler=Remove&name=tenant");
        Assert.DoesNotContain(
            "<code>tenant</code>",
            (await bea.PageAsync("/build/secrets")).DocumentElement.OuterHtml,
            StringComparison.Ordinal
        );
    }
}
