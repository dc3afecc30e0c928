using System.Collections.Immutable;
using System.Net;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.Live.Panels.Text;

namespace Rostrum.Web.Tests;

public sealed class ComposerTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Ports = "/build/apps/timetable/pages/ports";

    [Fact]
    public async Task An_edit_is_kept_told_and_taken_back_by_whoever_made_it()
    {
        var bea = await application.AsAsync("bea");
        using var set = await EditAsync(bea, Ports, "Set&panel=ports&key=rowsPerPage", ("set.rowsPerPage", "5"));
        Assert.Equal("{\"draft-changed\":{\"select\":null}}", set.Headers.GetValues("HX-Trigger-After-Swap").Single());
        Assert.Equal(5, (await TableAsync()).RowsPerPage);
        Assert.Equal(
            "ports: rows per page “50” → “5”",
            await application.InStoreAsync(store =>
                store.Edits.OrderByDescending(edit => edit.Revision).Select(edit => edit.Said).FirstAsync()
            )
        );

        using var none = await EditAsync(await application.AsAsync("oskar"), Ports, "Undo");
        Assert.Contains("nothing of yours to undo", await none.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        using var undone = await EditAsync(bea, Ports, "Undo");
        Assert.Equal(50, (await TableAsync()).RowsPerPage);
        using var redone = await EditAsync(bea, Ports, "Redo");
        Assert.Equal(5, (await TableAsync()).RowsPerPage);
        using var refused = await EditAsync(bea, Ports, "Set&panel=ports&key=rowsPerPage", ("set.rowsPerPage", "0"));
        Assert.Contains("a whole number from 1 to 500", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        using var back = await EditAsync(bea, Ports, "Undo");
    }

    [Fact]
    public async Task A_number_and_a_choice_may_be_formulas()
    {
        var bea = await application.AsAsync("bea");
        using var rows = await EditAsync(bea, Ports, "Set&panel=ports&key=rowsPerPage", ("set.rowsPerPage", "=1 + 2"));
        using var density = await EditAsync(
            bea,
            Ports,
            "Set&panel=ports&part=appearance&key=density",
            ("set.density", "=IF(user.name = \"Nobody\", \"comfortable\", \"compact\")")
        );
        Assert.Contains("Now: compact", await density.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        var page = await bea.PageAsync("/try/timetable/ports");
        Assert.Equal(3, page.QuerySelectorAll("tbody tr[data-key]").Length);
        Assert.NotNull(page.QuerySelector("table.rows-compact"));

        using var wrong = await EditAsync(bea, Ports, "Set&panel=ports&key=rowsPerPage", ("set.rowsPerPage", "=\"many\""));
        Assert.Contains("number", await wrong.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Equal(9, (await bea.PageAsync("/try/timetable/ports")).QuerySelectorAll("tbody tr[data-key]").Length);

        using var blank = await EditAsync(bea, Ports, "Set&panel=ports&key=rowsPerPage", ("set.rowsPerPage", ""));
        Assert.Equal(50, (await TableAsync()).RowsPerPage);
        Assert.DoesNotContain("rowsPerPage", (await TableAsync()).Formulas.Keys);
        using var back = await EditAsync(bea, Ports, "Set&panel=ports&part=appearance&key=density", ("set.density", ""));
        Assert.Empty((await TableAsync()).Formulas);
    }

    [Fact]
    public async Task A_view_is_made_of_what_the_page_shows_and_everybody_can_choose_it()
    {
        var bea = await application.AsAsync("bea");
        using var nameless = await EditAsync(bea, Ports, "View&panel=ports&key=views&state=", ("view", " "));
        Assert.Contains("Write a name", await nameless.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        using var added = await EditAsync(
            bea,
            Ports,
            $"View&panel=ports&key=views&state={Uri.EscapeDataString("?ports.sort=-name&ports.selected=BRW")}",
            ("view", "Backwards")
        );
        using var set = await EditAsync(
            bea,
            Ports,
            "Set&panel=ports&key=views",
            ("views.0.name", "From the end"),
            ("views.0.query", "?sort=-name"),
            ("views.0.density", "compact"),
            ("views.0.shown.name", "on")
        );
        var view = Assert.Single((await TableAsync()).Views);
        Assert.Equal(("From the end", "?sort=-name", Density.Compact), (view.Name, view.Query, view.Density));
        var page = await bea.PageAsync("/try/timetable/ports?ports.sort=-name&ports.view=From%20the%20end");
        Assert.Single(page.QuerySelectorAll("thead th[data-field]"));
        Assert.Equal("From the end", (await bea.ViewMenuAsync(page)).QuerySelector(".kept a[aria-current]")!.TextContent.Trim());
        using var removed = await EditAsync(bea, Ports, "View&panel=ports&key=views&without=From%20the%20end");
        Assert.Empty((await TableAsync()).Views);
    }

    [Fact]
    public async Task A_new_edit_ends_what_could_be_done_again()
    {
        var bea = await application.AsAsync("bea");
        using var set = await EditAsync(bea, Ports, "Set&panel=ports&key=rowsPerPage", ("set.rowsPerPage", "7"));
        using var undone = await EditAsync(bea, Ports, "Undo");
        using var other = await EditAsync(bea, Ports, "Set&panel=ports&key=heading", ("set.heading", "Harbours"));
        using var refused = await EditAsync(bea, Ports, "Redo");
        Assert.Contains("nothing to do again", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        using var otherUndone = await EditAsync(bea, Ports, "Undo");
        using var redone = await EditAsync(bea, Ports, "Redo");
        Assert.Equal((50, "Harbours"), ((await TableAsync()).RowsPerPage, (await TableAsync()).Heading));
        using var back = await EditAsync(bea, Ports, "Undo");
    }

    [Fact]
    public async Task What_is_typed_in_one_go_is_one_edit()
    {
        var bea = await application.AsAsync("bea");
        foreach (var text in new[] { "n", "name", "name <> \"x\"" })
        {
            using var typed = await EditAsync(bea, Ports, "Set&panel=ports&key=filter", ("set.filter", text));
        }

        using var undone = await EditAsync(bea, Ports, "Undo");
        Assert.Null((await TableAsync()).Filter);
    }

    [Fact]
    public async Task A_page_may_call_a_field_otherwise_and_give_that_back()
    {
        var bea = await application.AsAsync("bea");
        string[] Heads(AngleSharp.Dom.IDocument page) => [.. page.QuerySelectorAll("thead th").Select(cell => cell.TextContent.Trim())];
        using var set = await EditAsync(
            bea,
            Ports,
            "Set&panel=ports&key=columns",
            ("order.columns", "name,code,island"),
            ("shown.columns.name", "yes"),
            ("shown.columns.island", "yes"),
            ("labels.name", "Harbour")
        );
        var page = await bea.PageAsync("/try/timetable/ports?ports.new=1");
        Assert.Equal(["Harbour", "Island"], Heads(page));
        Assert.StartsWith("Harbour", page.QuerySelector("#field-name-label")!.TextContent.Trim(), StringComparison.Ordinal);
        Assert.Equal(
            "only here",
            Assert.Single((await bea.PageAsync(Ports + "?panel=ports")).QuerySelectorAll(".fields .badge")).TextContent
        );

        using var given = await EditAsync(
            bea,
            Ports,
            "Set&panel=ports&key=columns",
            ("order.columns", "name,code,island"),
            ("shown.columns.name", "yes"),
            ("shown.columns.island", "yes"),
            ("labels.name", "")
        );
        Assert.Equal(["Name", "Island"], Heads(await bea.PageAsync("/try/timetable/ports")));
        using var none = await EditAsync(bea, Ports, "Set&panel=ports&key=columns", ("order.columns", "name,code,island"));
        Assert.Contains(
            "That does not fit “Columns”.",
            WebUtility.HtmlDecode(await none.Content.ReadAsStringAsync()),
            StringComparison.Ordinal
        );
        using var undone = await EditAsync(bea, Ports, "Undo");
        using var before = await EditAsync(bea, Ports, "Undo");
    }

    [Fact]
    public async Task Whoever_builds_not_composes_not()
    {
        var pia = await application.AsAsync("pia");
        Assert.Equal(HttpStatusCode.Forbidden, await pia.StatusAsync(Ports));
        Assert.Equal(HttpStatusCode.Forbidden, await pia.StatusAsync("/canvas/timetable/ports"));
        Assert.Equal(HttpStatusCode.Forbidden, await pia.StatusAsync("/build/apps/timetable/versions"));
    }

    [Fact]
    public async Task A_page_within_Build_stands_in_its_frame_alone_and_saves_nothing()
    {
        var bea = await application.AsAsync("bea");
        using var shown = await bea.Client.GetAsync("/canvas/maintenance/defects");
        Assert.Contains("frame-ancestors 'self'", shown.Headers.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);
        using var live = await bea.Client.GetAsync("/apps/maintenance/defects");
        Assert.Contains("frame-ancestors 'none'", live.Headers.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);
        using var saved = await bea.PostAsync(
            "/try/maintenance/defects?defects.selected=3",
            "/canvas/maintenance/defects?defects.selected=3&handler=Save",
            ("v.title", "Not this way")
        );
        Assert.Equal(HttpStatusCode.Forbidden, saved.StatusCode);
    }

    [Fact]
    public async Task An_error_keeps_a_draft_from_being_published_and_the_live_version_as_it_is()
    {
        var bea = await application.AsAsync("bea");
        using var wrong = await EditAsync(bea, Ports, "Set&panel=ports&key=filter", ("set.filter", "nam = 1"));
        using var refused = await bea.PublishAsync("/build/apps/timetable/versions", "wrong");
        Assert.Contains("Unknown name “nam”", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Equal(
            1,
            await application.InStoreAsync(store =>
                store.Apps.Where(app => app.Address == "timetable").Select(app => app.LiveVersion).FirstAsync()
            )
        );
        Assert.Contains(
            "These records cannot be read as this page asks for them.",
            (await bea.PageAsync("/try/timetable/ports")).Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.NotEmpty((await bea.PageAsync("/apps/timetable/ports")).QuerySelectorAll("tbody tr"));
        using var back = await EditAsync(bea, Ports, "Undo");
    }

    [Fact]
    public async Task One_answer_carries_the_panels_that_a_choice_concerns_and_no_others()
    {
        var bea = await application.AsAsync("bea");
        await AddPageAsync(Watch);
        var parts = await PartAsync(bea, "/try/maintenance/watch?vessels.selected=BF-101", "/try/maintenance/watch");
        Assert.Equal(["panel-details", "panel-report", "panel-total"], Ids(parts).Order(StringComparer.Ordinal));
        Assert.Contains("Kittiwake", parts, StringComparison.Ordinal);
        Assert.Equal(["panel-vessels"], Ids(await PartAsync(bea, "/try/maintenance/watch?words.value=kitti", "/try/maintenance/watch")));
        Assert.Equal(
            ["panel-details", "panel-report", "panel-total", "panel-vessels"],
            Ids(await PartAsync(bea, "/try/maintenance/watch?words.value=kitti&vessels.selected=BF-101", "/try/maintenance/watch"))
                .Order(StringComparer.Ordinal)
        );
    }

    [Fact]
    public async Task A_link_to_what_is_not_there_or_of_the_wrong_type_shows_the_page_all_the_same()
    {
        var bea = await application.AsAsync("bea");
        await AddPageAsync(Watch);
        Assert.Contains(
            "Choose a vessel",
            (await bea.PageAsync("/try/maintenance/watch?vessels.selected=BF-999&since=yesterday&seats=many&nothing.at=all"))
                .Body!
                .TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "Since 01 Feb 2026",
            (await bea.PageAsync("/try/maintenance/watch?since=2026-02-01")).Body!.TextContent,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task An_action_does_its_steps_in_order_within_the_rights_of_whoever_starts_it()
    {
        var bea = await application.AsAsync("bea");
        await AddPageAsync(Watch);
        const string Start = "/try/maintenance/watch?vessels.selected=BF-101&handler=Run&panel=report&action=Report";
        using var tooEarly = await bea.PostAsync("/try/maintenance/defects", Start);
        Assert.Contains("this preview is read-only", await tooEarly.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        await bea.AllowChangesAsync("/try/maintenance/defects");
        var before = await application.FleetScalarAsync("SELECT count(*) FROM defects WHERE title = 'Look at Kittiwake again'");
        using var done = await bea.PostAsync("/try/maintenance/defects", Start);
        Assert.Equal("/try/maintenance/defects?vessel=BF-101", done.Headers.Location!.OriginalString);
        Assert.Equal(
            int.Parse(before, System.Globalization.CultureInfo.InvariantCulture) + 1,
            int.Parse(
                await application.FleetScalarAsync(
                    "SELECT count(*) FROM defects WHERE title = 'Look at Kittiwake again' AND severity = 'serious'"
                ),
                System.Globalization.CultureInfo.InvariantCulture
            )
        );

        using var disabled = await bea.PostAsync(
            "/try/maintenance/defects",
            "/try/maintenance/watch?handler=Run&panel=report&action=Report"
        );
        Assert.Equal(HttpStatusCode.Forbidden, disabled.StatusCode);
        await bea.ViewAsAsync("auditor");
        using var asAuditor = await bea.PostAsync(
            "/try/maintenance/defects",
            "/try/maintenance/watch?vessels.selected=BF-101&handler=Run&panel=report&action=Report"
        );
        Assert.Contains("You may not add defects.", (await Visitor.ParseAsync(asAuditor)).Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_step_that_fails_ends_the_action_and_says_why_in_the_builders_words()
    {
        var bea = await application.AsAsync("bea");
        await AddPageAsync(Watch);
        await bea.AllowChangesAsync("/try/maintenance/defects");
        using var failed = await bea.PostAsync(
            "/try/maintenance/defects",
            "/try/maintenance/watch?vessels.selected=BF-101&handler=Run&panel=fails&action=Fails"
        );
        Assert.Contains(
            "It did not work: Title: Say in a few words what is wrong: eight letters at least.",
            WebUtility.HtmlDecode(await failed.Content.ReadAsStringAsync()),
            StringComparison.Ordinal
        );
        Assert.DoesNotContain("never said", await failed.Content.ReadAsStringAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_draft_is_seen_through_the_eyes_of_a_role()
    {
        var bea = await application.AsAsync("bea");
        await bea.ViewAsAsync("port-agent");
        var page = await bea.PageAsync("/try/timetable/sailings");
        var fewer = page.QuerySelector(".count")!.TextContent;
        Assert.Equal(
            ["Sailings", "Changes", "Calendar", "Vessel plan", "Agreements", "My port"],
            page.QuerySelectorAll(".masthead-pages a").Select(link => link.TextContent.Trim())
        );
        Assert.Equal(HttpStatusCode.Forbidden, await bea.StatusAsync("/try/timetable/routes"));
        await bea.ViewAsAsync("");
        Assert.NotEqual(fewer, (await bea.PageAsync("/try/timetable/sailings")).QuerySelector(".count")!.TextContent);
    }

    [Fact]
    public async Task Edits_and_undos_at_the_same_moment_are_all_answered()
    {
        var bea = await application.AsAsync("bea");
        await AddPageAsync(Watch);
        const string Page = "/build/apps/maintenance/pages/watch";
        await bea.PageAsync(Page);
        for (var turn = 0; turn < 4; turn++)
        {
            var answers = await Task.WhenAll(
                Enumerable
                    .Range(0, 6)
                    .Select(number =>
                        number % 3 == 2
                            ? bea.PostAsync(Page, $"{Page}?handler=Undo&panel=vessels&part=appearance")
                            : bea.PostAsync(
                                Page,
                                $"{Page}?handler=Set&panel=vessels&part=appearance&key=width&regardless=1",
                                ("set.width", $"{3 + (turn + number) % 5}"),
                                ("revision", "0")
                            )
                    )
            );
            Assert.All(answers, answer => Assert.InRange((int)answer.StatusCode, 200, 299));
            foreach (var answer in answers)
            {
                answer.Dispose();
            }
        }
    }

    [Fact]
    public async Task A_draft_is_seen_through_the_eyes_of_a_person_with_what_the_workspace_keeps_of_them()
    {
        var bea = await application.AsAsync("bea");
        await bea.ViewAsAsync("port-agent");
        var page = await bea.PageAsync("/try/timetable/sailings");
        var people = page.QuerySelectorAll("#seen-as optgroup[label=People] option");
        Assert.DoesNotContain("Bea Holm", people.Select(option => option.TextContent));
        var pia = people.Single(option => option.TextContent == "Pia Sund").GetAttribute("value");
        var jon = people.Single(option => option.TextContent == "Jon Ness").GetAttribute("value");
        await bea.ViewAsAsync(pia!);
        Assert.Contains(
            "Good day, Pia Sund.",
            (await bea.PageAsync("/try/timetable/port")).QuerySelector("main")!.TextContent,
            StringComparison.Ordinal
        );
        async Task<string> CountAsync(string? who)
        {
            await bea.ViewAsAsync(who!);
            return (await bea.PageAsync("/try/timetable/sailings")).QuerySelector(".count")!.TextContent;
        }

        Assert.Equal("0 sailings", await CountAsync("port-agent"));
        Assert.NotEqual(await CountAsync(pia), await CountAsync(jon));
        Assert.Equal("Jon Ness", (await bea.PageAsync("/try/timetable/port")).QuerySelector("#seen-as option[selected]")!.TextContent);
        using var nobody = await bea.PostAsync("/view-as", "/view-as", ("who", $"{Guid.NewGuid():N}"));
        Assert.Equal(HttpStatusCode.NotFound, nobody.StatusCode);
    }

    [Fact]
    public async Task People_are_told_of_a_newer_version_and_only_then()
    {
        var bea = await application.AsAsync("bea");
        using var same = await bea.Client.GetAsync("/apps/maintenance/dockings?handler=Version&version=1");
        Assert.Equal(HttpStatusCode.NoContent, same.StatusCode);
        Assert.Contains(
            "There is a newer version of this page.",
            (await bea.PageAsync("/apps/maintenance/dockings?handler=Version&version=0")).Body!.TextContent,
            StringComparison.Ordinal
        );
    }

    [Theory]
    [InlineData("<script>alert(1)</script>", "&lt;script&gt;")]
    [InlineData("[a](javascript:alert(1))", "<a href=\"\">a</a>")]
    [InlineData("[a](https://example.org)", "href=\"https://example.org\"")]
    [InlineData("![a](https://example.org/x.png)", "<a href=\"https://example.org/x.png\">a</a>")]
    [InlineData("<img src=x onerror=alert(1)>", "&lt;img")]
    [InlineData("<style>p{}</style>", "&lt;style&gt;")]
    [InlineData("<javascript:alert(1)>", "javascript:alert(1)")]
    public void Nothing_in_Markdown_runs(string text, string shown)
    {
        using var writer = new StringWriter();
        Markdown.Of(text).WriteTo(writer, System.Text.Encodings.Web.HtmlEncoder.Default);
        Assert.Contains(shown, writer.ToString(), StringComparison.Ordinal);
        Assert.DoesNotContain("href=\"javascript:", writer.ToString(), StringComparison.OrdinalIgnoreCase);
    }

    [Fact]
    public void A_value_means_nothing_in_Markdown()
    {
        using var writer = new StringWriter();
        Markdown
            .Of("Good day, " + Markdown.Escaped("**Bea** <b>_Holm_</b> [x](y)\n# z") + ".")
            .WriteTo(writer, System.Text.Encodings.Web.HtmlEncoder.Default);
        Assert.Equal("<p>Good day, **Bea** &lt;b&gt;_Holm_&lt;/b&gt; [x](y) # z.</p>", writer.ToString().Trim());
    }

    private static Page Watch(Func<string, Dataset> dataset) =>
        new()
        {
            Address = "watch",
            Name = "Watch",
            Audience = ["builder", "auditor"],
            Parameters = [new PageParameter("since", new FieldType.Date())],
            Panels =
            [
                new InputPanel { Name = "words" },
                new TablePanel
                {
                    Name = "vessels",
                    Dataset = dataset("vessels").Id,
                    Columns = [new("name")],
                    OnChoice = RowChoice.Select,
                    Filter = "OR(ISEMPTY(words.value), CONTAINS(name, words.value))",
                },
                new RecordPanel
                {
                    Name = "details",
                    Dataset = dataset("vessels").Id,
                    Record = "vessels.selected",
                    Fields = [new("name")],
                },
                new FigurePanel
                {
                    Name = "total",
                    Dataset = dataset("defects").Id,
                    RelatedTo = "vessels.selected.defects",
                    Measure = Total.Sum,
                    Field = new("estimated_cost"),
                },
                new TextPanel { Name = "text", Text = "Since ${parameters.since}" },
                new ButtonPanel
                {
                    Name = "report",
                    Label = "Report",
                    Enabled = "=NOT(ISEMPTY(vessels.selected))",
                    OnClick = new PanelAction(
                        [
                            new CreateRecord
                            {
                                Name = "made",
                                Dataset = dataset("defects").Id,
                                Values = Map(
                                    ("title", "=\"Look at \" & vessels.selected.name"),
                                    ("vessel", "=vessels.selected"),
                                    ("reported_by", "=user.name"),
                                    ("severity", "minor")
                                ),
                            },
                            new UpdateRecord
                            {
                                Name = "changed",
                                Dataset = dataset("defects").Id,
                                Record = "made",
                                Values = Map(("title", "=made.title & \" again\""), ("severity", "serious")),
                            },
                            new OpenPage { Page = "defects", Parameters = Map(("vessel", "=vessels.selected")) },
                        ],
                        []
                    ),
                },
                new ButtonPanel
                {
                    Name = "fails",
                    Label = "Fails",
                    OnClick = new PanelAction(
                        [
                            new CreateRecord
                            {
                                Dataset = dataset("defects").Id,
                                Values = Map(("title", "No"), ("vessel", "=vessels.selected"), ("reported_by", "x")),
                            },
                            new ShowMessage { Text = "never said" },
                        ],
                        [new ShowMessage { Text = "=\"It did not work: \" & failure.message" }]
                    ),
                },
            ],
        };

    private static ImmutableDictionary<string, string> Map(params (string Field, string Value)[] values) =>
        values.ToImmutableDictionary(value => value.Field, value => value.Value);

    private async Task AddPageAsync(Func<Func<string, Dataset>, Page> make) =>
        await application.InStoreAsync(async store =>
        {
            var datasets = await store.DatasetsAsync(default);
            var stored = await application.DraftAsync("maintenance");
            var page = make(name => datasets.All.Single(dataset => dataset.Name.Value == name));
            Assert.Empty(
                AppProblems
                    .Of(
                        new AppDefinition(
                            "x",
                            [page, stored.Draft.Find("defects")! with { Parameters = [new PageParameter("vessel", new FieldType.Text())] }]
                        ),
                        datasets,
                        null
                    )
                    .Where(problem => problem.Page == page.Address)
            );
            if (
                stored.Draft.Find(page.Address) is null
                && new AppEdit.AddPage(9, page).Apply(stored.Draft, datasets) is EditResult.Done done
            )
            {
                Drafts.Replace(store, stored, done.App);
                await store.SaveChangesAsync();
            }

            return 0;
        });

    private async Task<TablePanel> TableAsync() => (TablePanel)(await application.DraftAsync("timetable")).Draft.Find("ports")!.Panels[0];

    private async Task<HttpResponseMessage> EditAsync(
        Visitor builder,
        string page,
        string handler,
        params (string Name, string Value)[] fields
    )
    {
        var revision = await application.InStoreAsync(store =>
            store.Apps.Where(app => app.Address == "timetable").Select(app => app.Revision).FirstAsync()
        );
        return await builder.PostAsync(
            page,
            $"{page}?handler={handler}",
            [.. fields, ("revision", revision.ToString(System.Globalization.CultureInfo.InvariantCulture))]
        );
    }

    private static async Task<string> PartAsync(Visitor visitor, string address, string from)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, address)
        {
            Headers = { { "HX-Request", "true" }, { "HX-Current-URL", "http://localhost" + from } },
        };
        using var answer = await visitor.Client.SendAsync(request);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        return await answer.Content.ReadAsStringAsync();
    }

    private static IEnumerable<string> Ids(string parts) =>
        new AngleSharp.Html.Parser.HtmlParser().ParseDocument(parts).Body!.Children.Select(part => part.Id).OfType<string>();
}
