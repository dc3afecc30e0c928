namespace Rostrum.Web.Tests;

public sealed class LongDownloadTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Fact]
    public async Task A_download_holds_every_record_however_many_there_are()
    {
        await application.FleetAsync(
            """
            INSERT INTO sailings (route_code, vessel, departs, arrives_planned, state)
            SELECT s.route_code, s.vessel, s.departs - n * interval '366 days', s.arrives_planned - n * interval '366 days', s.state
            FROM sailings s, generate_series(1, 40) n LIMIT 101000 - (SELECT count(*) FROM sailings)
            """
        );
        var maren = await application.AsAsync("maren");
        using var answer = await maren.Client.GetAsync("/apps/timetable/sailings?handler=Download&panel=sailings");
        Assert.Equal("text/csv", answer.Content.Headers.ContentType!.MediaType);
        Assert.Equal("attachment", answer.Content.Headers.ContentDisposition!.DispositionType);
        var lines = (await answer.Content.ReadAsStringAsync()).Split("\r\n", StringSplitOptions.RemoveEmptyEntries);
        Assert.Equal(101_001, lines.Length);
        Assert.Equal(lines.Length, lines.Distinct().Count());
    }
}
