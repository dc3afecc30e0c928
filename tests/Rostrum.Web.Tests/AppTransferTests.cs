using System.IO.Compression;
using System.Net;
using System.Text;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps.Files;
using Rostrum.Web.Build.Apps.Files;
using Rostrum.Web.CommandLine;

namespace Rostrum.Web.Tests;

/// <summary>Apps as text files: out of a workspace and into it, in the browser and on the command line.</summary>
public sealed class AppTransferTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Import = "/build/apps/import";

    private static async Task<AppFolder> ExportAsync(Visitor visitor, string app)
    {
        var (folder, problem) = await FolderInZip.ReadAsync(
            await visitor.Client.GetStreamAsync($"/build/apps/{app}?handler=Export"),
            CancellationToken.None
        );
        Assert.Null(problem);
        return folder!;
    }

    private static async Task<IDocument> SendAsync(Visitor visitor, string handler, AppFolder folder, string? revision = null)
    {
        using var answer = await visitor.Client.PostAsync(Import + handler, await FormAsync(visitor, FolderInZip.Write(folder), revision));
        return await Visitor.ParseAsync(answer);
    }

    private static async Task<MultipartFormDataContent> FormAsync(Visitor visitor, byte[] file, string? revision)
    {
        var token = (await visitor.PageAsync(Import)).QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
        var form = new MultipartFormDataContent
        {
            { new StringContent(token), "__RequestVerificationToken" },
            { new ByteArrayContent(file), "Upload", "app.zip" },
        };
        if (revision is not null)
        {
            form.Add(new StringContent(revision), "Revision");
        }

        return form;
    }

    [Fact]
    public async Task An_app_that_is_exported_and_imported_is_the_same_and_what_differs_is_said_first()
    {
        var bea = await application.AsAsync("bea");
        var folder = await ExportAsync(bea, "timetable");
        Assert.Contains(
            "is already what these files say",
            (await SendAsync(bea, "?handler=Compare", folder)).Body!.TextContent,
            StringComparison.Ordinal
        );

        const string Page = "pages/routes.yaml";
        var changed = AppFolder.Of(
            folder.Files.SetItem(Page, folder.Files[Page].Replace("name: Routes", "name: All routes", StringComparison.Ordinal))
        );
        var compared = await SendAsync(bea, "?handler=Compare", changed);
        Assert.Contains("All routes", compared.QuerySelector("#plan")!.TextContent, StringComparison.Ordinal);
        Assert.DoesNotContain((await application.DraftAsync("timetable")).Draft.Pages, page => page.Name == "All routes");

        var revision = compared.QuerySelector("input[name=Revision]")!.GetAttribute("value")!;
        Assert.Contains("has changed since", (await SendAsync(bea, "", changed, "0")).Body!.TextContent, StringComparison.Ordinal);
        using var imported = await bea.Client.PostAsync(Import, await FormAsync(bea, FolderInZip.Write(changed), revision));
        Assert.Equal("/build/apps/timetable", imported.Headers.Location!.OriginalString);
        Assert.Equal(changed.Files, (await ExportAsync(bea, "timetable")).Files);
        Assert.Equal(
            "Imported from files",
            await application.InStoreAsync(store =>
                store.Edits.OrderByDescending(edit => edit.Revision).Select(edit => edit.Said).FirstAsync()
            )
        );
    }

    [Fact]
    public async Task An_app_that_is_new_here_is_its_builders_alone()
    {
        var bea = await application.AsAsync("bea");
        var folder = await ExportAsync(bea, "maintenance");
        var copy = AppFolder.Of(
            folder.Files.SetItem(
                "app.yaml",
                folder.Files["app.yaml"].Replace("address: maintenance", "address: upkeep", StringComparison.Ordinal)
            )
        );
        var compared = await SendAsync(bea, "?handler=Compare", copy);
        Assert.Contains("A new app, Maintenance", compared.Body!.TextContent, StringComparison.Ordinal);
        using var imported = await bea.Client.PostAsync(Import, await FormAsync(bea, FolderInZip.Write(copy), null));
        Assert.Equal("/build/apps/upkeep", imported.Headers.Location!.OriginalString);
        Assert.Equal(HttpStatusCode.OK, await bea.StatusAsync("/try/upkeep/today"));
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync("/apps/upkeep/today"));
        Assert.Equal(HttpStatusCode.Forbidden, await (await application.AsAsync("pia")).StatusAsync(Import));
    }

    [Fact]
    public async Task What_is_wrong_with_a_file_is_said_and_nothing_is_changed()
    {
        var bea = await application.AsAsync("bea");
        var folder = await ExportAsync(bea, "timetable");
        var broken = AppFolder.Of(folder.Files.SetItem("pages/routes.yaml", "panels: [\n"));
        var said = (await SendAsync(bea, "?handler=Compare", broken)).QuerySelector("#plan")!;
        Assert.Contains("pages/routes.yaml:", said.TextContent, StringComparison.Ordinal);

        using var noZip = await bea.Client.PostAsync(Import, await FormAsync(bea, Encoding.UTF8.GetBytes("no zip"), null));
        Assert.Equal(HttpStatusCode.OK, noZip.StatusCode);
        Assert.Contains("not a ZIP file", (await Visitor.ParseAsync(noZip)).QuerySelector("#plan")!.TextContent, StringComparison.Ordinal);
        using var noFile = await bea.PostAsync(Import, Import);
        Assert.Contains("Choose a file first", (await Visitor.ParseAsync(noFile)).Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_file_that_unpacks_to_more_than_it_says_is_refused()
    {
        using var bytes = new MemoryStream();
        using (var zip = new ZipArchive(bytes, ZipArchiveMode.Create, leaveOpen: true))
        {
            await using var head = await zip.CreateEntry("app.yaml", CompressionLevel.SmallestSize).OpenAsync();
            var zeros = new byte[1_000_000];
            for (var megabytes = 0; megabytes < 30; megabytes++)
            {
                await head.WriteAsync(zeros);
            }
        }

        bytes.Position = 0;
        Assert.Contains("more than 20 MB", (await FolderInZip.ReadAsync(bytes, CancellationToken.None)).Problem, StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_command_line_exports_checks_compares_and_imports_with_exit_codes_for_continuous_integration()
    {
        var folder = Directory.CreateTempSubdirectory("rostrum").FullName;
        var said = new StringWriter();
        Console.SetOut(said);
        try
        {
            Assert.Equal(0, await AppCommand.RunAsync(["app", "export", "maintenance", folder], application.Services));
            Assert.Equal(0, await AppCommand.RunAsync(["app", "check", folder], null));
            Assert.Equal(0, await AppCommand.RunAsync(["app", "diff", folder], application.Services));

            var file = Path.Combine(folder, "pages", "today.yaml");
            var text = await File.ReadAllTextAsync(file);
            await File.WriteAllTextAsync(file, text.Replace("days_overdue > 0", "days_overdu > 0", StringComparison.Ordinal));
            var line =
                text.Split('\n').Index().First(numbered => numbered.Item.Contains("days_overdue > 0", StringComparison.Ordinal)).Index + 1;
            Assert.Equal(1, await AppCommand.RunAsync(["app", "check", folder], null));
            Assert.Contains($"{file}:{line}: overdue: ", said.ToString(), StringComparison.Ordinal);
            Assert.Contains("Unknown name “days_overdu”", said.ToString(), StringComparison.Ordinal);

            await File.WriteAllTextAsync(file, text.Replace("heading: Overdue\n", "heading: Late\n", StringComparison.Ordinal));
            Assert.Equal(1, await AppCommand.RunAsync(["app", "diff", folder], application.Services));
            Assert.Equal(0, await AppCommand.RunAsync(["app", "import", folder], application.Services));
            Assert.Equal(0, await AppCommand.RunAsync(["app", "diff", folder], application.Services));
            Assert.Equal("Late", (await application.DraftAsync("maintenance")).Draft.Find("today")!.Find("overdue")!.Heading);
            Assert.Equal(2, await AppCommand.RunAsync(["app", "explode"], null));
        }
        finally
        {
            Console.SetOut(new StreamWriter(Console.OpenStandardOutput()) { AutoFlush = true });
            Directory.Delete(folder, recursive: true);
        }
    }
}
