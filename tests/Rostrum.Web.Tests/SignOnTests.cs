using System.Collections.Immutable;
using System.Net;
using System.Security.Cryptography;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;
using Rostrum.Core.Access.SignIn;
using Rostrum.StandIns.Gatehouse;
using Rostrum.Store;
using Rostrum.Web.People.SignOn;

namespace Rostrum.Web.Tests;

/// <summary>People sign in by an identity provider; what it says gives them roles, groups and attributes.</summary>
public sealed class SignOnTests(DemoApplication application, SignOnTests.Gate gate)
    : IClassFixture<DemoApplication>,
        IClassFixture<SignOnTests.Gate>
{
    private readonly DemoApplication _application = application;
    private readonly string _address = gate.Address;

    /// <summary>One gatehouse for all of these tests: its first answers are slow.</summary>
    public sealed class Gate : IAsyncLifetime
    {
        private WebApplication? _service;

        public string Address { get; } = $"http://127.0.0.1:{FreePort()}";

        public async Task InitializeAsync()
        {
            _service = Gatehouse.At(Address);
            await _service.StartAsync();
            using var client = new HttpClient();
            await client.GetStringAsync($"{Address}/.well-known/openid-configuration");
            await client.GetStringAsync($"{Address}/.well-known/jwks");
        }

        public async Task DisposeAsync() => await _service!.DisposeAsync();
    }

    [Fact]
    public async Task Whoever_the_provider_knows_is_the_person_of_the_same_address_and_has_what_its_rules_give()
    {
        var way = await AddAsync(
            "known",
            rules: [new("groups", "quay", ClaimGift.Role, "port-agent"), new("port", "", ClaimGift.Attribute, "port")]
        );
        var visitor = _application.Anonymous();
        var there = await ArriveAsync(visitor, way, "g-101", "/apps/timetable/sailings");
        Assert.Equal("/apps/timetable/sailings", there);
        var page = await visitor.PageAsync(there);
        Assert.Contains("Pia Sund", page.QuerySelector(".masthead-person")!.TextContent);
        var entry = (await _application.Services.GetWorkspaceAsync()).People.Values.Single(person => person.Name == "Pia Sund");
        Assert.Equal("port-agent", Assert.Single(entry.OwnRoles));
        Assert.Equal("BRW", entry.Attributes.Single(attribute => attribute.Name == "port").Value);
    }

    [Fact]
    public async Task A_person_is_made_at_the_first_sign_in_where_that_is_wished_and_what_rules_gave_is_taken_with_the_claim()
    {
        var way = await AddAsync("makes", makesPeople: true, rules: [new("groups", "QUAY", ClaimGift.Role, "port-agent")]);
        Assert.Equal("/", await ArriveAsync(_application.Anonymous(), way, "g-103"));
        var nils = await PersonAsync("Nils Dahl");
        Assert.Equal("nils@brackwater.example", nils.Email);
        await GiveAsync(nils.Id, "clerk");
        await _application.InStoreAsync(async store =>
        {
            var row = await store.SignInProviders.SingleAsync(provider => provider.Name == way);
            (row.Rules, row.Revision) = ([new ClaimRule("groups", "harbour", ClaimGift.Role, "port-agent")], row.Revision + 1);
            return await store.SaveChangesAsync();
        });

        Assert.Equal("/", await ArriveAsync(_application.Anonymous(), way, "g-103"));
        var entry = (await _application.Services.GetWorkspaceAsync()).People[nils.Id];
        Assert.Equal("clerk", Assert.Single(entry.OwnRoles));
        Assert.Single(await _application.InStoreAsync(store => store.Users.Where(person => person.Name == "Nils Dahl").ToListAsync()));
    }

    [Fact]
    public async Task Two_first_sign_ins_at_once_make_one_person()
    {
        await ForgetAsync("Runa Eide");
        var way = await AddAsync("twice", makesPeople: true);
        var arrivals = await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => ArriveAsync(_application.Anonymous(), way, "g-104")));
        Assert.All(arrivals, there => Assert.Equal("/", there));
        Assert.Single(await _application.InStoreAsync(store => store.Users.Where(person => person.Name == "Runa Eide").ToListAsync()));
    }

    [Fact]
    public async Task A_stranger_is_told_that_nobody_invited_them_and_comes_in_once_somebody_has()
    {
        await ForgetAsync("Runa Eide");
        var way = await AddAsync("strict");
        var visitor = _application.Anonymous();
        var back = await BackAsync(visitor, way, "g-104", "");
        using (var refused = await visitor.Client.GetAsync(back))
        {
            Assert.Contains("Ask an owner to invite you as runa@elsewhere.example", await refused.Content.ReadAsStringAsync());
        }

        var oskar = await _application.AsAsync("oskar");
        using (
            var invited = await oskar.PostAsync(
                "/people/invitations",
                "/people/invitations",
                ("lines", "Runa@Elsewhere.example"),
                ("role", "clerk")
            )
        )
        {
            Assert.Equal(HttpStatusCode.OK, invited.StatusCode);
        }

        Assert.Equal("/", await ArriveAsync(_application.Anonymous(), way, "g-104"));
        var entry = (await _application.Services.GetWorkspaceAsync()).People.Values.Single(person =>
            person.Email == "runa@elsewhere.example"
        );
        Assert.Equal("clerk", Assert.Single(entry.OwnRoles));
    }

    [Fact]
    public async Task Whoever_is_sent_back_by_the_provider_reads_why_and_nobody_is_signed_in()
    {
        var way = await AddAsync("denies");
        var visitor = _application.Anonymous();
        Assert.Equal($"/sign-in?with={way}&failed=Denied", await ArriveAsync(visitor, way, "nobody"));
        var page = await visitor.PageAsync($"/sign-in?with={way}&failed=Denied");
        Assert.Contains("did not let you in", page.QuerySelector("[role=alert]")!.TextContent);
    }

    [Fact]
    public async Task A_provider_that_is_down_is_said_so_and_an_owner_reads_what_the_matter_is()
    {
        var way = await AddAsync("down", authority: $"http://127.0.0.1:{FreePort()}");
        var visitor = _application.Anonymous();
        using var answer = await visitor.Client.GetAsync($"/sign-in/with/{way}");
        Assert.Equal($"/sign-in?with={way}&failed=Unreachable", answer.Headers.Location!.OriginalString);
        var list = await (await _application.AsAsync("oskar")).PageAsync("/people/sign-in");
        var row = list.QuerySelectorAll("tbody tr")
            .Single(row => row.QuerySelector("a")!.GetAttribute("href")!.EndsWith("/down", StringComparison.Ordinal));
        Assert.DoesNotContain("none", row.QuerySelector(".remarks")!.TextContent);
    }

    [Fact]
    public async Task An_answer_that_was_begun_in_another_browser_signs_nobody_in()
    {
        var way = await AddAsync("elsewhere", makesPeople: true);
        var begun = _application.Anonymous();
        var answer = await AnswerAsync(begun, way, "g-101", "");
        using var late = await _application.Anonymous().Client.GetAsync(answer);
        Assert.Equal($"/sign-in?with={way}&failed=Late", late.Headers.Location!.OriginalString);
    }

    [Fact]
    public async Task A_provider_that_is_off_or_unknown_is_no_way_in()
    {
        var way = await AddAsync("off");
        await _application.InStoreAsync(async store =>
        {
            var row = await store.SignInProviders.SingleAsync(provider => provider.Name == way);
            (row.IsOn, row.Revision) = (false, row.Revision + 1);
            return await store.SaveChangesAsync();
        });
        Assert.Equal(HttpStatusCode.NotFound, await _application.Anonymous().StatusAsync($"/sign-in/with/{way}"));
        Assert.Equal(HttpStatusCode.NotFound, await _application.Anonymous().StatusAsync("/sign-in/with/nothing"));
        Assert.DoesNotContain((await _application.Anonymous().PageAsync("/sign-in")).QuerySelectorAll(".signin-ways a"), link =>
            link.GetAttribute("href")!.Contains("/off?", StringComparison.Ordinal)
        );
    }

    [Theory]
    [InlineData("signature")]
    [InlineData("nonce")]
    [InlineData("audience")]
    [InlineData("issuer")]
    [InlineData("expired")]
    [InlineData("unsigned")]
    public async Task An_answer_with_something_wrong_signs_nobody_in(string wrong)
    {
        await using var crooked = await CrookedProvider.StartAsync(wrong);
        var way = await AddAsync($"crooked-{wrong}", makesPeople: true, authority: crooked.Address);
        var visitor = _application.Anonymous();
        Assert.Equal($"/sign-in?with={way}&failed=Untrusted", await CrookedArrivalAsync(visitor, way, crooked));
        Assert.Equal(HttpStatusCode.Redirect, await visitor.StatusAsync("/account"));
    }

    [Fact]
    public async Task The_same_answer_with_nothing_wrong_signs_in()
    {
        await using var straight = await CrookedProvider.StartAsync("nothing");
        var way = await AddAsync("straight", makesPeople: true, authority: straight.Address);
        var visitor = _application.Anonymous();
        Assert.StartsWith($"/sign-in/with/{way}?handler=Back", await CrookedArrivalAsync(visitor, way, straight));
    }

    [Fact]
    public async Task An_address_that_the_provider_does_not_answer_for_is_nobodys()
    {
        await using var straight = await CrookedProvider.StartAsync("nothing");
        var way = await AddAsync("unverified", authority: straight.Address);
        var visitor = _application.Anonymous();
        var back = await CrookedArrivalAsync(visitor, way, straight);
        using var refused = await visitor.Client.GetAsync(back);
        Assert.Contains("Ask an owner to invite you", await refused.Content.ReadAsStringAsync());
    }

    [Fact]
    public async Task An_owner_adds_a_service_checks_it_and_tries_its_rules()
    {
        var oskar = await _application.AsAsync("oskar");
        using var added = await oskar.PostAsync("/people/sign-in", "/people/sign-in", ("label", "Head office"), ("kind", "openid"));
        Assert.Equal("/people/sign-in/head-office", added.Headers.Location!.OriginalString);
        (string, string)[] form =
        [
            ("label", "Head office"),
            ("authority", _address),
            ("client", Gatehouse.ClientId),
            ("secret", Gatehouse.ClientSecret),
            ("scopes", "email"),
            ("on", "true"),
            ("claim", "groups"),
            ("value", "quay"),
            ("gives", "Role:port-agent"),
            ("claim", "port"),
            ("value", ""),
            ("gives", "Attribute:port"),
        ];
        using var tested = await oskar.PostAsync("/people/sign-in/head-office", "/people/sign-in/head-office?handler=Check", form);
        Assert.Contains("It answers as", await tested.Content.ReadAsStringAsync());
        using var tried = await oskar.PostAsync(
            "/people/sign-in/head-office",
            "/people/sign-in/head-office?handler=Try",
            [.. form, ("claims", "groups: deck\ngroups: Quay\nport: SKS")]
        );
        var lines = (await Visitor.ParseAsync(tried)).QuerySelectorAll("#try li").Select(line => line.TextContent);
        Assert.Equal(["the role Port agent", "Port: SKS"], lines);
        using var saved = await oskar.PostAsync("/people/sign-in/head-office", "/people/sign-in/head-office", form);
        Assert.Equal(HttpStatusCode.Redirect, saved.StatusCode);
        Assert.Equal("/", await ArriveAsync(_application.Anonymous(), "head-office", "g-101"));
        var page = await oskar.Client.GetStringAsync("/people/sign-in/head-office");
        Assert.DoesNotContain(Gatehouse.ClientSecret, page);
        var audit = await oskar.PageAsync("/people/audit?kind=SignIn");
        Assert.Contains("Other rules", audit.QuerySelector(".audit")!.TextContent);
    }

    private async Task<string> AddAsync(
        string name,
        bool makesPeople = false,
        string? authority = null,
        ImmutableArray<ClaimRule> rules = default
    )
    {
        var secret = _application.Services.GetRequiredService<ProviderSecrets>().Protect(Gatehouse.ClientSecret);
        await _application.InStoreAsync(store =>
        {
            store.SignInProviders.Add(
                new SignInProvider
                {
                    Name = name,
                    Label = $"Gate {name}",
                    IsOn = true,
                    MakesPeople = makesPeople,
                    Settings = new ProviderSettings.OpenId { Authority = authority ?? _address, ClientId = Gatehouse.ClientId },
                    ProtectedSecret = secret,
                    Rules = rules.IsDefault ? [] : rules,
                }
            );
            return store.SaveChangesAsync();
        });
        return name;
    }

    // Where somebody is in the end.
    private static async Task<string> ArriveAsync(Visitor visitor, string way, string who, string returnUrl = "")
    {
        var back = await BackAsync(visitor, way, who, returnUrl);
        if (!back.StartsWith("/sign-in/with/", StringComparison.Ordinal))
        {
            return back;
        }

        using var arrived = await visitor.Client.GetAsync(back);
        Assert.Equal(HttpStatusCode.Redirect, arrived.StatusCode);
        return arrived.Headers.Location!.OriginalString;
    }

    // Where the provider's answer leads.
    private static async Task<string> BackAsync(Visitor visitor, string way, string who, string returnUrl)
    {
        using var answered = await visitor.Client.GetAsync(await AnswerAsync(visitor, way, who, returnUrl));
        Assert.Equal(HttpStatusCode.Redirect, answered.StatusCode);
        return answered.Headers.Location!.OriginalString;
    }

    // The answer that the provider gives the browser to take back.
    private static async Task<string> AnswerAsync(Visitor visitor, string way, string who, string returnUrl)
    {
        using var begun = await visitor.Client.GetAsync($"/sign-in/with/{way}?returnUrl={Uri.EscapeDataString(returnUrl)}");
        Assert.Equal(HttpStatusCode.Redirect, begun.StatusCode);
        using var gate = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false });
        using var answer = await gate.GetAsync($"{begun.Headers.Location}&who={who}");
        Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode);
        return answer.Headers.Location!.PathAndQuery;
    }

    private static async Task<string> CrookedArrivalAsync(Visitor visitor, string way, CrookedProvider provider)
    {
        using var begun = await visitor.Client.GetAsync($"/sign-in/with/{way}");
        var asked = QueryHelpers.ParseQuery(begun.Headers.Location!.Query);
        Assert.Equal("S256", asked["code_challenge_method"]);
        provider.Nonce = asked["nonce"].ToString();
        using var answered = await visitor.Client.GetAsync(
            $"/sign-in/with/{way}/answer?code=any&state={Uri.EscapeDataString(asked["state"].ToString())}"
        );
        return answered.Headers.Location!.OriginalString;
    }

    private Task<Person> PersonAsync(string name) =>
        _application.InStoreAsync(store => store.Users.SingleAsync(person => person.Name == name));

    private Task<int> ForgetAsync(string name) =>
        _application.InStoreAsync(store => store.Users.Where(person => person.Name == name).ExecuteDeleteAsync());

    private Task<int> GiveAsync(Guid person, string role) =>
        _application.InStoreAsync(async store =>
        {
            var id = await store.Roles.Where(row => row.Name == role).Select(row => row.Id).SingleAsync();
            store.UserRoles.Add(new IdentityUserRole<Guid> { UserId = person, RoleId = id });
            return await store.SaveChangesAsync();
        });

    internal static int FreePort()
    {
        using var listener = new System.Net.Sockets.TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        return ((IPEndPoint)listener.LocalEndpoint).Port;
    }

    /// <summary>A provider whose answers have one thing wrong, or nothing.</summary>
    private sealed class CrookedProvider(WebApplication service, string address) : IAsyncDisposable
    {
        // To make one takes half a second.
        private static readonly RsaSecurityKey Own = new(RSA.Create(2048)) { KeyId = "one" };
        private static readonly RsaSecurityKey Another = new(RSA.Create(2048)) { KeyId = "one" };

        public string Address => address;

        public string Nonce { get; set; } = "";

        public static async Task<CrookedProvider> StartAsync(string wrong)
        {
            var address = $"http://127.0.0.1:{FreePort()}";
            var builder = WebApplication.CreateSlimBuilder();
            builder.WebHost.UseUrls(address);
            builder.Logging.ClearProviders();
            var service = builder.Build();
            var provider = new CrookedProvider(service, address);
            var known = JsonWebKeyConverter.ConvertFromRSASecurityKey(
                new RsaSecurityKey(Own.Rsa.ExportParameters(false)) { KeyId = "one" }
            );
            service.MapGet("/.well-known/openid-configuration", () => Results.Json(
                    new
                    {
                        issuer = address,
                        authorization_endpoint = $"{address}/authorize",
                        token_endpoint = $"{address}/token",
                        jwks_uri = $"{address}/keys",
                    }
                ));
            service.MapGet("/keys", () => Results.Json(
                    new
                    {
                        keys = new[]
                        {
                            new
                            {
                                kty = known.Kty,
                                kid = known.Kid,
                                n = known.N,
                                e = known.E,
                                use = "sig",
                            },
                        },
                    }
                ));
            service.MapPost("/token", () => Results.Json(
                    new
                    {
                        access_token = "any",
                        token_type = "Bearer",
                        id_token = Token(
                            address,
                            wrong,
                            wrong == "signature" ? Another : Own,
                            wrong == "nonce" ? "another" : provider.Nonce
                        ),
                    }
                ));
            await service.StartAsync();
            return provider;
        }

        public ValueTask DisposeAsync() => service.DisposeAsync();

        private static string Token(string address, string wrong, RsaSecurityKey key, string nonce)
        {
            var now = DateTime.UtcNow.AddHours(wrong == "expired" ? -2 : 0);
            return new JsonWebTokenHandler().CreateToken(
                new SecurityTokenDescriptor
                {
                    Issuer = wrong == "issuer" ? "http://elsewhere.example" : address,
                    Audience = wrong == "audience" ? "another" : Gatehouse.ClientId,
                    IssuedAt = now,
                    NotBefore = now,
                    Expires = now.AddMinutes(5),
                    Claims = new Dictionary<string, object>
                    {
                        ["sub"] = "c-1",
                        ["nonce"] = nonce,
                        ["name"] = "Bea Holm",
                        ["email"] = "bea@brackwater.example",
                    },
                    SigningCredentials = wrong == "unsigned" ? null : new SigningCredentials(key, SecurityAlgorithms.RsaSha256),
                }
            );
        }
    }
}
