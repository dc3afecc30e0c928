using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Files;

namespace Rostrum.Web.Tests;

/// <summary>People note things about records; whoever is mentioned or watches is told, as far as their rights let them read it.</summary>
public sealed class NoteTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Defects = "/apps/maintenance/defects";

    private Task<string> DefectsIdAsync() =>
        application.InStoreAsync(async store =>
            (await store.DatasetsAsync(default)).All.Single(dataset => dataset.Name.Value == "defects").Id.ToString()
        );

    private async Task<string> AddressAsync(int record) => $"/notes?dataset={await DefectsIdAsync()}&record={record}";

    private static async Task<AngleSharp.Dom.IDocument> LogbookAsync(Visitor visitor, string notes) =>
        await Visitor.ParseAsync(await visitor.Client.GetAsync(notes.Replace("/notes?", "/logbook?", StringComparison.Ordinal)));

    // Posts as a form of the record's sheet does; gives where it leads.
    private static async Task<(HttpStatusCode Status, string Text)> PostAsync(
        Visitor visitor,
        string notes,
        string handler,
        params (string, string)[] fields
    )
    {
        using var answer = await visitor.PostAsync(Defects, $"{notes}&handler={handler}", fields);
        return (answer.StatusCode, await answer.Content.ReadAsStringAsync());
    }

    [Fact]
    public async Task A_note_is_written_answered_edited_with_its_history_deleted_and_brought_back()
    {
        var (egil, maren) = (await application.AsAsync("egil"), await application.AsAsync("maren"));
        var notes = await AddressAsync(11);
        Assert.NotNull((await LogbookAsync(egil, notes)).QuerySelector("form[data-note]"));
        Assert.Equal(
            HttpStatusCode.Redirect,
            (await PostAsync(egil, notes, "Add", ("text", "Seal is **worn** <script>alert(1)</script>"))).Status
        );
        var shown = await LogbookAsync(maren, notes);
        var note = shown.QuerySelector("li[id^=note-]")!;
        Assert.Equal("worn", note.QuerySelector(".note-text strong")!.TextContent);
        Assert.Null(note.QuerySelector("script"));
        var id = note.Id!["note-".Length..];

        // Only whoever wrote it edits and deletes it.
        Assert.Null(note.QuerySelector("[hx-get*='handler=Edit']"));
        Assert.Equal(HttpStatusCode.NotFound, (await PostAsync(maren, notes, $"Edit&id={id}", ("text", "mine"))).Status);
        Assert.Equal(HttpStatusCode.NotFound, (await PostAsync(maren, notes, $"Delete&id={id}")).Status);
        Assert.Equal(HttpStatusCode.Redirect, (await PostAsync(maren, notes, "Add", ("text", "> worn\n\nOrdered."), ("reply", id))).Status);
        Assert.Contains(
            "Maren Vik answered Egil Strand",
            string.Join(' ', (await LogbookAsync(egil, notes)).QuerySelectorAll(".log-head").Select(head => head.TextContent)),
            StringComparison.Ordinal
        );

        Assert.Equal(HttpStatusCode.Redirect, (await PostAsync(egil, notes, $"Edit&id={id}", ("text", "Seal is gone"))).Status);
        var versions = await (await maren.Client.GetAsync($"{notes}&handler=Versions&id={id}")).Content.ReadAsStringAsync();
        Assert.Contains("<strong>worn</strong>", versions, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.Redirect, (await PostAsync(egil, notes, $"Delete&id={id}")).Status);
        var gone = (await LogbookAsync(maren, notes)).QuerySelector($"#note-{id}")!;
        Assert.Contains("deleted a note", gone.TextContent, StringComparison.Ordinal);
        Assert.DoesNotContain("Seal is gone", gone.TextContent, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, await maren.StatusAsync($"{notes}&handler=Versions&id={id}"));
        Assert.Equal(HttpStatusCode.Redirect, (await PostAsync(egil, notes, $"Delete&id={id}&restore=true")).Status);
        Assert.Contains("Seal is gone", (await LogbookAsync(maren, notes)).Body!.TextContent, StringComparison.Ordinal);

        // What cannot be kept says why, with what was typed.
        var (status, text) = await PostAsync(egil, notes, "Add", ("text", new string('x', 10_001)));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Contains("10,000 fit", text, StringComparison.Ordinal);
        Assert.Contains(new string('x', 10_001), text, StringComparison.Ordinal);
        Assert.Contains("Write something", (await PostAsync(egil, notes, "Add", ("text", " \n "))).Text, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Whoever_is_mentioned_and_may_see_it_is_told_and_who_watches_once()
    {
        var (egil, maren) = (await application.AsAsync("egil"), await application.AsAsync("maren"));
        var notes = await AddressAsync(12);
        foreach (var person in new[] { egil, maren })
        {
            using (await person.PostAsync(Defects, $"{Defects}?handler=Watch&panel=defects&record=12")) { }
        }

        using (await maren.PostAsync("/inbox", "/inbox?handler=Mail", ("mail", "AtOnce"))) { }
        var tuva = await application.AsAsync("tuva");
        using var offered = await tuva.Client.GetAsync($"{notes}&handler=People&q=ma");
        Assert.Equal(["Maren Vik"], JsonSerializer.Deserialize<string[]>(await offered.Content.ReadAsStringAsync())!);
        using var others = await tuva.Client.GetAsync($"{notes}&handler=People&q=pia");
        Assert.Equal("[]", await others.Content.ReadAsStringAsync());

        await PostAsync(tuva, notes, "Add", ("text", "@Maren Vik and @Pia Sund, look; not tuva@Maren Viken or @Egil Strandby"));
        Assert.Contains(await application.InStoreAsync(store => store.OutgoingMails.AsNoTracking().ToListAsync()), mail =>
            mail.Address == "maren@brackwater.example" && mail.Text.Contains("mentioned you: “@Maren Vik", StringComparison.Ordinal)
        );
        await application.TellAsync();
        var told = await application.InStoreAsync(store =>
            store
                .InboxItems.Where(item => item.Key == "12" && item.By == "Tuva Berg")
                .Join(store.Users, item => item.PersonId, person => person.Id, (item, person) => person.UserName + ": " + item.Text)
                .OrderBy(text => text)
                .ToListAsync()
        );
        Assert.Collection(
            told,
            one => Assert.StartsWith("egil: noted: “@Maren Vik and @Pia Sund", one, StringComparison.Ordinal),
            one => Assert.StartsWith("maren: mentioned you: “@Maren Vik", one, StringComparison.Ordinal)
        );
        var mention = Assert.Single((await LogbookAsync(maren, notes)).QuerySelectorAll(".mention"));
        Assert.Equal("@Maren Vik", mention.TextContent);
    }

    [Fact]
    public async Task Who_may_only_read_notes_writes_none_and_who_may_not_read_them_sees_none()
    {
        var egil = await application.AsAsync("egil");
        var notes = await AddressAsync(13);
        await PostAsync(egil, notes, "Add", ("text", "For our eyes"));
        var aud = await application.AsAsync("aud");
        var read = await LogbookAsync(aud, notes);
        Assert.Contains("For our eyes", read.Body!.TextContent, StringComparison.Ordinal);
        Assert.Null(read.QuerySelector("form[data-note]"));
        Assert.Equal(HttpStatusCode.NotFound, (await PostAsync(aud, notes, "Add", ("text", "Mine"))).Status);

        var pia = await application.AsAsync("pia");
        Assert.Equal(HttpStatusCode.NotFound, (await PostAsync(pia, notes, "Add", ("text", "Mine"))).Status);
        var dataset = Guid.Parse(await DefectsIdAsync());
        await application.InStoreAsync(async store =>
        {
            (await store.Policies.SingleAsync(policy => policy.Role == "auditor" && policy.DatasetId == dataset)).Verbs = Verbs.View;
            return await store.SaveChangesAsync();
        });
        Assert.DoesNotContain("For our eyes", (await LogbookAsync(aud, notes)).Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, await aud.StatusAsync($"{notes}&handler=Versions&id=1"));
    }

    [Fact]
    public async Task A_file_of_a_note_is_there_for_who_reads_it_and_for_nobody_else()
    {
        var egil = await application.AsAsync("egil");
        var notes = await AddressAsync(14);
        var file = await UploadAsync(egil, notes, "reading.txt", "12 bar"u8.ToArray());
        await PostAsync(
            egil,
            notes,
            "Add",
            ("text", ""),
            ("attached", JsonSerializer.Serialize(new[] { file }, JsonSerializerOptions.Web))
        );
        var address = (await LogbookAsync(egil, notes)).QuerySelector(".files a.file")!.GetAttribute("href")!;
        Assert.Equal("12 bar", await egil.Client.GetStringAsync(address));
        Assert.Equal(HttpStatusCode.NotFound, await (await application.AsAsync("pia")).StatusAsync(address));
        Assert.Equal(
            HttpStatusCode.NotFound,
            await egil.StatusAsync(address.Replace(file.Hash, new string('0', 64), StringComparison.Ordinal))
        );
    }

    private static async Task<FileReference> UploadAsync(Visitor visitor, string notes, string name, byte[] content)
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, $"{notes}&handler=Upload&name={Uri.EscapeDataString(name)}");
        var token = (await visitor.PageAsync(Defects + "?defects.selected=14")).QuerySelector("input[name=__RequestVerificationToken]");
        request.Headers.Add("RequestVerificationToken", token!.GetAttribute("value"));
        request.Content = new ByteArrayContent(content);
        request.Content.Headers.ContentType = new System.Net.Http.Headers.MediaTypeHeaderValue("application/octet-stream");
        using var sent = await visitor.Client.SendAsync(request);
        using var json = JsonDocument.Parse(await sent.Content.ReadAsStringAsync());
        return json.RootElement.GetProperty("file").Deserialize<FileReference>(JsonSerializerOptions.Web)!;
    }

    [Fact]
    public async Task A_picture_of_a_note_stands_in_its_text_where_it_is_named_and_one_from_elsewhere_does_not()
    {
        var egil = await application.AsAsync("egil");
        var notes = await AddressAsync(15);
        var png = Convert.FromBase64String(
            "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="
        );
        var (shown, below) = (
            await UploadAsync(egil, notes, "worn seal.png", png),
            await UploadAsync(egil, notes, "list.txt", "1"u8.ToArray())
        );
        await PostAsync(
            egil,
            notes,
            "Add",
            ("text", "So: ![the seal](worn%20seal.png) ![](https://example.org/a.png) ![](list.txt) ![](other.png)"),
            ("attached", JsonSerializer.Serialize(new[] { shown, below }, JsonSerializerOptions.Web))
        );
        var note = (await LogbookAsync(egil, notes)).QuerySelector("li[id^=note-]")!;
        var picture = Assert.Single(note.QuerySelectorAll(".note-text img"));
        Assert.Equal("the seal", picture.GetAttribute("alt"));
        Assert.Equal(png, await egil.Client.GetByteArrayAsync(picture.GetAttribute("src")!));
        Assert.Equal("list.txt", Assert.Single(note.QuerySelectorAll(".files .file-name")).TextContent);
    }
}
