using System.Net;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.AspNetCore.TestHost;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Store;
using Rostrum.Web.Demo;
using Rostrum.Web.People;

namespace Rostrum.Web.Tests;

public sealed class SignInTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private static readonly DateTimeOffset Noon = new(2026, 3, 14, 12, 0, 0, TimeSpan.Zero);

    [Theory]
    [InlineData("clem")]
    [InlineData("nobody-of-that-name")]
    public async Task Wrong_passwords_make_a_pause_whether_anybody_has_the_name_or_not_and_every_attempt_is_written_down(string name)
    {
        var visitor = application.Anonymous();
        for (var i = 0; i < 5; i++)
        {
            using var refused = await visitor.PostAsync("/sign-in", "/sign-in", ("UserName", name), ("Password", $"wrong-{i}"));
            Assert.Contains("Wrong name or password", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        using var early = await visitor.PostAsync("/sign-in", "/sign-in", ("UserName", name), ("Password", DemoLoader.Password));
        Assert.Matches("Too many attempts. Wait [1-5] seconds", await early.Content.ReadAsStringAsync());
        var outcomes = await application.InStoreAsync(store =>
            store
                .SignInAttempts.Where(attempt => attempt.UserName == name)
                .OrderBy(attempt => attempt.Id)
                .Select(attempt => attempt.Outcome)
                .ToListAsync()
        );
        Assert.Equal(["refused", "refused", "refused", "refused", "refused", "too soon"], outcomes);
    }

    [Fact]
    public async Task A_name_that_nobody_has_costs_as_much_hashing_as_one_that_somebody_has()
    {
        var counting = new CountingHasher();
        await using var other = application.WithWebHostBuilder(builder =>
            builder.ConfigureTestServices(services => services.AddScoped<IPasswordHasher<Person>>(_ => counting))
        );
        var visitor = new Visitor(other.CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false }));
        foreach (var name in new[] { "rona", "nobody-at-all" })
        {
            var before = counting.Work;
            using var refused = await visitor.PostAsync("/sign-in", "/sign-in", ("UserName", name), ("Password", "wrong"));
            Assert.Equal(before + 1, counting.Work);
        }
    }

    [Fact]
    public async Task A_cookie_that_was_copied_serves_nobody_after_signing_out_at_this_node_or_another()
    {
        await using var other = application.WithWebHostBuilder(_ => { });
        var plain = new WebApplicationFactoryClientOptions { AllowAutoRedirect = false, HandleCookies = false };
        using var signedIn = await application
            .Anonymous()
            .PostAsync("/sign-in", "/sign-in", ("UserName", "pia"), ("Password", DemoLoader.Password));
        var cookie = signedIn.Headers.GetValues("Set-Cookie").Single(value => value.StartsWith("rostrum=", StringComparison.Ordinal));
        using var here = application.CreateClient(plain);
        using var there = other.CreateClient(plain);
        foreach (var client in new[] { here, there })
        {
            client.DefaultRequestHeaders.Add("Cookie", cookie.Split(';')[0]);
            Assert.Equal(HttpStatusCode.OK, await new Visitor(client).StatusAsync("/"));
        }

        using var form = await here.GetAsync("/");
        var token = (await Visitor.ParseAsync(form)).QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
        here.DefaultRequestHeaders.Add(
            "Cookie",
            form.Headers.GetValues("Set-Cookie").Single(value => value.StartsWith("rostrum-form=", StringComparison.Ordinal)).Split(';')[0]
        );
        using var left = await new Visitor(here).SendAsync("/sign-in?handler=Out", [("__RequestVerificationToken", token)]);
        Assert.Equal(HttpStatusCode.Redirect, left.StatusCode);

        Assert.Equal(HttpStatusCode.Redirect, await new Visitor(here).StatusAsync("/"));
        for (var i = 0; i < 40 && await new Visitor(there).StatusAsync("/") == HttpStatusCode.OK; i++)
        {
            await Task.Delay(50);
        }

        Assert.Equal(HttpStatusCode.Redirect, await new Visitor(there).StatusAsync("/"));
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task Only_who_wants_to_stay_signed_in_has_a_cookie_that_outlives_the_browser(bool stay)
    {
        (string, string)[] fields = [("UserName", "pia"), ("Password", DemoLoader.Password)];
        using var signedIn = await application.Anonymous().PostAsync("/sign-in", "/sign-in", stay ? [.. fields, ("Stay", "true")] : fields);
        var cookie = signedIn.Headers.GetValues("Set-Cookie").Single(value => value.StartsWith("rostrum=", StringComparison.Ordinal));
        Assert.Equal(stay, cookie.Contains("expires=", StringComparison.OrdinalIgnoreCase));
    }

    [Fact]
    public async Task The_keys_in_the_store_cannot_be_read_without_the_one_outside()
    {
        await application.AsAsync("pia");
        var keys = await application.InStoreAsync(store => store.DataProtectionKeys.Select(key => key.Xml).ToListAsync());
        Assert.NotEmpty(keys);
        Assert.All(keys, key =>
        {
            Assert.Contains("EncryptedData", key, StringComparison.Ordinal);
            Assert.DoesNotContain("<masterKey", key, StringComparison.Ordinal);
        });
    }

    [Fact]
    public void Pauses_double_and_have_an_end()
    {
        double Left(int failures, double after = 0) =>
            SignInPauses
                .Left(
                    [.. Enumerable.Range(0, failures).Select(_ => new PastAttempt("pia", "10.0.0.1", false, Noon))],
                    "pia",
                    "10.0.0.1",
                    Noon.AddSeconds(after)
                )
                .TotalSeconds;
        Assert.Equal([0, 5, 10, 20, 40], new[] { 4, 5, 6, 7, 8 }.Select(failures => Left(failures)));
        Assert.Equal(300, Left(25));
        Assert.Equal(0, Left(25, after: 300));
    }

    [Fact]
    public void Whoever_signs_in_begins_anew_and_others_cannot_lock_them_out_from_where_they_are()
    {
        var own = new PastAttempt("pia", "10.0.0.1", SignedIn: true, Noon.AddMinutes(-1));
        PastAttempt[] others = [.. Enumerable.Range(0, 60).Select(i => new PastAttempt("pia", $"10.9.9.{i}", SignedIn: false, Noon))];
        PastAttempt[] slips =
        [
            .. Enumerable.Range(0, 9).Select(_ => new PastAttempt("pia", "10.0.0.1", SignedIn: false, Noon.AddMinutes(-2))),
        ];
        Assert.Equal(TimeSpan.Zero, SignInPauses.Left([.. slips, own, .. others], "pia", "10.0.0.1", Noon));
        Assert.Equal(TimeSpan.FromSeconds(30), SignInPauses.Left(others, "pia", "10.0.0.1", Noon));
    }

    [Fact]
    public void Many_names_tried_from_one_address_make_a_pause_there_and_nowhere_else()
    {
        PastAttempt[] guesses = [.. Enumerable.Range(0, 30).Select(i => new PastAttempt($"name{i}", "10.6.6.6", SignedIn: false, Noon))];
        Assert.Equal(TimeSpan.FromSeconds(5), SignInPauses.Left(guesses, "pia", "10.6.6.6", Noon));
        Assert.Equal(TimeSpan.Zero, SignInPauses.Left([], "pia", "10.0.0.1", Noon));
    }

    private sealed class CountingHasher : IPasswordHasher<Person>
    {
        public int Work { get; private set; }

        public string HashPassword(Person user, string password)
        {
            Work++;
            return "hash";
        }

        public PasswordVerificationResult VerifyHashedPassword(Person user, string hashedPassword, string providedPassword)
        {
            Work++;
            return PasswordVerificationResult.Failed;
        }
    }
}
