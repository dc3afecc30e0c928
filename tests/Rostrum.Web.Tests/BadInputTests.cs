using System.Net;
using Rostrum.Core;
using Rostrum.Core.Apps.Editing;

namespace Rostrum.Web.Tests;

/// <summary>What nobody types by hand is answered with words, and takes nothing down.</summary>
public sealed class BadInputTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Theory]
    [InlineData("[")]
    [InlineData(">")]
    [InlineData("- ")]
    [InlineData("*a ")]
    [InlineData("![")]
    public async Task A_value_whose_marks_are_nested_too_deep_takes_no_page_down(string mark)
    {
        var text =
            mark == "- "
                ? string.Join('\n', Enumerable.Range(0, 90).Select(depth => new string(' ', depth * 2) + "- x"))
                : string.Concat(Enumerable.Repeat(mark, 200));
        await using var source = Npgsql.NpgsqlDataSource.Create(application.FleetConnection);
        await using var command = source.CreateCommand("UPDATE defects SET description = $1, title = 'Nested too deep' WHERE id = 61");
        command.Parameters.Add(new Npgsql.NpgsqlParameter { Value = text });
        await command.ExecuteNonQueryAsync();
        var maren = await application.AsAsync("maren");
        foreach (
            var address in new[]
            {
                "/apps/maintenance/defect?defect=61",
                "/apps/maintenance/defects?defects.selected=61",
                "/apps/maintenance/defects?defects.q=nested",
                "/apps/maintenance/today",
            }
        )
        {
            Assert.DoesNotContain("cannot be shown", (await maren.PageAsync(address)).Body!.TextContent, StringComparison.Ordinal);
        }
    }

    [Theory]
    [InlineData("/apps/maintenance/defects?handler=Nonsense", HttpStatusCode.NotFound)]
    [InlineData("/apps/maintenance/defects?handler=Save", HttpStatusCode.NotFound)]
    [InlineData("/apps/maintenance/defects?defects.q=a%00b", HttpStatusCode.BadRequest)]
    [InlineData("/apps/maintenance/defects?defects.page=2&defects.after=WyJhIl0", HttpStatusCode.OK)]
    [InlineData("/apps/maintenance/defects?defects.page=2&defects.after=W10", HttpStatusCode.OK)]
    [InlineData("/apps/maintenance/defects?handler=Filter&panel=nothing&field=x", HttpStatusCode.NotFound)]
    [InlineData("/apps/maintenance/defects?handler=Rows&panel=&field=%25", HttpStatusCode.NotFound)]
    [InlineData("/apps/maintenance/defects?handler=Version&version=many", HttpStatusCode.NoContent)]
    public async Task A_request_that_asks_for_nothing_there_is_told_so(string address, HttpStatusCode expected)
    {
        var bea = await application.AsAsync("bea");
        Assert.Equal(expected, await bea.StatusAsync(address));
    }

    [Theory]
    [InlineData("/try/maintenance/defects", "/TRY/maintenance/defects")]
    [InlineData("/canvas/maintenance/defects", "/CANVAS/maintenance/defects")]
    public async Task An_address_in_capitals_shows_the_same_to_the_same_people(string address, string capitals)
    {
        var bea = await application.AsAsync("bea");
        var (one, other) = (await bea.PageAsync(address), await bea.PageAsync(capitals));
        Assert.Equal(one.QuerySelector("main")!.GetAttribute("data-place"), other.QuerySelector("main")!.GetAttribute("data-place"));
        Assert.Equal(one.QuerySelector(".masthead") is null, other.QuerySelector(".masthead") is null);
        var maren = await application.AsAsync("maren");
        Assert.Equal(await maren.StatusAsync(address), await maren.StatusAsync(capitals));
    }

    [Fact]
    public async Task A_post_without_a_handler_is_not_allowed()
    {
        var bea = await application.AsAsync("bea");
        using var answer = await bea.PostAsync("/apps/maintenance/defects?defects.new=1", "/apps/maintenance/defects");
        Assert.Equal(HttpStatusCode.MethodNotAllowed, answer.StatusCode);
    }

    [Fact]
    public async Task A_character_that_no_text_may_hold_is_refused_at_the_door()
    {
        var visitor = application.Anonymous();
        var token = (await visitor.PageAsync("/sign-in")).QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
        using var form = new MultipartFormDataContent
        {
            { new StringContent(token), "__RequestVerificationToken" },
            { new StringContent("be\0a"), "UserName" },
            { new StringContent("x"), "Password" },
        };
        using var answer = await visitor.Client.PostAsync("/sign-in", form);
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
    }

    [Fact]
    public async Task One_comes_back_to_an_address_with_letters_of_any_script()
    {
        var visitor = application.Anonymous();
        using var answer = await visitor.PostAsync(
            "/sign-in",
            "/sign-in",
            ("UserName", "bea"),
            ("Password", Demo.DemoLoader.Password),
            ("ReturnUrl", "/ü?q=ø")
        );
        Assert.Equal("/%C3%BC?q=%C3%B8", answer.Headers.Location!.OriginalString);
    }

    [Theory]
    [InlineData("0")]
    [InlineData("tcp://db.example")]
    [InlineData("db.example:5432")]
    [InlineData("a b")]
    public async Task What_is_no_machine_is_not_connected_to(string host)
    {
        var bea = await application.AsAsync("bea");
        using var answer = await bea.PostAsync(
            "/build/sources/new",
            "/build/sources/new?handler=Test",
            ("Name", "x"),
            ("Host", host),
            ("Port", "5432"),
            ("Database", "x"),
            ("UserName", "x")
        );
        Assert.Contains(
            "the name or the address of a machine alone",
            (await Visitor.ParseAsync(answer)).Body!.TextContent,
            StringComparison.Ordinal
        );
    }

    [Theory]
    [InlineData("null")]
    [InlineData("{}")]
    [InlineData("{\"kind\":\"setSetting\"}")]
    [InlineData("{\"kind\":\"setSetting\",\"page\":null,\"panel\":null,\"key\":null,\"value\":null}")]
    [InlineData("{\"kind\":\"addPanel\",\"page\":\"today\",\"at\":0,\"panel\":null}")]
    [InlineData("[1, 2]")]
    public void A_text_that_is_no_edit_is_none(string text) => Assert.Null(KindJson.Read<AppEdit>(text));

    [Fact]
    public async Task A_step_that_is_gone_is_not_changed()
    {
        var bea = await application.AsAsync("bea");
        const string Page = "/build/apps/maintenance/pages/defects?panel=defects";
        var before = await application.DraftAsync("maintenance");
        foreach (
            var asked in new[]
            {
                "action=99&does=remove",
                "action=-1&does=label",
                "action=0&step=99&does=remove",
                "action=0&step=-5&does=up",
            }
        )
        {
            using var answer = await bea.PostAsync(Page, $"{Page}&handler=Step&key=rowActions&{asked}", ("revision", $"{before.Revision}"));
            Assert.True(
                answer.StatusCode is HttpStatusCode.OK or HttpStatusCode.NotFound or HttpStatusCode.BadRequest,
                $"{asked}: {answer.StatusCode}"
            );
        }
    }
}
