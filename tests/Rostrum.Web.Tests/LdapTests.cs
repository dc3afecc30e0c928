using System.Globalization;
using System.Net;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Access.SignIn;
using Rostrum.Store;
using Rostrum.Web.People.SignOn;

namespace Rostrum.Web.Tests;

/// <summary>People sign in by a directory: a real one (slapd), over StartTLS.</summary>
public sealed class LdapTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private static int Port =>
        int.Parse(
            Environment.GetEnvironmentVariable("ROSTRUM_TEST_LDAP")
                ?? throw new InvalidOperationException("ROSTRUM_TEST_LDAP names the directory's port: run ./rostrum test"),
            CultureInfo.InvariantCulture
        );

    private static ProviderSettings.Directory Settings { get; } =
        new()
        {
            Host = "127.0.0.1",
            Port = Port,
            BindName = "cn=admin,dc=brackwater,dc=example",
            SearchBase = "ou=people,dc=brackwater,dc=example",
            GroupBase = "ou=groups,dc=brackwater,dc=example",
        };

    [Fact]
    public async Task A_name_and_a_password_of_the_directory_sign_in_with_what_its_groups_give()
    {
        var way = await AddAsync("harbour", Settings);
        var visitor = application.Anonymous();
        using (var wrong = await SignInAsync(visitor, way, "sigrid", "tide-table-56"))
        {
            Assert.Contains("Wrong name or password.", await wrong.Content.ReadAsStringAsync());
        }

        using (var right = await SignInAsync(visitor, way, "sigrid", "tide-table-55"))
        {
            Assert.Equal("/", right.Headers.Location?.OriginalString);
        }

        var entry = (await application.Services.GetWorkspaceAsync()).People.Values.Single(person => person.Name == "Sigrid Lunde");
        Assert.Equal(("port-agent", "sigrid@brackwater.example"), (Assert.Single(entry.OwnRoles), entry.Email));
        Assert.Equal("SKS", entry.Attributes.Single(attribute => attribute.Name == "port").Value);
        Assert.Equal(HttpStatusCode.OK, await visitor.StatusAsync("/apps/timetable/sailings"));
    }

    [Theory]
    [InlineData("*", "tide-table-55")]
    [InlineData("sigrid)(uid=*", "tide-table-55")]
    [InlineData("nobody", "tide-table-55")]
    [InlineData("sigrid", " ")]
    [InlineData("olav", "tide-table-55")]
    public async Task A_name_that_means_several_or_a_password_that_is_anothers_signs_nobody_in(string name, string password)
    {
        var way = await AddAsync($"wrong-{Guid.NewGuid():N}"[..14], Settings);
        using var answer = await SignInAsync(application.Anonymous(), way, name, password);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        Assert.Contains("role=\"alert\"", await answer.Content.ReadAsStringAsync());
    }

    [Fact]
    public async Task A_directory_that_does_not_answer_is_said_so_and_is_no_wrong_password()
    {
        var way = await AddAsync("down", Settings with { Port = SignOnTests.FreePort() });
        using var answer = await SignInAsync(application.Anonymous(), way, "sigrid", "tide-table-55");
        Assert.Contains("Gate down does not answer.", await answer.Content.ReadAsStringAsync());
        Assert.Equal(
            0,
            await application.InStoreAsync(store => store.SignInAttempts.CountAsync(attempt => attempt.UserName == "down: sigrid"))
        );
    }

    [Fact]
    public async Task An_owner_checks_the_connection_and_reads_how_many_it_knows()
    {
        var way = await AddAsync("checked", Settings);
        var oskar = await application.AsAsync("oskar");
        (string, string)[] form =
        [
            ("label", "Gate checked"),
            ("host", "127.0.0.1"),
            ("port", $"{Port}"),
            ("tls", "true"),
            ("bind", Settings.BindName),
            ("base", Settings.SearchBase),
            ("filter", "(uid={name})"),
            ("nameAttribute", "cn"),
            ("mailAttribute", "mail"),
        ];
        using var answer = await oskar.PostAsync($"/people/sign-in/{way}", $"/people/sign-in/{way}?handler=Check", form);
        Assert.Equal("It answers, and knows 2 people.", (await Visitor.ParseAsync(answer)).QuerySelector("main .alert")?.TextContent);
        using var refused = await oskar.PostAsync(
            $"/people/sign-in/{way}",
            $"/people/sign-in/{way}?handler=Check",
            [.. form, ("secret", "not the password")]
        );
        Assert.Contains("It cannot be asked:", await refused.Content.ReadAsStringAsync());
    }

    [Fact]
    public void A_filter_means_what_was_typed() => Assert.Equal(@"\2a\29\28uid=\5c\c3\a5 b", LdapDirectory.Escaped("*)(uid=\\å b"));

    private static Task<HttpResponseMessage> SignInAsync(Visitor visitor, string way, string name, string password) =>
        visitor.PostAsync($"/sign-in/with/{way}", $"/sign-in/with/{way}", ("userName", name), ("password", password));

    private async Task<string> AddAsync(string name, ProviderSettings.Directory settings)
    {
        var secret = application.Services.GetRequiredService<ProviderSecrets>().Protect("lantern-room-3");
        await application.InStoreAsync(store =>
        {
            store.SignInProviders.Add(
                new SignInProvider
                {
                    Name = name,
                    Label = $"Gate {name}",
                    IsOn = true,
                    MakesPeople = true,
                    Settings = settings,
                    ProtectedSecret = secret,
                    Rules = [new("groups", "quay", ClaimGift.Role, "port-agent"), new("departmentNumber", "", ClaimGift.Attribute, "port")],
                }
            );
            return store.SaveChangesAsync();
        });
        return name;
    }
}
