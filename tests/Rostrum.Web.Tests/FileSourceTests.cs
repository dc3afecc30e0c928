using System.Net;
using Rostrum.StandIns.Dues;

namespace Rostrum.Web.Tests;

public sealed class FileSourceTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string New = "/build/sources/new?kind=sqlite";

    [Fact]
    public async Task A_file_of_the_folder_is_connected_and_its_records_are_read_and_no_other_file_is_reached()
    {
        await DuesLoader.LoadAsync(Path.Combine(application.Files, "dues.db"), new DateOnly(2026, 3, 14), CancellationToken.None);
        var bea = await application.AsAsync("bea");
        var form = await bea.PageAsync(New);
        Assert.Null(form.QuerySelector("#Host"));
        Assert.Equal("dues.db", form.QuerySelector("#files option")!.GetAttribute("value"));
        foreach (var file in new[] { "../dues.db", "/etc/passwd", "..", "a/../dues.db", "" })
        {
            using var refused = await bea.PostAsync(New, New + "&handler=Test", ("Name", "x"), ("Database", file));
            var said = (await Visitor.ParseAsync(refused)).QuerySelector("#outcome")!.TextContent;
            Assert.Contains(file.Length == 0 ? "Write the name of the file." : "name of a file alone", said, StringComparison.Ordinal);
        }

        using var missing = await bea.PostAsync(New, New + "&handler=Test", ("Name", "x"), ("Database", "other.db"));
        Assert.Contains("There is no file", (await Visitor.ParseAsync(missing)).Body!.TextContent, StringComparison.Ordinal);
        using var connected = await bea.PostAsync(New, New, ("Name", "Dues"), ("Database", "dues.db"));
        Assert.Equal(HttpStatusCode.Redirect, connected.StatusCode);
        var source = await bea.PageAsync(connected.Headers.Location!.ToString());
        Assert.Contains("bills", source.Body!.TextContent, StringComparison.Ordinal);
        var table = source.QuerySelectorAll("a").First(link => link.TextContent.Trim() is "bills" or "Bills").GetAttribute("href")!;
        Assert.Contains("HD-00001", (await bea.PageAsync(table)).Body!.TextContent, StringComparison.Ordinal);
        Assert.Contains("SQLite file", (await bea.PageAsync("/build")).Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_kind_that_is_not_there_has_no_form()
    {
        var bea = await application.AsAsync("bea");
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync("/build/sources/new?kind=nothing"));
        Assert.Equal("3306", (await bea.PageAsync("/build/sources/new?kind=mysql")).QuerySelector("#Port")!.GetAttribute("value"));
    }
}
