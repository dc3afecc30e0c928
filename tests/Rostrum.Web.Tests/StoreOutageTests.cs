using System.Net;

namespace Rostrum.Web.Tests;

public sealed class StoreOutageTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Fact]
    public async Task While_the_store_is_down_people_are_told_so_and_when_it_is_back_they_go_on()
    {
        var visitor = await application.AsAsync("maren");
        await DemoApplication.ServerAsync($"ALTER DATABASE {application.StoreName} ALLOW_CONNECTIONS false");
        await DemoApplication.ServerAsync(
            $"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '{application.StoreName}'"
        );
        try
        {
            // A page that is at hand may come first; what is kept at hand has an end.
            var page = await EventuallyAsync("/apps/maintenance/today", HttpStatusCode.ServiceUnavailable);
            Assert.Contains("cannot reach its own records", page, StringComparison.Ordinal);
            Assert.DoesNotContain("Exception", page, StringComparison.Ordinal);
            Assert.Equal(HttpStatusCode.ServiceUnavailable, await application.Anonymous().StatusAsync("/health"));
        }
        finally
        {
            await DemoApplication.ServerAsync($"ALTER DATABASE {application.StoreName} ALLOW_CONNECTIONS true");
        }

        await EventuallyAsync("/apps/maintenance/today", HttpStatusCode.OK);

        async Task<string> EventuallyAsync(string address, HttpStatusCode expected)
        {
            for (var i = 0; ; i++)
            {
                using var answer = await visitor.Client.GetAsync(address);
                if (answer.StatusCode == expected || i == 150)
                {
                    Assert.Equal(expected, answer.StatusCode);
                    return await answer.Content.ReadAsStringAsync();
                }

                await Task.Delay(100);
            }
        }
    }
}
