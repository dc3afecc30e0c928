using System.Net;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Datasets;
using Rostrum.Core.Files;
using Rostrum.Core.OwnTables;
using Rostrum.Store;
using SkiaSharp;

namespace Rostrum.Web.Tests;

/// <summary>Files are taken by their content, kept once, and shown to whoever may read the field; nothing in them can run.</summary>
public sealed class FileTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private static readonly string Page = OwnTableSpace.PageOf("Parts with files");
    private static Visitor? _builder;

    private async Task<Visitor> BuilderAsync() =>
        _builder ??= (
            await application.WithOwnTableAsync(
                "Parts with files",
                OwnKind.Of(OwnType.Picture),
                OwnKind.Of(OwnType.Files),
                OwnKind.Of(OwnType.RichText)
            )
        ).Builder;

    private static byte[] Png(int width, int height, byte shade = 90)
    {
        using var picture = new SKBitmap(width, height);
        picture.Erase(new SKColor(shade, 120, 140));
        using var image = SKImage.FromBitmap(picture);
        return image.Encode(SKEncodedImageFormat.Png, 100).ToArray();
    }

    private static Task<HttpResponseMessage> SendAsync(Visitor visitor, string field, string name, byte[] content) =>
        SendAsync(visitor, Page, "all", field, name, content);

    private static async Task<HttpResponseMessage> SendAsync(
        Visitor visitor,
        string page,
        string panel,
        string field,
        string name,
        byte[] content
    )
    {
        using var request = new HttpRequestMessage(
            HttpMethod.Post,
            $"{page}?handler=Upload&panel={panel}&field={field}&name={Uri.EscapeDataString(name)}"
        );
        var token = (await visitor.PageAsync($"{page}?{panel}.new=1")).QuerySelector("input[name=__RequestVerificationToken]");
        request.Headers.Add("RequestVerificationToken", token?.GetAttribute("value"));
        request.Content = new ByteArrayContent(content);
        request.Content.Headers.ContentType = new MediaTypeHeaderValue("application/octet-stream");
        return await visitor.Client.SendAsync(request);
    }

    private static async Task<FileReference> TakenAsync(Visitor visitor, string field, string name, byte[] content)
    {
        using var answer = await SendAsync(visitor, field, name, content);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        using var json = JsonDocument.Parse(await answer.Content.ReadAsStringAsync());
        return json.RootElement.GetProperty("file").Deserialize<FileReference>(JsonSerializerOptions.Web)!;
    }

    private static async Task<string> RefusedAsync(Visitor visitor, string field, string name, byte[] content)
    {
        using var answer = await SendAsync(visitor, field, name, content);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        using var json = JsonDocument.Parse(await answer.Content.ReadAsStringAsync());
        return json.RootElement.GetProperty("problem").GetString()!;
    }

    private static string Value(params FileReference[] files) => JsonSerializer.Serialize(files, JsonSerializerOptions.Web);

    private static async Task<string> AddAsync(Visitor visitor, params (string, string)[] fields)
    {
        using var saved = await visitor.SubmitAsync(await visitor.PageAsync(Page + "?all.new=1"), "Save", fields);
        var page = await Visitor.ParseAsync(saved);
        return page.QuerySelector("tr.marked")?.GetAttribute("data-key")
            ?? string.Join(' ', page.QuerySelectorAll(".said .problem").Select(problem => problem.TextContent));
    }

    private static string Address(string field, string key, string hash, string more = "") =>
        $"{Page}?handler=File&panel=all&field={field}&record={key}&file={hash}{more}";

    [Fact]
    public async Task A_picture_and_files_are_sent_saved_shown_and_kept_once()
    {
        var bea = await BuilderAsync();
        var png = Png(1200, 800);
        var picture = await TakenAsync(bea, "f_picture", "../Impeller (new).png", png) with { Alt = "An impeller" };
        Assert.Equal(("Impeller (new).png", "image/png", png.LongLength), (picture.Name, picture.Type, picture.Size));
        var same = await TakenAsync(bea, "f_files", "again.png", png);
        var text = await TakenAsync(bea, "f_files", "notes.txt", Encoding.UTF8.GetBytes(new string('é', 300_000)));
        Assert.Equal(picture.Hash, same.Hash);
        Assert.Equal(1, await application.InStoreAsync(store => store.Files.CountAsync(file => file.Hash == picture.Hash)));
        Assert.Equal(3, await application.InStoreAsync(store => store.FilePieces.CountAsync(piece => piece.Hash == text.Hash)));

        var key = await AddAsync(bea, ("v.name", "Impeller"), ("v.f_picture", Value(picture)), ("v.f_files", Value(same, text)));
        var list = await bea.PageAsync(Page);
        Assert.Equal("f_picture of Impeller", list.QuerySelector($"tr[data-key='{key}'] img.cell-picture")!.GetAttribute("alt"));
        using (var small = await bea.Client.GetAsync(Address("f_picture", key, picture.Hash, "&small=1")))
        {
            using var shown = SKBitmap.Decode(await small.Content.ReadAsByteArrayAsync());
            Assert.Equal(("image/webp", 320, 213), (small.Content.Headers.ContentType!.MediaType, shown.Width, shown.Height));
        }

        using (var whole = await bea.Client.GetAsync(Address("f_picture", key, picture.Hash)))
        {
            Assert.Equal(png, await whole.Content.ReadAsByteArrayAsync());
            Assert.Equal("inline", whole.Content.Headers.ContentDisposition!.DispositionType);
            Assert.Contains("sandbox", whole.Headers.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);
            Assert.Equal("nosniff", whole.Headers.GetValues("X-Content-Type-Options").Single());
        }

        using var ranged = new HttpRequestMessage(HttpMethod.Get, Address("f_files", key, text.Hash));
        ranged.Headers.Range = new RangeHeaderValue(262_143, 262_146);
        using var part = await bea.Client.SendAsync(ranged);
        Assert.Equal(HttpStatusCode.PartialContent, part.StatusCode);
        Assert.Equal("\u00a9\u00c3\u00a9\u00c3", Encoding.Latin1.GetString(await part.Content.ReadAsByteArrayAsync()));

        // A record that is deleted and comes back has its files again.
        var deleted = await Visitor.ParseAsync(await bea.SubmitAsync(await bea.PageAsync($"{Page}?all.selected={key}"), "Delete"));
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync(Address("f_files", key, text.Hash)));
        using (await bea.PostAsync(Page, Page + "?handler=Undo", ("undo", deleted.QuerySelector("[name=undo]")!.GetAttribute("value")!)))
        { }
        Assert.Equal(HttpStatusCode.OK, await bea.StatusAsync(Address("f_files", key, text.Hash)));

        // A file of another record, or of another field, is not there.
        var other = await AddAsync(bea, ("v.name", "Other"));
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync(Address("f_files", other, text.Hash)));
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync(Address("f_picture", key, text.Hash)));
    }

    [Fact]
    public async Task A_file_is_what_its_content_says_and_mark_up_is_only_downloaded()
    {
        var bea = await BuilderAsync();
        const string Script = "<svg xmlns='http://www.w3.org/2000/svg'><script>alert(1)</script></svg>";
        Assert.Contains(
            "only pictures",
            await RefusedAsync(bea, "f_picture", "logo.png", Encoding.UTF8.GetBytes(Script)),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "only pictures",
            await RefusedAsync(bea, "f_picture", "photo.jpg", "%PDF-1.7"u8.ToArray()),
            StringComparison.Ordinal
        );
        Assert.Contains("is empty", await RefusedAsync(bea, "f_files", "nothing.txt", []), StringComparison.Ordinal);

        var svg = await TakenAsync(bea, "f_files", "logo.svg", Encoding.UTF8.GetBytes(Script));
        var html = await TakenAsync(bea, "f_files", "page.txt", "<!DOCTYPE html><script>alert(1)</script>"u8.ToArray());
        var zip = await TakenAsync(bea, "f_files", "book.xlsx", [0x50, 0x4B, 0x03, 0x04, 0, 0]);
        Assert.Equal(("image/svg+xml", "text/html"), (svg.Type, html.Type));
        Assert.EndsWith("spreadsheetml.sheet", zip.Type, StringComparison.Ordinal);
        var key = await AddAsync(bea, ("v.name", "Dangerous"), ("v.f_files", Value(svg, html, zip)));
        foreach (var file in new[] { svg, html, zip })
        {
            using var answer = await bea.Client.GetAsync(Address("f_files", key, file.Hash));
            Assert.Equal("application/octet-stream", answer.Content.Headers.ContentType!.MediaType);
            Assert.Equal("attachment", answer.Content.Headers.ContentDisposition!.DispositionType);
        }

        // What a form says of a file counts as little as its name.
        Assert.Contains(
            "room for one",
            await AddAsync(bea, ("v.name", "Two"), ("v.f_picture", Value(svg, html))),
            StringComparison.Ordinal
        );
        Assert.Contains("list of files", await AddAsync(bea, ("v.name", "None"), ("v.f_picture", "<b>")), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_picture_of_40_000_points_a_side_and_a_file_too_large_are_refused_and_leave_nothing()
    {
        var bea = await BuilderAsync();
        var huge = Png(8, 8);
        // The size stands in the header: width and height in bytes 16 to 23.
        foreach (var at in new[] { 16, 20 })
        {
            (huge[at], huge[at + 1], huge[at + 2], huge[at + 3]) = (0, 0, 0x9C, 0x40);
        }

        Assert.Contains("50 million points", await RefusedAsync(bea, "f_picture", "huge.png", huge), StringComparison.Ordinal);
        var before = await application.InStoreAsync(store => store.Files.CountAsync());
        Assert.Contains(
            "larger than 20 MB",
            await RefusedAsync(bea, "f_files", "large.bin", new byte[(20 * 1024 * 1024) + 1]),
            StringComparison.Ordinal
        );
        Assert.Equal(before, await application.InStoreAsync(store => store.Files.CountAsync()));

        // Nobody sends what they may not write.
        var egil = await application.AsAsync("egil");
        using var request = new HttpRequestMessage(HttpMethod.Post, $"{Page}?handler=Upload&panel=all&field=f_files&name=x");
        request.Content = new ByteArrayContent([1]);
        using var refused = await egil.Client.SendAsync(request);
        Assert.False(refused.IsSuccessStatusCode);
        Assert.Equal(
            HttpStatusCode.NotFound,
            await bea.StatusAsync($"{Page}?handler=File&panel=all&field=name&record=1&file={new string('0', 64)}")
        );
    }

    [Fact]
    public async Task A_file_that_is_cut_off_on_its_way_leaves_nothing_and_is_taken_when_it_is_sent_again()
    {
        var bea = await BuilderAsync();
        var before = await application.InStoreAsync(store => store.Files.CountAsync());
        using var request = new HttpRequestMessage(HttpMethod.Post, $"{Page}?handler=Upload&panel=all&field=f_files&name=cut.txt");
        var token = (await bea.PageAsync($"{Page}?all.new=1")).QuerySelector("input[name=__RequestVerificationToken]");
        request.Headers.Add("RequestVerificationToken", token!.GetAttribute("value"));
        using var line = new CancellationTokenSource();
        request.Content = new CutOff(line);
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => bea.Client.SendAsync(request, line.Token));
        Assert.Equal(before, await application.InStoreAsync(store => store.Files.CountAsync()));
        Assert.Equal("cut.txt", (await TakenAsync(bea, "f_files", "cut.txt", CutOff.Whole)).Name);
    }

    /// <summary>A file of which a part arrives.</summary>
    private sealed class CutOff(CancellationTokenSource line) : HttpContent
    {
        public static byte[] Whole { get; } = Encoding.UTF8.GetBytes(new string('x', 200_000));

        protected override async Task SerializeToStreamAsync(Stream stream, TransportContext? context)
        {
            await stream.WriteAsync(Whole.AsMemory(0, 100_000));
            await stream.FlushAsync();
            await line.CancelAsync();
        }

        protected override bool TryComputeLength(out long length)
        {
            length = Whole.Length;
            return true;
        }
    }

    [Fact]
    public async Task A_recording_plays_where_it_stands()
    {
        var bea = await BuilderAsync();
        var noise = await TakenAsync(bea, "f_files", "noise.mp3", [.. "ID3"u8, .. new byte[100]]);
        var key = await AddAsync(bea, ("v.name", "Noisy"), ("v.f_files", Value(noise)));
        using var answer = await bea.Client.GetAsync($"{Page}?all.selected={key}");
        var player = (await Visitor.ParseAsync(answer)).QuerySelector("audio")!;
        Assert.Contains("media-src 'self'", answer.Headers.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);
        using var played = await bea.Client.GetAsync(player.GetAttribute("src"));
        Assert.Equal("audio/mpeg", played.Content.Headers.ContentType!.MediaType);
    }

    [Fact]
    public async Task A_builder_says_which_files_a_field_takes_how_many_and_how_large()
    {
        var (bea, altered) = await application.WithOwnTableAsync("Papers", OwnKind.Of(OwnType.Files));
        var page = OwnTableSpace.PageOf("Papers");
        var table = altered[..^"/table".Length];
        async Task<HttpResponseMessage> SetAsync(string only, string number, string size)
        {
            var settings = (await bea.PageAsync($"{table}?field=f_files")).QuerySelector("form#settings")!;
            return await bea.PostAsync(
                $"{table}?field=f_files",
                $"{table}?handler=Field&field=f_files",
                Visitor.Filled(settings, ("only", only), ("mostFiles", number), ("mostMegabytes", size))
            );
        }

        foreach (
            var (number, size, said) in new[] { ("0", "1", "1 to 100 files"), ("2", "101", "1 to 100 MB"), ("two", "1", "1 to 100 files") }
        )
        {
            using var refused = await SetAsync("Pdf", number, size);
            var shown = await Visitor.ParseAsync(refused);
            Assert.Contains(said, shown.Body!.TextContent, StringComparison.Ordinal);
            Assert.Equal(number, shown.QuerySelector("[name=mostFiles]")!.GetAttribute("value"));
        }

        using (var set = await SetAsync("Pdf", "2", "1"))
        {
            Assert.Equal(HttpStatusCode.Redirect, set.StatusCode);
        }

        using (var published = await bea.PublishAsync("/build/apps/maintenance/versions", "Papers are PDF")) { }
        static byte[] Pdf(int length) => [.. "%PDF-1.7 "u8, .. new byte[length]];
        async Task<string> SaidAsync(string name, byte[] content)
        {
            using var answer = await SendAsync(bea, page, "all", "f_files", name, content);
            return await answer.Content.ReadAsStringAsync();
        }

        Assert.Contains("only PDF files", await SaidAsync("notes.txt", "plain"u8.ToArray()), StringComparison.Ordinal);
        Assert.Contains("larger than 1 MB", await SaidAsync("large.pdf", Pdf(1024 * 1024)), StringComparison.Ordinal);
        var form = await bea.PageAsync($"{page}?all.new=1");
        Assert.Equal("application/pdf", form.QuerySelector("input[type=file]")!.GetAttribute("accept"));
        using var json = JsonDocument.Parse(await SaidAsync("plan.pdf", Pdf(9)));
        var plan = json.RootElement.GetProperty("file").Deserialize<FileReference>(JsonSerializerOptions.Web)!;
        using var saved = await bea.SubmitAsync(form, "Save", ("v.name", "Plans"), ("v.f_files", Value(plan, plan, plan)));
        Assert.Contains("There is room for 2 files.", await saved.Content.ReadAsStringAsync(), StringComparison.Ordinal);

        // What the field is has not changed by that: not into a picture either.
        Assert.Contains(
            "Files",
            (await bea.PageAsync(OwnTableSpace.EditorOf(altered))).QuerySelector("th[data-field=f_files]")!.TextContent,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_picture_takes_the_place_of_bytes_in_a_database_is_removed_and_comes_back_from_the_logbook()
    {
        const string Defects = "/apps/maintenance/defects";
        // As a browser sends it that has the box unticked.
        (string, string) kept = ("r.photo", "");
        var maren = await application.AsAsync("maren");
        var png = Png(40, 30);
        using var sent = await SendAsync(maren, Defects, "defects", "photo", "leak.png", png);
        using var json = JsonDocument.Parse(await sent.Content.ReadAsStringAsync());
        var file = json.RootElement.GetProperty("file").Deserialize<FileReference>(JsonSerializerOptions.Web)!;
        Task<string> PhotoAsync() => application.FleetScalarAsync("SELECT encode(sha256(photo), 'hex') FROM defects WHERE id = 41");
        async Task<string> SaveAsync(params (string, string)[] fields)
        {
            using var saved = await maren.SubmitAsync(await maren.PageAsync($"{Defects}?defects.selected=41"), "Save", fields);
            var page = await Visitor.ParseAsync(saved);
            return page.QuerySelector(".said .problem")?.TextContent ?? page.QuerySelector(".toast-body")!.TextContent.Trim();
        }

        Assert.Contains("saved", await SaveAsync(("v.photo", Value(file)), kept), StringComparison.Ordinal);
        Assert.Equal(file.Hash, await PhotoAsync());
        var opened = await maren.PageAsync($"{Defects}?defects.selected=41");
        Assert.NotNull(opened.QuerySelector("#sheet img.picture"));
        Assert.DoesNotContain(Convert.ToBase64String(png), opened.DocumentElement.OuterHtml, StringComparison.Ordinal);
        using (var shown = await maren.Client.GetAsync($"{Defects}?handler=Image&panel=defects&field=photo&record=41"))
        {
            Assert.Equal(png, await shown.Content.ReadAsByteArrayAsync());
        }

        // What is not touched stays; one that is not there is said.
        Assert.Contains("saved", await SaveAsync(("v.title", "With its photo"), kept), StringComparison.Ordinal);
        Assert.Equal(file.Hash, await PhotoAsync());
        var gone = file with { Hash = new string('0', 64) };
        Assert.Equal("The file is not there. Choose it again.", await SaveAsync(("v.photo", Value(gone)), kept));
        Assert.Contains("saved", await SaveAsync(("r.photo", "yes")), StringComparison.Ordinal);
        Assert.Equal("", await PhotoAsync());
        var dataset = await application.InStoreAsync(async store =>
            (await store.DatasetsAsync(default)).All.Single(dataset => dataset.Name.Value == "defects").Id.ToString()
        );
        var logbook = $"/logbook?dataset={dataset}&record=41";
        var newest = (await Visitor.ParseAsync(await maren.Client.GetAsync(logbook))).QuerySelector("li[id^=log-]")!.Id!["log-".Length..];
        using (var undone = await maren.PostAsync(Defects, $"{logbook}&handler=Undo&id={newest}"))
        {
            Assert.True(undone.Headers.Contains("HX-Refresh"), await undone.Content.ReadAsStringAsync());
        }

        Assert.Equal(file.Hash, await PhotoAsync());
    }

    [Fact]
    public async Task A_formatted_text_is_cleaned_and_has_pictures_that_its_record_serves()
    {
        var bea = await BuilderAsync();
        var png = Png(20, 10, 7);
        var picture = await TakenAsync(bea, "f_richtext", "drawing.png", png);
        var key = await AddAsync(
            bea,
            ("v.name", "Formatted"),
            (
                "v.f_richtext",
                $"<h2 onclick=\"x()\">Head</h2><p style=\"position:fixed\">Text <a href=\"javascript:alert(1)\">bad</a> "
                    + $"<a href=\"https://brackwater.example\">good</a><script>alert(1)</script>"
                    + $"<img src=\"file:{picture.Hash}\" alt=\"Drawing\" onerror=\"x()\">"
                    + "<img src=\"https://elsewhere.example/spy.png\">"
                    + "<a href=\"file:///etc/passwd\">file</a></p><iframe src=\"/\"></iframe>"
            )
        );
        var kept = await DemoApplication.ScalarAsync(
            application.StoreConnection,
            $"SELECT f_richtext FROM own_tables.parts_with_files WHERE id = {key}"
        );
        Assert.Equal(
            $"<h2>Head</h2><p>Text <a>bad</a> <a href=\"https://brackwater.example\">good</a>"
                + $"<img src=\"file:{picture.Hash}\" alt=\"Drawing\"><a>file</a></p>",
            kept
        );
        Assert.Equal(png, await bea.Client.GetByteArrayAsync(Address("f_richtext", key, picture.Hash)));
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync(Address("f_richtext", key, new string('a', 64))));
        Assert.Contains("Head Text bad good file", (await bea.PageAsync(Page)).Body!.TextContent, StringComparison.Ordinal);

        // So it is by whichever way it comes: here as an import or a workflow saves.
        var workspace = await application.Services.GetWorkspaceAsync();
        var parts = workspace.Datasets.All.Single(dataset => dataset.Table.Name == "parts_with_files");
        var saved = await application
            .Services.GetRequiredService<Rostrum.Sources.RecordGate>()
            .SaveEachAsync(
                workspace.Datasets,
                new ChangeSet(
                    parts.Id,
                    [
                        new Change.Insert(
                            new FieldValues([
                                KeyValuePair.Create(new FieldName("name"), (object?)"By another way"),
                                KeyValuePair.Create(
                                    new FieldName("f_richtext"),
                                    (object?)"<p onclick=\"x()\">In<script>alert(1)</script></p>"
                                ),
                            ])
                        ),
                    ]
                ),
                Rostrum.Sources.ManyChanges.AllOrNone,
                Core.Access.Grants.Everywhere(Core.Access.Grant.Everything),
                default
            );
        Assert.True(Assert.IsType<Rostrum.Sources.ManyResult.Done>(saved).Written);
        Assert.Equal(
            "<p>In</p>",
            await DemoApplication.ScalarAsync(
                application.StoreConnection,
                "SELECT f_richtext FROM own_tables.parts_with_files WHERE name = 'By another way'"
            )
        );

        // What somebody wrote into the table itself is cleaned when it is shown.
        await DemoApplication.ScalarAsync(
            application.StoreConnection,
            $"UPDATE own_tables.parts_with_files SET f_richtext = '<b>x</b><script>alert(1)</script>' WHERE id = {key} RETURNING ''"
        );
        Assert.DoesNotContain(
            "<script>alert",
            (await bea.PageAsync($"{Page}?all.selected={key}")).QuerySelector("main")!.InnerHtml,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_folder_keeps_files_whole_or_not_at_all()
    {
        var folder = Directory.CreateTempSubdirectory("rostrum-folder-");
        var stores = (IDbContextFactory<RostrumStore>)application.Services.GetService(typeof(IDbContextFactory<RostrumStore>))!;
        var files = new FolderFiles(stores, folder.FullName);
        StoredFile File(char digit) =>
            new()
            {
                Hash = new string(digit, 64),
                Size = 5,
                Type = "text/plain",
                At = DateTimeOffset.UtcNow,
            };
        await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => files.AddAsync(File('a'), new MemoryStream("hello"u8.ToArray()), default)));
        using (var reader = new StreamReader(await files.OpenAsync((await files.FindAsync(new string('a', 64), default))!, default)))
        {
            Assert.Equal("hello", await reader.ReadToEndAsync());
        }

        Assert.Single(folder.GetFiles("*", SearchOption.AllDirectories));
        folder.Delete(recursive: true);
        await System.IO.File.WriteAllTextAsync(folder.FullName, "in the way");
        await Assert.ThrowsAsync<FileStoreException>(() => files.AddAsync(File('b'), new MemoryStream([1]), default));
        Assert.Null(await files.FindAsync(new string('b', 64), default));
        await Assert.ThrowsAsync<FileStoreException>(async () =>
            await files.OpenAsync((await files.FindAsync(new string('a', 64), default))!, default)
        );
        System.IO.File.Delete(folder.FullName);
    }
}
