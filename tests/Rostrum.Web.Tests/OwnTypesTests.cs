using System.Globalization;
using System.Net;
using System.Text.Json;
using AngleSharp.Dom;
using Rostrum.Core.OwnTables;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>A table with a field of each type: filled by hand, sent out, and taken in again without a difference.</summary>
public sealed class OwnTypesTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Page = "/apps/maintenance/every-type";

    private static readonly (OwnType Type, string Typed, string Wrong)[] Values =
    [
        (OwnType.Text, "=1+1, \"quoted\"", new string('x', 256)),
        (OwnType.LongText, "two\nlines", ""),
        (OwnType.Markdown, "# Head\n\n- *one*, \"two\"", ""),
        (OwnType.RichText, "<p>Hello <strong>you</strong>, 3 &lt; 4</p><ul><li>one</li></ul>", ""),
        (OwnType.Email, "egil@brackwater.example", "egil"),
        (OwnType.WebAddress, "https://brackwater.example/a?b=1", "brackwater"),
        (OwnType.Phone, "+44 1632 960 017", "none"),
        (OwnType.WholeNumber, "-12", "1.5"),
        (OwnType.Number, "0.0001", "much"),
        (OwnType.Money, "1250.50", "0.001"),
        (OwnType.Percent, "12.5", "all"),
        (OwnType.Date, "2026-03-01", "soon"),
        (OwnType.Moment, "2026-03-01 14:30", "soon"),
        (OwnType.Time, "14:30", "soon"),
        (OwnType.Duration, "2 d 3:20", "long"),
        (OwnType.YesNo, "true", "maybe"),
        (OwnType.Choice, "in work", "lost"),
        (OwnType.Several, "\"red, dark\",blue", "green"),
        (OwnType.Json, """{"a": [1, "x, y"]}""", "{"),
        (OwnType.Uuid, "6f1c1d1e-0000-4000-8000-000000000001", "6f1c"),
    ];

    private Task<string> OwnAsync(string sql) => DemoApplication.ScalarAsync(application.StoreConnection, sql);

    private async Task<Visitor> MadeAsync()
    {
        OwnKind[] kinds = [.. OwnKind.All.Where(kind => kind.Type is not (OwnType.Relation or OwnType.Person))];
        var (bea, table) = await application.WithOwnTableAsync("Every type", kinds);
        var heads = (await bea.PageAsync(OwnTableSpace.EditorOf(table))).QuerySelectorAll("thead th[data-field]");
        Assert.Equal(kinds.Select(kind => kind.Label), heads.Skip(1).Select(head => head.QuerySelector("small")!.TextContent));
        return bea;
    }

    [Fact]
    public async Task Every_type_is_entered_checked_sent_out_and_taken_in_again_without_a_difference()
    {
        var bea = await MadeAsync();
        var sheet = await bea.PageAsync(Page + "?all.new=1");
        async Task<IDocument> SaveAsync(Func<(OwnType Type, string Typed, string Wrong), string> text) =>
            await Visitor.ParseAsync(
                await bea.SubmitAsync(
                    sheet,
                    "Save",
                    [("v.name", "Second"), .. Values.Select(value => ($"v.{OwnTableSpace.NameOf(value.Type)}", text(value)))]
                )
            );
        var refused = (await SaveAsync(value => value.Wrong)).QuerySelectorAll(".said:has(.problem)").Select(said => said.Id!);
        Assert.Empty(
            Values
                .Where(value => value.Wrong.Length > 0)
                .Select(value => $"field-{OwnTableSpace.NameOf(value.Type)}-problem")
                .Except(refused)
        );
        Assert.Equal("1", await OwnAsync("SELECT count(*)::text FROM own_tables.every_type"));
        Assert.Empty((await SaveAsync(value => value.Typed)).QuerySelectorAll(".said:has(.problem)").Select(said => said.OuterHtml));
        Assert.Equal("2", await OwnAsync("SELECT count(*)::text FROM own_tables.every_type"));
        Assert.Equal(
            "{\"red, dark\",blue} 2 days 03:20:00 Bea Holm Bea Holm x, y",
            await OwnAsync(
                "SELECT concat_ws(' ', f_several, f_duration, f_addedby, f_changedby, f_json #>> '{a,1}') "
                    + "FROM own_tables.every_type WHERE name = 'Second'"
            )
        );
        Assert.Equal(
            "t",
            await OwnAsync(
                "SELECT (f_addedat > now() - interval '1 hour' AND f_changedat = f_addedat)::text::char "
                    + "FROM own_tables.every_type WHERE name = 'Second'"
            )
        );

        var columns = string.Join(", ", Values.Select(value => OwnTableSpace.NameOf(value.Type)));
        var blank = string.Join(", ", Values.Select(value => $"{OwnTableSpace.NameOf(value.Type)} = NULL"));
        var whole = $"SELECT md5(string_agg(({columns})::text, '|' ORDER BY name)) FROM own_tables.every_type";
        var before = await OwnAsync(whole);
        foreach (var format in new[] { "csv", "xlsx", "json" })
        {
            var file = await bea.Client.GetByteArrayAsync($"{Page}?handler=Download&panel=all&format={format}");
            await OwnAsync($"UPDATE own_tables.every_type SET {blank} RETURNING ''");
            Assert.NotEqual(before, await OwnAsync(whole));
            await ImportAsync(bea, file, $"rows.{format}");
            Assert.Equal((format, before), (format, await OwnAsync(whole)));
        }
    }

    private async Task ImportAsync(Visitor visitor, byte[] file, string name)
    {
        const string Rows = Page + "?handler=ImportRows&panel=all";
        var token = (await visitor.PageAsync(Rows)).QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
        using var form = new MultipartFormDataContent
        {
            { new StringContent(token), "__RequestVerificationToken" },
            { new ByteArrayContent(file), "file", name },
        };
        using var sent = await visitor.Client.PostAsync(Rows, form);
        Assert.Equal(HttpStatusCode.Redirect, sent.StatusCode);
        var import = sent.Headers.Location!.ToString();
        var plan = (await visitor.PageAsync(import)).QuerySelector("form[action$='handler=Plan']")!;
        using (await visitor.PostAsync(import, $"{import}?handler=Plan", Visitor.Filled(plan, ("mode", "Change"), ("match", "name")))) { }
        for (var tries = 0; (await visitor.PageAsync(import)).QuerySelector("#checked strong") is null && tries < 300; tries++)
        {
            await Task.Delay(100);
        }

        var checkedRows = (await visitor.PageAsync(import)).QuerySelector("#checked")!;
        Assert.Equal("", string.Join('|', checkedRows.QuerySelectorAll("tbody td").Select(because => because.TextContent)));
        var says = checkedRows.QuerySelector("strong")!.TextContent;
        Assert.Equal("1 every type would be changed, 1 row is already so.", says);
        using var begun = await visitor.PostAsync(import, $"{import}?handler=Begin");
        var done = await application.BulkEndAsync(
            long.Parse(begun.Headers.Location!.ToString()["/bulk/".Length..], CultureInfo.InvariantCulture)
        );
        Assert.Equal((BulkStatus.Done, 0), (done.Status, done.Refused));
    }

    [Fact]
    public async Task A_list_is_narrowed_by_some_of_several_choices()
    {
        var (bea, _) = await application.WithOwnTableAsync("Marked parts", OwnKind.Of(OwnType.Several));
        const string Parts = "/apps/maintenance/marked-parts";
        await OwnAsync(
            """
            INSERT INTO own_tables.marked_parts (name, f_several) VALUES
                ('Both', ARRAY['blue', 'red, dark']), ('Blue', ARRAY['blue']), ('Red', ARRAY['red, dark']), ('Empty', '{}')
            """
        );
        async Task<(string Names, string Sentence)> ShownAsync(string narrowed)
        {
            var page = await bea.PageAsync($"{Parts}?all.sort=name&{narrowed}");
            return (
                string.Join(' ', page.QuerySelectorAll("#panel-all tbody tr th").Select(cell => cell.TextContent.Trim())),
                page.QuerySelector("#panel-all .sentence")?.TextContent ?? ""
            );
        }

        const string Several = "f_several";
        Assert.Equal("Blue Both", (await ShownAsync($"all.is.{Several}=blue")).Names);
        var both = await ShownAsync($"all.is.{Several}=blue&all.is.{Several}=red,+dark");
        Assert.Equal("Blue Both Red", both.Names);
        Assert.Contains("includes blue or red, dark", both.Sentence, StringComparison.Ordinal);
        Assert.Equal("Empty First Red", (await ShownAsync($"all.not.{Several}=blue")).Names);
        Assert.Equal("Empty First", (await ShownAsync($"all.is.{Several}=~blank")).Names);

        var offered = await bea.PageAsync($"{Parts}?handler=Filter&panel=all&field={Several}&all.is.{Several}=blue");
        Assert.Equal(
            ["red, dark", "blue", "~blank"],
            offered.QuerySelectorAll(".choices input").Select(choice => choice.GetAttribute("value"))
        );
        Assert.Equal("blue", offered.QuerySelector(".choices input[checked]")!.GetAttribute("value"));
        Assert.Contains("does not include", offered.Body!.TextContent, StringComparison.Ordinal);

        // What is no option narrows nothing, and is said.
        Assert.Equal("Blue Both Empty First Red", (await ShownAsync($"all.is.{Several}=green")).Names);
    }

    [Fact]
    public async Task Other_lists_are_narrowed_by_values_that_are_typed()
    {
        var (bea, forms) = await application.WithOwnTableAsync("Charts");
        await OwnAsync("ALTER TABLE own_tables.charts ADD COLUMN words text[], ADD COLUMN numbers integer[]; SELECT ''");
        await OwnAsync(
            """
            INSERT INTO own_tables.charts (name, words, numbers) VALUES
                ('A', ARRAY['it''s', 'a, b'], ARRAY[1, 20]), ('B', ARRAY['plain'], ARRAY[2]), ('C', '{}', '{}')
            """
        );
        using (await bea.PostAsync($"{forms}?form=add", $"{forms}?handler=Add", ("label", "Remark"), ("type", "Text"))) { }
        async Task<string> ShownAsync(string narrowed)
        {
            var page = await bea.PageAsync($"{OwnTableSpace.EditorOf(forms)}?{narrowed}");
            return string.Join(' ', page.QuerySelectorAll("#panel-records tbody tr th").Select(cell => cell.TextContent.Trim()))
                + (page.QuerySelector("#panel-records .notice-inline") is null ? "" : " ignored");
        }

        Assert.Equal("A", await ShownAsync("records.has.words=it's"));
        Assert.Equal("A B", await ShownAsync("records.has.words=%22a, b%22, plain"));
        Assert.Equal("", await ShownAsync("records.has.words=it"));
        Assert.Equal("A B", await ShownAsync("records.has.numbers=20, 2"));
        Assert.Equal("First A B C ignored", await ShownAsync("records.has.numbers=many"));
        Assert.Equal("First C", await ShownAsync("records.is.words=~blank"));
        var offered = await bea.PageAsync($"{OwnTableSpace.EditorOf(forms)}?handler=Filter&panel=records&field=words&records.has.words=x");
        Assert.Equal("x", offered.QuerySelector("[name='records.has.words']")!.GetAttribute("value"));
    }

    [Fact]
    public async Task A_json_field_whose_members_are_known_is_filled_in_as_a_form_and_checked()
    {
        var (bea, forms) = await application.WithOwnTableAsync("Readings", OwnKind.Of(OwnType.Json));
        await OwnAsync(
            """
            INSERT INTO own_tables.readings (name, f_json)
            SELECT 'R' || n, jsonb_build_object('bar', n + 0.5, 'ok', n % 2 = 0) FROM generate_series(1, 4) n RETURNING ''
            """
        );
        var table = forms[..^"/table".Length];
        var settings = (await bea.PageAsync($"{table}?field=f_json")).QuerySelector("form#settings")!;
        using var proposed = await bea.PostAsync($"{table}?field=f_json", $"{table}?handler=Shape&field=f_json", Visitor.Filled(settings));
        var schema = (await Visitor.ParseAsync(proposed)).QuerySelector("#schema")!.TextContent;
        Assert.Contains("\"bar\"", schema, StringComparison.Ordinal);
        async Task<string> SetAsync(string shape)
        {
            using var set = await bea.PostAsync(
                $"{table}?field=f_json",
                $"{table}?handler=Field&field=f_json",
                Visitor.Filled(settings, ("schema", shape))
            );
            return set.StatusCode is HttpStatusCode.Redirect
                ? ""
                : (await Visitor.ParseAsync(set)).QuerySelector("[role=alert]")!.TextContent.Trim();
        }

        Assert.StartsWith("A shape is a JSON Schema", await SetAsync("[]"), StringComparison.Ordinal);
        Assert.Equal("", await SetAsync(schema));
        var sheet = await bea.PageAsync($"{OwnTableSpace.EditorOf(forms)}?records.new=1");
        var box = sheet.QuerySelector("[data-json-form]")!;
        Assert.Equal(
            "ok yesNo, bar number",
            string.Join(
                ", ",
                JsonDocument
                    .Parse(box.GetAttribute("data-json-form")!)
                    .RootElement.EnumerateArray()
                    .Select(member => $"{member.GetProperty("name")} {member.GetProperty("kind")}")
            )
        );
        using var refused = await bea.SubmitAsync(sheet, "Save", ("v.name", "New"), ("v.f_json", """{"bar": "high", "ok": true}"""));
        Assert.Contains("“Bar” is no number.", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        using var saved = await bea.SubmitAsync(sheet, "Save", ("v.name", "New"), ("v.f_json", """{"bar": 3, "ok": true, "more": 1}"""));
        Assert.Equal(
            """{"ok": true, "bar": 3, "more": 1}""",
            await OwnAsync("SELECT f_json::text FROM own_tables.readings WHERE name = 'New'")
        );
    }
}
