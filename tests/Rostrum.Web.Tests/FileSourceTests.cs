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
        Assert.Contains("There is no file “other.db”", (await Visitor.ParseAsync(missing)).Body!.TextContent, StringComparison.Ordinal);
        using var connected = await bea.PostAsync(New, New, ("Name", "Dues"), ("Database", "dues.db"));
        Assert.Equal(HttpStatusCode.Redirect, connected.StatusCode);
        var source = await bea.PageAsync(connected.Headers.Location!.ToString());
        Assert.Contains("bills", source.Body!.TextContent, StringComparison.Ordinal);
        var table = source.QuerySelectorAll("a").First(link => link.TextContent.Trim() is "bills" or "Bills").GetAttribute("href")!;
        Assert.Contains("HD-00001", (await bea.PageAsync(table)).Body!.TextContent, StringComparison.Ordinal);
        var rows = (await bea.PageAsync("/build")).QuerySelectorAll("[aria-labelledby=sources] tbody tr");
        var dues = rows.Single(row => row.TextContent.Contains("SQLite file", StringComparison.Ordinal));
        var health = dues.QuerySelector(".health")!.GetAttribute("hx-get")!;
        Assert.Equal("answers", (await bea.PageAsync(health)).Body!.TextContent.Trim());
        File.Delete(Path.Combine(application.Files, "dues.db"));
        Assert.Contains("There is no file “dues.db”", (await bea.PageAsync(health)).Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync($"/build?handler=Health&source={Guid.NewGuid()}"));
    }

    [Fact]
    public async Task The_datasets_of_a_test_are_pointed_at_production_and_keep_their_settings()
    {
        await DuesLoader.LoadAsync(Path.Combine(application.Files, "test.db"), new DateOnly(2026, 3, 14), CancellationToken.None);
        File.Copy(Path.Combine(application.Files, "test.db"), Path.Combine(application.Files, "live.db"));
        var bea = await application.AsAsync("bea");
        async Task<string> ConnectAsync(string name, string file)
        {
            using var connected = await bea.PostAsync(New, New, ("Name", name), ("Database", file));
            return connected.Headers.Location!.ToString();
        }

        var (test, live) = (await ConnectAsync("Dues test", "test.db"), await ConnectAsync("Dues live", "live.db"));
        var id = Guid.Parse(live.Split('/')[^1]);
        var bills = await application.InStoreAsync(async store =>
            (await store.DatasetsAsync(default, Guid.Parse(test.Split('/')[^1]))).All.Single(dataset => dataset.Table.Name == "bills").Id
        );
        var compared = await bea.PageAsync($"{test}/settings?to={id:N}");
        Assert.Contains(
            "All that the datasets need is in Dues live.",
            compared.QuerySelector("#move + p ~ p")!.TextContent,
            StringComparison.Ordinal
        );
        using var moved = await bea.PostAsync($"{test}/settings", $"{test}/settings?handler=Move&to={id:N}");
        Assert.Equal(live, moved.Headers.Location!.ToString());
        Assert.Contains("HD-00001", (await bea.PageAsync($"{live}/{bills}")).Body!.TextContent, StringComparison.Ordinal);
        var left = await application.InStoreAsync(async store =>
            (await store.DatasetsAsync(default)).All.Where(dataset => dataset.Label == "Bills")
        );
        Assert.Equal([id], left.Where(dataset => dataset.Source.Value == id).Select(dataset => dataset.Source.Value));
        Assert.Equal(HttpStatusCode.Redirect, await bea.StatusAsync(test));
        Assert.Contains("bills", (await bea.PageAsync($"{test}/structure")).Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_file_is_sent_and_kept_where_it_is_a_database_and_replaces_none()
    {
        var made = Path.Combine(Path.GetTempPath(), $"test_{Guid.NewGuid():N}.db");
        await DuesLoader.LoadAsync(made, new DateOnly(2026, 3, 14), CancellationToken.None);
        var database = await File.ReadAllBytesAsync(made);
        File.Delete(made);
        var bea = await application.AsAsync("bea");

        Assert.Contains("“sent.db” is there now.", await SendAsync(bea, database, "sent.db"), StringComparison.Ordinal);
        Assert.Equal(database, await File.ReadAllBytesAsync(Path.Combine(application.Files, "sent.db")));
        Assert.Contains("There is a file “sent.db” already.", await SendAsync(bea, [1, 2, 3], "sent.db"), StringComparison.Ordinal);
        Assert.Contains("is no SQLite database", await SendAsync(bea, new byte[4096], "zeroes.db"), StringComparison.Ordinal);
        Assert.Contains("Give the file a plain name", await SendAsync(bea, database, ".hidden"), StringComparison.Ordinal);
        await SendAsync(bea, database, "../outside.db");
        Assert.False(File.Exists(Path.Combine(application.Files, "..", "outside.db")));
        Assert.Equal(database, await File.ReadAllBytesAsync(Path.Combine(application.Files, "sent.db")));
        Assert.Equal(
            ["outside.db", "sent.db"],
            Directory.GetFiles(application.Files).Select(Path.GetFileName).Except(["dues.db", "test.db", "live.db"]).Order()
        );
    }

    private static async Task<string> SendAsync(Visitor visitor, byte[] file, string name)
    {
        var token = (await visitor.PageAsync(New)).QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
        using var form = new MultipartFormDataContent
        {
            { new StringContent(token), "__RequestVerificationToken" },
            { new ByteArrayContent(file), "Upload", name },
        };
        using var answer = await visitor.Client.PostAsync(New + "&handler=Upload", form);
        return (await Visitor.ParseAsync(answer)).Body!.TextContent;
    }

    [Fact]
    public async Task A_kind_that_is_not_there_has_no_form()
    {
        var bea = await application.AsAsync("bea");
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync("/build/sources/new?kind=nothing"));
        Assert.Equal("3306", (await bea.PageAsync("/build/sources/new?kind=mysql")).QuerySelector("#Port")!.GetAttribute("value"));
    }
}
