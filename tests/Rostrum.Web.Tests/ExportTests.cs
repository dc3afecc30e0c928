using System.IO.Compression;
using System.Net;
using System.Text.Json;
using MiniExcelLibs;

namespace Rostrum.Web.Tests;

/// <summary>What a table shows leaves it as a workbook, as JSON and on paper: all of it, with its types, as far as rights reach.</summary>
public sealed class ExportTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Dockings = "/apps/maintenance/dockings";

    private static string At(string handler, string more = "") => $"{Dockings}?handler={handler}&panel=dockings{more}";

    [Fact]
    public async Task A_workbook_has_numbers_and_days_as_such_and_its_headings_stay_in_place()
    {
        await application.FleetScalarAsync("UPDATE dockings SET yard = '=1+1' WHERE id = 2 RETURNING 1");
        var maren = await application.AsAsync("maren");
        using var answer = await maren.Client.GetAsync(At("Download", "&format=xlsx&dockings.sort=planned_start"));
        Assert.Equal("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", answer.Content.Headers.ContentType!.MediaType);
        Assert.EndsWith(".xlsx", answer.Content.Headers.ContentDisposition!.FileNameStar, StringComparison.Ordinal);
        using var file = new MemoryStream(await answer.Content.ReadAsByteArrayAsync());
        var rows = MiniExcel.Query(file, useHeaderRow: true).Cast<IDictionary<string, object?>>().ToArray();
        Assert.Equal(
            await application.FleetScalarAsync("SELECT count(*)::text FROM dockings"),
            rows.Length.ToString(System.Globalization.CultureInfo.InvariantCulture)
        );
        Assert.Equal("=1+1", rows[1]["Yard"]);
        Assert.IsType<DateTime>(rows[0]["Planned start"]);
        Assert.Equal(
            await application.FleetScalarAsync("SELECT sum(budget)::bigint::text FROM dockings"),
            rows.Sum(row => Convert.ToDecimal(row["Budget"], System.Globalization.CultureInfo.InvariantCulture))
                .ToString("0", System.Globalization.CultureInfo.InvariantCulture)
        );
        Assert.DoesNotContain(rows, row => (row["Vessel"] as string)?.StartsWith("BF-", StringComparison.Ordinal) != false);

        using var zip = new ZipArchive(file, ZipArchiveMode.Read);
        using var sheet = new StreamReader(zip.GetEntry("xl/worksheets/sheet1.xml")!.Open());
        var text = await sheet.ReadToEndAsync();
        Assert.Contains("state=\"frozen\"", text, StringComparison.Ordinal);
        Assert.DoesNotContain("<f>", text, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Whoever_wishes_has_the_fields_names_over_the_columns()
    {
        var maren = await application.AsAsync("maren");
        async Task<string> HeadingsAsync(string more) =>
            (await maren.Client.GetStringAsync(At("Download", $"&format=csv{more}"))).TrimStart('\uFEFF').Split('\n')[0].Trim();
        Assert.Contains("Planned start", await HeadingsAsync(""), StringComparison.Ordinal);
        var names = await HeadingsAsync("&headings=names");
        Assert.Contains("planned_start", names, StringComparison.Ordinal);
        Assert.DoesNotContain(' ', names);
        var menu = await maren.ViewMenuAsync(await maren.PageAsync(Dockings));
        Assert.Contains("XLSX, headed by field names", menu.QuerySelectorAll("a[download]").Select(link => link.TextContent.Trim()));
    }

    [Fact]
    public async Task Json_has_the_fields_by_name_and_their_values_exactly()
    {
        var maren = await application.AsAsync("maren");
        using var json = JsonDocument.Parse(await maren.Client.GetStringAsync(At("Download", "&format=json&dockings.sort=planned_start")));
        var first = json.RootElement[0];
        Assert.Equal(
            await application.FleetScalarAsync(
                "SELECT concat(vessel, ' ', planned_start, ' ', budget) FROM dockings ORDER BY planned_start LIMIT 1"
            ),
            string.Join(
                ' ',
                first.GetProperty("vessel").GetString(),
                first.GetProperty("planned_start").GetString(),
                first.GetProperty("budget").GetRawText()
            )
        );
    }

    [Fact]
    public async Task On_paper_stand_all_pages_with_what_narrowed_them_and_the_audit_has_it()
    {
        var maren = await application.AsAsync("maren");
        var paper = await maren.PageAsync(
            "/apps/maintenance/defects?handler=Print&panel=defects&defects.is.severity=critical&defects.sort=title"
        );
        Assert.Equal(
            await application.FleetScalarAsync("SELECT count(*)::text FROM defects WHERE severity = 'critical'"),
            paper.QuerySelectorAll(".print-view tbody tr").Length.ToString(System.Globalization.CultureInfo.InvariantCulture)
        );
        Assert.Contains("Severity is critical", paper.QuerySelector(".print-view header")!.TextContent, StringComparison.Ordinal);
        Assert.Contains(
            "Printed",
            await (await application.AsAsync("oskar")).Client.GetStringAsync("/people/audit?handler=Download"),
            StringComparison.Ordinal
        );

        // Who may not take the records away prints none either.
        var clem = await application.AsAsync("clem");
        Assert.Equal(HttpStatusCode.Forbidden, await clem.StatusAsync("/apps/maintenance/fuel_logs?handler=Print&panel=fuel_logs"));
        Assert.Equal(
            HttpStatusCode.Forbidden,
            await clem.StatusAsync("/apps/maintenance/fuel_logs?handler=Download&format=xlsx&panel=fuel_logs")
        );
    }
}
