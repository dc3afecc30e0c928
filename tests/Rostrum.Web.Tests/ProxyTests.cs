using System.Net;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.AspNetCore.TestHost;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Xunit;

namespace Rostrum.Web.Tests;

/// <summary>Behind a proxy, requests come from where the proxy says; from anybody else such words are not believed.</summary>
public sealed class ProxyTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Claimed = "203.0.113.9";

    [Theory]
    [InlineData("198.51.100.4", "198.51.100.4 198.51.100.5", Claimed)]
    [InlineData("198.51.100.77", "198.51.100.4 198.51.100.5", "198.51.100.77")]
    [InlineData("198.51.100.4", "", "198.51.100.4")]
    public async Task Only_a_known_proxy_is_believed(string sender, string proxies, string expected)
    {
        await using var behind = application.WithWebHostBuilder(host =>
            host.UseSetting("ROSTRUM_PROXIES", proxies)
                .ConfigureTestServices(services => services.AddSingleton<IStartupFilter>(new From(IPAddress.Parse(sender))))
        );
        var visitor = new Visitor(behind.CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false }));
        visitor.Client.DefaultRequestHeaders.Add("X-Forwarded-For", Claimed);
        var name = $"nobody-{Guid.NewGuid():N}";
        using var refused = await visitor.PostAsync("/sign-in", "/sign-in", ("UserName", name), ("Password", "guess"));
        Assert.Equal(
            expected,
            await application.InStoreAsync(store =>
                store.SignInAttempts.Where(attempt => attempt.UserName == name).Select(attempt => attempt.RemoteAddress).SingleAsync()
            )
        );
    }

    private sealed class From(IPAddress address) : IStartupFilter
    {
        public Action<IApplicationBuilder> Configure(Action<IApplicationBuilder> next) =>
            builder =>
            {
                builder.Use(
                    (context, rest) =>
                    {
                        context.Connection.RemoteIpAddress = address;
                        return rest(context);
                    }
                );
                next(builder);
            };
    }
}
