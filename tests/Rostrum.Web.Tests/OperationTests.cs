using System.Net;
using System.Net.Http.Headers;
using Microsoft.AspNetCore.Hosting;
using Npgsql;
using Rostrum.Web.Live;
using Xunit;

namespace Rostrum.Web.Tests;

/// <summary>What operators ask of the application.</summary>
public sealed class OperationTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Token = "a-token-of-the-monitoring";

    [Theory]
    [InlineData("/health")]
    [InlineData("/health/live")]
    [InlineData("/health/ready")]
    public async Task Health_is_told_to_anybody(string address) =>
        Assert.Equal(HttpStatusCode.OK, await application.Anonymous().StatusAsync(address));

    [Fact]
    public async Task Metrics_are_there_for_an_owner_and_for_nobody_else()
    {
        foreach (var other in new[] { application.Anonymous(), await application.AsAsync("maren"), await application.AsAsync("bea") })
        {
            Assert.Equal(HttpStatusCode.NotFound, await other.StatusAsync("/metrics"));
        }

        var oskar = await application.AsAsync("oskar");
        await oskar.PageAsync("/apps/maintenance/today");
        var metrics = await oskar.Client.GetStringAsync("/metrics");
        Assert.Contains("rostrum_panel_duration_seconds_count{", metrics, StringComparison.Ordinal);
        Assert.Contains("rostrum_source_duration_seconds_count{", metrics, StringComparison.Ordinal);
        Assert.Contains("dataset=\"defects\"", metrics, StringComparison.Ordinal);
        Assert.Contains("rostrum_versions_asked", metrics, StringComparison.Ordinal);
        Assert.Contains("http_server_request_duration_seconds", metrics, StringComparison.Ordinal);
        Assert.Contains("dotnet_gc_heap_total_allocated", metrics, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(Token, Token, HttpStatusCode.OK)]
    [InlineData(Token, "another-token-of-somebody", HttpStatusCode.NotFound)]
    [InlineData("short", "short", HttpStatusCode.NotFound)]
    public async Task A_program_with_the_token_reads_metrics(string set, string sent, HttpStatusCode expected)
    {
        await using var configured = application.WithWebHostBuilder(host => host.UseSetting("ROSTRUM_METRICS_TOKEN", set));
        using var client = configured.CreateClient();
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", sent);
        using var answer = await client.GetAsync("/metrics");
        Assert.Equal(expected, answer.StatusCode);
    }

    [Fact]
    public async Task A_table_that_is_locked_keeps_nobody_from_the_rest_of_the_page()
    {
        var maren = await application.AsAsync("maren");
        await using var source = NpgsqlDataSource.Create(application.FleetConnection);
        await using var other = await source.OpenConnectionAsync();
        await using var locking = await other.BeginTransactionAsync();
        await using (var command = new NpgsqlCommand("LOCK TABLE defects IN ACCESS EXCLUSIVE MODE", other))
        {
            await command.ExecuteNonQueryAsync();
        }

        var began = DateTime.UtcNow;
        var pages = await Task.WhenAll(Enumerable.Range(0, 40).Select(_ => maren.PageAsync("/apps/maintenance/defects")));
        Assert.All(pages, page => Assert.Empty(page.QuerySelectorAll("#panel-defects tbody tr")));

        // On a machine that is busy itself, one that waited too long for its turn says so at once.
        var late = pages
            .Select(page => page.QuerySelector("#panel-defects[aria-busy][hx-trigger=load]"))
            .OfType<AngleSharp.Dom.IElement>()
            .ToArray();
        Assert.InRange(late.Length, 30, 40);
        Assert.All(late, panel => Assert.Contains("Still reading defects", panel.TextContent, StringComparison.Ordinal));

        // While forty wait for that table, another is read at once.
        var dockings = await maren.PageAsync("/apps/maintenance/dockings");
        Assert.NotEmpty(dockings.QuerySelectorAll("tbody tr"));
        Assert.True(DateTime.UtcNow - began < TimeSpan.FromSeconds(12), "the pages waited for the lock");

        await locking.RollbackAsync();
        using var again = new HttpRequestMessage(HttpMethod.Get, "/apps/maintenance/defects");
        again.Headers.Add("HX-Request", "true");
        again.Headers.Add("HX-Target", "panel-defects");
        using var answer = await maren.Client.SendAsync(again);
        Assert.NotEmpty((await Visitor.ParseAsync(answer)).QuerySelectorAll("tbody tr"));
    }
}
