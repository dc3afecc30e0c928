using System.Globalization;
using System.IO.Compression;
using System.Net;
using System.Text;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;
using MiniExcelLibs;
using Rostrum.Core.OwnTables;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>Rows of a file become records: recognised, mapped, tried, imported once, and taken back as one.</summary>
public sealed class ImportTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Dockings = "/apps/maintenance/dockings";
    private const string Rows = Dockings + "?handler=ImportRows&panel=dockings";

    private static async Task<HttpResponseMessage> SendAsync(Visitor visitor, byte[] file, string name, string rows = Rows)
    {
        var token = (await visitor.PageAsync(rows)).QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
        using var form = new MultipartFormDataContent
        {
            { new StringContent(token), "__RequestVerificationToken" },
            { new ByteArrayContent(file), "file", name },
        };
        return await visitor.Client.PostAsync(rows, form);
    }

    private static async Task<string> UploadAsync(Visitor visitor, byte[] file, string name = "rows.csv", string rows = Rows)
    {
        using var sent = await SendAsync(visitor, file, name, rows);
        Assert.Equal(HttpStatusCode.Redirect, sent.StatusCode);
        return sent.Headers.Location!.ToString();
    }

    private static async Task<string> RefusedAsync(Visitor visitor, byte[] file, string name = "rows.csv")
    {
        using var sent = await SendAsync(visitor, file, name);
        Assert.Equal(HttpStatusCode.OK, sent.StatusCode);
        return (await Visitor.ParseAsync(sent)).QuerySelector("[role=alert]")!.TextContent.Trim();
    }

    private static (string, string)[] Form(IDocument page, string handler, params (string Name, string Value)[] changed) =>
        Visitor.Filled(page.QuerySelector($"form[action$='handler={handler}']")!, changed);

    private static async Task<IDocument> CheckAsync(Visitor visitor, string import, params (string, string)[] changed)
    {
        using (
            var planned = await visitor.PostAsync(import, $"{import}?handler=Plan", Form(await visitor.PageAsync(import), "Plan", changed))
        )
        {
            if (planned.StatusCode is HttpStatusCode.OK)
            {
                return await Visitor.ParseAsync(planned);
            }
        }

        for (var tries = 0; tries < 600; tries++)
        {
            var page = await visitor.PageAsync(import);
            if (page.QuerySelector("#checked strong") is not null)
            {
                return page;
            }

            await Task.Delay(100);
        }

        throw new TimeoutException("It is not checked.");
    }

    private static string Says(IDocument page) => page.QuerySelector("#checked strong")!.TextContent;

    private async Task<BulkChange> BeginAsync(Visitor visitor, string import)
    {
        var both = await Task.WhenAll(Enumerable.Range(0, 2).Select(_ => visitor.PostAsync(import, $"{import}?handler=Begin")));
        var begun = both[0].Headers.Location!.ToString();
        Assert.Equal(begun, both[1].Headers.Location!.ToString());
        return await application.BulkEndAsync(long.Parse(begun["/bulk/".Length..], CultureInfo.InvariantCulture));
    }

    private Task<string> CountAsync(string condition = "true") =>
        application.FleetScalarAsync($"SELECT count(*)::text FROM dockings WHERE {condition}");

    [Fact]
    public async Task Records_that_rows_refer_to_are_added_once_where_that_is_wished()
    {
        await application.WithOwnTableAsync("Suppliers");
        var relation = OwnKind.All.Single(kind => kind.Type is OwnType.Relation);
        var (bea, _) = await application.WithOwnTableAsync("Spares", relation);
        var (page, field) = (OwnTableSpace.PageOf("Spares"), OwnTableSpace.NameOf(OwnType.Relation));
        var file = Encoding.UTF8.GetBytes($"Name,{field}\nImpeller,Kvist & Son\nGasket,KVIST & SON\nHose,First\nBelt,Marl\n");
        Task<string> ImportAsync() => UploadAsync(bea, file, rows: $"{page}?handler=ImportRows&panel=all");
        Task<string> SuppliersAsync() =>
            DemoApplication.ScalarAsync(application.StoreConnection, "SELECT string_agg(name, ', ' ORDER BY id) FROM own_tables.suppliers");

        var first = await ImportAsync();
        Assert.Equal("1 spare would be added, 3 rows cannot be imported.", Says(await CheckAsync(bea, first)));

        // The check adds nothing, and says what would be.
        var check = await CheckAsync(bea, first, ("missing", field));
        Assert.Equal("4 spares would be added.", Says(check));
        Assert.Contains(
            "2 related records would be added first: supplier “Kvist & Son”, supplier “Marl”.",
            string.Join(' ', check.QuerySelector("#checked")!.TextContent.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries)),
            StringComparison.Ordinal
        );
        Assert.Equal("First", await SuppliersAsync());

        // Two imports at the same moment add each once.
        var second = await ImportAsync();
        await CheckAsync(bea, second, ("missing", field));
        var done = await Task.WhenAll(BeginAsync(bea, first), BeginAsync(bea, second));
        Assert.All(done, one => Assert.Equal((BulkStatus.Done, 4, 0), (one.Status, one.Added, one.Refused)));
        Assert.Equal(["First", "Kvist & Son", "Marl"], (await SuppliersAsync()).Split(", ").Order());
        Assert.Equal(
            "Belt Marl, Belt Marl, Gasket Kvist & Son, Gasket Kvist & Son, Hose First, Hose First, "
                + "Impeller Kvist & Son, Impeller Kvist & Son",
            await DemoApplication.ScalarAsync(
                application.StoreConnection,
                $"SELECT string_agg(p.name || ' ' || s.name, ', ' ORDER BY p.name) FROM own_tables.spares p "
                    + $"JOIN own_tables.suppliers s ON s.id = p.{field} WHERE p.name <> 'First'"
            )
        );
        Assert.Equal(
            "2",
            await DemoApplication.ScalarAsync(
                application.StoreConnection,
                "SELECT count(*)::text FROM log_entries WHERE kind = 'added' AND title IN ('Kvist & Son', 'Marl')"
            )
        );
    }

    [Fact]
    public async Task A_file_is_recognised_tried_imported_once_and_taken_back_as_one()
    {
        var bea = await application.AsAsync("bea");
        var before = await application.FleetScalarAsync("SELECT md5(string_agg(d::text, '|' ORDER BY id)) FROM dockings d");
        var text = new StringBuilder("Vessel;Yard;Planned start;Planned end;Budget;Remark\r\n");
        for (var row = 0; row < 1500; row++)
        {
            text.Append(
                CultureInfo.InvariantCulture,
                $"{(row % 2 == 0 ? "Kittiwake" : "BF-102")};Ærø yard;31/1/2027;14/2/2027;1.250,50;x\r\n"
            );
        }

        text.Append("Nobody;Ærø yard;1/2/2027;3/2/2027;1,00;x\r\nKittiwake;Ærø yard;tomorrow;3/2/2027;1,00;x\r\n");
        var import = await UploadAsync(bea, Encoding.Latin1.GetBytes(text.ToString()));
        var page = await bea.PageAsync(import);
        Assert.Equal(
            ["windows-1252", ";", "comma", "DayMonthYear"],
            page.QuerySelectorAll("form[action$='handler=Read'] option[selected]").Select(option => option.GetAttribute("value"))
        );
        Assert.Equal(
            ["vessel", "yard", "planned_start", "planned_end", "budget", null],
            page.QuerySelectorAll(".import-columns select")
                .Select(select => select.QuerySelector("option[selected]")?.GetAttribute("value"))
        );

        var check = await CheckAsync(bea, import, ("constant.percent_done", "7"));
        Assert.Equal("1,500 dockings would be added, 2 rows cannot be imported.", Says(check));
        Assert.Equal(
            ["Vessel: There is no vessel “Nobody”.", "Planned start: “tomorrow” is not a day."],
            check.QuerySelectorAll("#checked td").Select(cell => cell.TextContent)
        );
        Assert.Equal("0", await CountAsync("yard = 'Ærø yard'"));

        var done = await BeginAsync(bea, import);
        Assert.Equal((BulkStatus.Done, 1500, 1500, 2), (done.Status, done.Done, done.Added, done.Refused));
        Assert.Equal(
            "1500",
            await CountAsync("yard = 'Ærø yard' AND budget = 1250.50 AND planned_start = '2027-01-31' AND percent_done = 7")
        );
        Assert.Contains(
            "no vessel “Nobody”",
            await bea.Client.GetStringAsync($"/bulk/{done.Id}?handler=Refused"),
            StringComparison.Ordinal
        );

        using var undo = await bea.PostAsync($"/bulk/{done.Id}", $"/bulk/{done.Id}?handler=Undo");
        var undone = await application.BulkEndAsync(
            long.Parse(undo.Headers.Location!.ToString().Split('/')[^1], CultureInfo.InvariantCulture)
        );
        Assert.Equal((BulkStatus.Done, 1500, 0), (undone.Status, undone.Done, undone.Refused));
        Assert.Equal(before, await application.FleetScalarAsync("SELECT md5(string_agg(d::text, '|' ORDER BY id)) FROM dockings d"));
    }

    [Fact]
    public async Task What_was_downloaded_and_imported_again_changes_nothing_and_a_changed_cell_one_record()
    {
        var bea = await application.AsAsync("bea");
        var columns = "id, vessel, yard, planned_start, planned_end, budget";
        var before = await application.FleetScalarAsync($"SELECT md5(string_agg(({columns})::text, '|' ORDER BY id)) FROM dockings");
        foreach (var format in new[] { "csv", "xlsx", "json" })
        {
            var file = await bea.Client.GetByteArrayAsync(
                $"{Dockings}?handler=Download&panel=dockings&format={format}&dockings.sort=planned_start"
            );
            var import = await UploadAsync(bea, file, $"dockings.{format}");
            var check = await CheckAsync(
                bea,
                import,
                ("mode", "Change"),
                ("match", "vessel"),
                ("match", "planned_start"),
                ("failing", "nothing")
            );
            Assert.Equal($"{await CountAsync()} rows are already so.", Says(check));
            var done = await BeginAsync(bea, import);
            Assert.Equal((BulkStatus.Done, 0, 0), (done.Status, done.Done, done.Refused));
            Assert.Equal(
                before,
                await application.FleetScalarAsync($"SELECT md5(string_agg(({columns})::text, '|' ORDER BY id)) FROM dockings")
            );
        }

        // By its key, and one that is new.
        var changed = await UploadAsync(
            bea,
            """
            id,yard,vessel,planned_start,planned_end,budget
            3,Elsewhere,BF-101,2027-01-01,2027-01-02,5
            ,New one,BF-102,2027-01-01,2027-01-02,5
            3,Twice,BF-101,2027-01-01,2027-01-02,5
            """u8.ToArray()
        );
        var mixed = await CheckAsync(bea, changed, ("mode", "AddOrChange"), ("match", "id"));
        Assert.Equal("1 docking would be added, 1 docking would be changed, 1 row cannot be imported.", Says(mixed));
        await BeginAsync(bea, changed);
        Assert.Equal("Elsewhere", await application.FleetScalarAsync("SELECT yard FROM dockings WHERE id = 3"));
        Assert.Equal("1", await CountAsync("yard = 'New one'"));
    }

    [Fact]
    public async Task All_or_nothing_writes_nothing_where_one_row_is_refused()
    {
        var bea = await application.AsAsync("bea");
        var before = await CountAsync();
        var import = await UploadAsync(
            bea,
            """
            vessel;yard;planned_start;planned_end;budget
            BF-101;A;2027-01-01;2027-01-02;5
            BF-101;B;2027-01-01;;5
            """u8.ToArray()
        );
        var check = await CheckAsync(bea, import, ("failing", "nothing"));
        Assert.Contains("1 row cannot be imported", Says(check), StringComparison.Ordinal);
        Assert.Null(check.QuerySelector("form[action$='handler=Begin']"));

        // Asked for all the same.
        var done = await BeginAsync(bea, import);
        Assert.Equal((0, 1), (done.Done, done.Refused));
        Assert.Equal(before, await CountAsync());
    }

    [Fact]
    public async Task Files_that_cannot_be_read_say_so_and_what_may_not_be_changed_is_not()
    {
        var bea = await application.AsAsync("bea");
        Assert.Contains("quotes are broken", await RefusedAsync(bea, "a,b\n1,\"never closed\n2,3\n"u8.ToArray()), StringComparison.Ordinal);
        Assert.Contains("no rows", await RefusedAsync(bea, "\n \n"u8.ToArray()), StringComparison.Ordinal);
        Assert.Contains("no workbook", await RefusedAsync(bea, "PK no zip"u8.ToArray(), "rows.xlsx"), StringComparison.Ordinal);
        Assert.Contains("no JSON", await RefusedAsync(bea, "[{\"a\": "u8.ToArray(), "rows.json"), StringComparison.Ordinal);
        Assert.Contains("no list", await RefusedAsync(bea, "{\"a\": 1}"u8.ToArray(), "rows.json"), StringComparison.Ordinal);
        Assert.Contains(
            "more than 500 columns",
            await RefusedAsync(bea, Encoding.UTF8.GetBytes(string.Join(',', Enumerable.Range(0, 501)))),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "longer than 4 MB",
            await RefusedAsync(bea, Encoding.UTF8.GetBytes("a,b\n" + new string('x', 10_000_000))),
            StringComparison.Ordinal
        );
        Assert.Contains("too large when it is unpacked", await RefusedAsync(bea, Bomb(), "rows.xlsx"), StringComparison.Ordinal);

        // What is broken far below is found by the check.
        var rows = string.Concat(Enumerable.Repeat("BF-101,A\n", 400));
        var broken = await UploadAsync(bea, Encoding.UTF8.GetBytes($"vessel,yard\n{rows}BF-101,\"never closed\n"));
        Assert.Contains(
            "quotes are broken",
            (await CheckAsync(bea, broken)).QuerySelector("[role=alert]")!.TextContent,
            StringComparison.Ordinal
        );

        // Two columns into one field, and none at all.
        var import = await UploadAsync(bea, "vessel,yard\nBF-101,A\n"u8.ToArray());
        Assert.Contains(
            "Two columns go into “Vessel”",
            (await CheckAsync(bea, import, ("into.0", "vessel"), ("into.1", "vessel"))).Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "at least one column",
            (await CheckAsync(bea, import, ("into.0", ""), ("into.1", ""))).Body!.TextContent,
            StringComparison.Ordinal
        );

        // It is its person's alone, and engineers may not change dockings.
        Assert.Equal(HttpStatusCode.NotFound, await (await application.AsAsync("maren")).StatusAsync(import));
        Assert.Equal(HttpStatusCode.NotFound, await (await application.AsAsync("egil")).StatusAsync(Rows));
    }

    // A hundred entries of ten million blanks each, packed into next to nothing.
    private static byte[] Bomb()
    {
        using var memory = new MemoryStream();
        using (var zip = new ZipArchive(memory, ZipArchiveMode.Create, leaveOpen: true))
        {
            var blanks = new byte[10_500_000];
            for (var number = 0; number < 100; number++)
            {
                using var entry = zip.CreateEntry($"xl/worksheets/sheet{number}.xml").Open();
                entry.Write(blanks);
            }
        }

        return memory.ToArray();
    }

    [Fact]
    public async Task A_mapping_is_kept_by_its_name_and_used_for_a_file_whose_columns_stand_in_another_order()
    {
        var bea = await application.AsAsync("bea");
        const string Name = "The yard’s list";
        var first = await UploadAsync(bea, "Hull;Where;From;Until;Costs;Note\nBF-101;A;1/3/2027;9/3/2027;5,5;x\n"u8.ToArray());
        (string, string)[] chosen =
        [
            ("into.0", "vessel"),
            ("into.1", "yard"),
            ("into.2", "planned_start"),
            ("into.3", "planned_end"),
            ("into.4", "budget"),
            ("into.5", ""),
            ("mode", "AddOrChange"),
            ("failing", "nothing"),
        ];
        using (
            var refused = await bea.PostAsync(
                first,
                $"{first}?handler=Keep",
                Form(await bea.PageAsync(first), "Plan", [.. chosen, ("mapping", " ")])
            )
        )
        {
            Assert.Contains(
                "has a name",
                (await Visitor.ParseAsync(refused)).QuerySelector("[role=alert]")!.TextContent,
                StringComparison.Ordinal
            );
        }

        using (
            await bea.PostAsync(first, $"{first}?handler=Keep", Form(await bea.PageAsync(first), "Plan", [.. chosen, ("mapping", Name)]))
        ) { }

        var second = await UploadAsync(bea, "Costs;UNTIL;Other;Hull;From;Where\n7;9/4/2027;;BF-102;1/4/2027;B\n"u8.ToArray());
        var page = await bea.PageAsync(second);
        var kept = page.QuerySelectorAll("#kept option").Single(option => option.TextContent == Name).GetAttribute("value")!;
        using (await bea.PostAsync(second, $"{second}?handler=Use", ("mapping", kept))) { }
        page = await bea.PageAsync(second);
        Assert.Equal(
            ["budget", "planned_end", "", "vessel", "planned_start", "yard"],
            page.QuerySelectorAll(".import-columns select")
                .Select(select => select.QuerySelector("option[selected]")?.GetAttribute("value") ?? "")
        );
        Assert.NotNull(page.QuerySelector("input[name=mode][value=AddOrChange][checked]"));
        Assert.NotNull(page.QuerySelector("input[name=failing][value=nothing][checked]"));

        // Of other records it is none, and once removed it is gone.
        Assert.Equal(HttpStatusCode.NotFound, (await bea.PostAsync(second, $"{second}?handler=Use", ("mapping", "999999"))).StatusCode);
        using (await bea.PostAsync(second, $"{second}?handler=Forget", ("mapping", kept))) { }
        Assert.Null((await bea.PageAsync(second)).QuerySelector("#kept"));
    }

    [Fact]
    public async Task A_workbook_of_several_sheets_is_read_from_the_one_that_is_chosen()
    {
        var bea = await application.AsAsync("bea");
        using var memory = new MemoryStream();
        await MiniExcel.SaveAsAsync(
            memory,
            new Dictionary<string, object>
            {
                ["Notes"] = new[] { new { Text = "nothing here" } },
                ["Plan"] = new[]
                {
                    new
                    {
                        Vessel = "Kittiwake",
                        Yard = "Sheet yard",
                        Start = new DateTime(2027, 5, 1),
                        Budget = 1250.5,
                    },
                },
            }
        );
        var import = await UploadAsync(bea, memory.ToArray(), "plan.xlsx");
        var page = await bea.PageAsync(import);
        Assert.Equal(["Notes", "Plan"], page.QuerySelectorAll("#sheet option").Select(option => option.TextContent));
        using (await bea.PostAsync(import, $"{import}?handler=Read", Form(page, "Read", ("sheet", "Plan")))) { }
        page = await bea.PageAsync(import);
        Assert.Equal(
            ["Vessel", "Yard", "Start", "Budget"],
            page.QuerySelectorAll(".import-columns tbody th").Select(cell => cell.TextContent)
        );
        var check = await CheckAsync(bea, import, ("into.2", "planned_start"), ("constant.planned_end", "=TODAY() + 400"));
        Assert.Equal("1 docking would be added.", Says(check));
    }
}
