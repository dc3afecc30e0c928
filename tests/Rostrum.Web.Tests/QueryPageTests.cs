using System.Collections.Immutable;
using System.Net;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>A query and a join are made on their pages, and stand beside the tables.</summary>
public sealed class QueryPageTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private async Task<(Visitor Bea, string Source)> FleetAsync()
    {
        var bea = await application.AsAsync("bea");
        var link = (await bea.PageAsync("/build")).QuerySelectorAll("[aria-labelledby=sources] th a").First(a => a.TextContent == "Fleet");
        return (bea, link.GetAttribute("href")!);
    }

    [Fact]
    public async Task A_query_is_run_with_sample_values_and_kept()
    {
        var (bea, source) = await FleetAsync();
        var here = $"{source}/queries/new";
        (string, string)[] typed =
        [
            ("Name", "Sailings by route"),
            (
                "Text",
                "SELECT route_code, count(*) AS sailings FROM sailings WHERE departs >= ${since} GROUP BY route_code ORDER BY route_code;"
            ),
        ];
        using var first = await bea.PostAsync(here, here + "?handler=Run", typed);
        var found = await Visitor.ParseAsync(first);
        Assert.Equal("since", found.QuerySelector("[name='parameter.0']")!.GetAttribute("value"));
        (string, string)[] given =
        [
            .. typed,
            ("parameter.0", "since"),
            ("type.0", "date"),
            ("default.0", "=DATE(2020, 1, 1)"),
            ("sample.0", "01 Jan 2020"),
        ];
        using var run = await bea.PostAsync(here, here + "?handler=Run", given);
        var answer = await Visitor.ParseAsync(run);
        Assert.Null(answer.QuerySelector("#result .alert"));
        Assert.Equal(
            ["route_code", "sailings"],
            answer.QuerySelectorAll("#result thead th input").Select(box => box.GetAttribute("value"))
        );
        Assert.Contains("$1", answer.QuerySelector("#result pre")!.TextContent, StringComparison.Ordinal);
        Assert.DoesNotContain("2020", answer.QuerySelector("#result pre")!.TextContent, StringComparison.Ordinal);
        Assert.Contains("2020", answer.QuerySelector("#result")!.TextContent, StringComparison.Ordinal);

        using var saved = await bea.PostAsync(here, here, [.. given, ("key", "route_code")]);
        var address = saved.Headers.Location!.ToString();
        var dataset = await bea.PageAsync(address);
        Assert.Contains("These are the rows of a query", dataset.Body!.TextContent, StringComparison.Ordinal);
        Assert.Contains("R01", dataset.Body!.TextContent, StringComparison.Ordinal);
        using var twice = await bea.PostAsync(here, here, given);
        Assert.Contains(
            "There is “Sailings by route” already.",
            (await Visitor.ParseAsync(twice)).Body!.TextContent,
            StringComparison.Ordinal
        );

        using var wrong = await bea.PostAsync(here, here + "?handler=Run", ("Text", "SELECT nothing FROM sailings"));
        Assert.Contains(
            "The database says: column \"nothing\" does not exist",
            (await Visitor.ParseAsync(wrong)).Body!.TextContent,
            StringComparison.Ordinal
        );
        using var changing = await bea.PostAsync(here, here + "?handler=Run", ("Text", "DELETE FROM sailings"));
        Assert.Contains(
            "A query begins with SELECT or WITH.",
            (await Visitor.ParseAsync(changing)).Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal(HttpStatusCode.OK, await bea.StatusAsync($"{source}/structure"));
        using var refreshed = await bea.PostAsync($"{source}/structure", $"{source}/structure");
        Assert.Equal(HttpStatusCode.OK, await bea.StatusAsync(address));
    }

    [Fact]
    public async Task A_figure_over_a_query_gives_its_parameters_values()
    {
        const string Page = "/build/apps/timetable/pages/ports";
        var (bea, source) = await FleetAsync();
        var here = $"{source}/queries/new";
        using var saved = await bea.PostAsync(
            here,
            here,
            ("Name", "Sailings since"),
            ("Text", "SELECT route_code, count(*) AS sailings FROM sailings WHERE departs >= ${since} GROUP BY route_code"),
            ("parameter.0", "since"),
            ("type.0", "date"),
            ("default.0", "=DATE(2020, 1, 1)"),
            ("sample.0", "01 Jan 2020")
        );
        var table = saved.Headers.Location!.ToString();
        var dataset = table.Split('/')[^1];
        using var granted = await bea.GrantAsync(
            $"{table}/access?role=builder",
            ("verb.View", "on"),
            ("reads.as", "formula"),
            ("reads.formula", "")
        );
        Task<HttpResponseMessage> EditAsync(string handler, params (string, string)[] fields) =>
            bea.PostAsync(Page, $"{Page}?handler={handler}&revision=1000000", fields);
        using var added = await EditAsync($"Add&kind=figurePanel&dataset={dataset}");
        var name = (await application.DraftAsync("timetable")).Draft.Find("ports")!.All.OfType<FigurePanel>().Single().Name;
        using var measure = await EditAsync($"Set&panel={name}&key=measure", ("set.measure", "sum"));
        using var field = await EditAsync($"Set&panel={name}&key=field", ("set.field", "sailings"));
        Assert.Matches("^[1-9][0-9,]+\\s", await FigureAsync());

        using var later = await EditAsync(
            $"Set&panel={name}&key=parameters",
            ("parameters.0.field", "since"),
            ("parameters.0.text", "=DATE(2090, 1, 1)")
        );
        Assert.StartsWith("–", await FigureAsync(), StringComparison.Ordinal);
        var dock = await bea.PageAsync($"{Page}?panel={name}");
        Assert.Equal("since", dock.QuerySelector("[name='parameters.0.field'] option[selected]")!.GetAttribute("value"));

        async Task<string> FigureAsync() =>
            (await bea.PageAsync("/try/timetable/ports")).QuerySelector($"#panel-{name}")!.TextContent.Trim();
    }

    [Fact]
    public async Task A_join_proposes_its_fields_and_is_kept()
    {
        var (bea, source) = await FleetAsync();
        var here = $"{source}/joins/new";
        var options = (await bea.PageAsync(here))
            .QuerySelectorAll("#left option")
            .ToDictionary(option => option.TextContent, option => option.GetAttribute("value")!);
        var form = await bea.PageAsync($"{here}?left={options["Defects"]}&right={options["Vessels"]}");
        Assert.Equal("vessel", form.QuerySelector("[name='pair.0.left'] option[selected]")!.GetAttribute("value"));
        Assert.Equal("hull_number", form.QuerySelector("[name='pair.0.right'] option[selected]")!.GetAttribute("value"));
        (string, string)[] typed =
        [
            ("Name", "Defects with vessels"),
            ("Left", options["Defects"]),
            ("Right", options["Vessels"]),
            ("Kind", "matching"),
            ("pair.0.left", "vessel"),
            ("pair.0.right", "hull_number"),
            ("field", "left.id"),
            ("field", "left.title"),
            ("field", "right.name"),
            ("field", "right.class"),
        ];
        using var tried = await bea.PostAsync(here, here, [.. typed, ("try", "yes")]);
        var preview = await Visitor.ParseAsync(tried);
        Assert.Contains("joined by the database", preview.Body!.TextContent, StringComparison.Ordinal);
        Assert.Contains("Kittiwake", preview.Body!.TextContent, StringComparison.Ordinal);
        using var saved = await bea.PostAsync(here, here, typed);
        Assert.Contains("Kittiwake", (await bea.PageAsync(saved.Headers.Location!.ToString())).Body!.TextContent, StringComparison.Ordinal);
        using var nothing = await bea.PostAsync(here, here, [.. typed.Where(pair => pair.Item1 != "field")]);
        Assert.Contains("Tick the fields to show.", (await Visitor.ParseAsync(nothing)).Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_cost_of_a_panel_names_its_statements_and_values()
    {
        var bea = await application.AsAsync("bea");
        var page = await bea.PageAsync("/build/apps/maintenance/pages/defects?panel=defects&part=cost");
        var cost = page.QuerySelector(".cost")!;
        Assert.Contains("Fleet ·", cost.TextContent, StringComparison.Ordinal);
        Assert.Contains(cost.QuerySelectorAll("pre"), text => text.TextContent.Contains("SELECT", StringComparison.Ordinal));
        var live = await (await application.AsAsync("maren")).PageAsync("/apps/maintenance/defects");
        Assert.DoesNotContain("SELECT ", live.DocumentElement.OuterHtml, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_panel_that_is_slow_stands_among_the_problems_of_its_page()
    {
        var (bea, source) = await FleetAsync();
        (string, string)[] typed = [("Name", "Slow ports"), ("Text", "SELECT code, name FROM ports, pg_sleep(0.4) ORDER BY code")];
        using (var run = await bea.PostAsync($"{source}/queries/new", $"{source}/queries/new?handler=Run", typed)) { }
        using (var saved = await bea.PostAsync($"{source}/queries/new", $"{source}/queries/new", [.. typed, ("key", "code")])) { }
        await application.InStoreAsync(async store =>
        {
            var datasets = await store.DatasetsAsync(default);
            var slow = datasets.All.Single(dataset => dataset.Label == "Slow ports");
            store.Policies.Add(
                new StoredPolicy
                {
                    Role = "builder",
                    DatasetId = slow.Id.Value,
                    Verbs = Verbs.View,
                }
            );
            var page = new Page
            {
                Address = "slow",
                Name = "Slow",
                Panels =
                [
                    new TablePanel
                    {
                        Name = "crawling",
                        Dataset = slow.Id,
                        Columns = [new("code"), new("name")],
                    },
                ],
            };
            var stored = await application.DraftAsync("timetable");
            Drafts.Replace(store, stored, Assert.IsType<EditResult.Done>(new AppEdit.AddPage(0, page).Apply(stored.Draft, datasets)).App);
            return await store.SaveChangesAsync();
        });

        const string Here = "/build/apps/timetable/pages/slow?part=problems";
        var problems = (await bea.PageAsync(Here)).QuerySelector(".problems")!;
        var asked = problems.QuerySelector("[hx-get*='handler=Slow']")!.GetAttribute("hx-get")!;
        var said = (await bea.PageAsync(asked)).QuerySelector("li")!;
        Assert.Contains("The slowest question is slow in its source", said.TextContent, StringComparison.Ordinal);
        Assert.Contains("Slow · crawling", said.TextContent, StringComparison.Ordinal);
        var cost = await bea.PageAsync(said.QuerySelector("a")!.GetAttribute("href")!);
        Assert.Contains("pg_sleep", cost.QuerySelector(".cost pre")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_statement_is_checked_kept_and_run_by_a_button_with_the_rows_that_it_changed()
    {
        const string Page = "/build/apps/timetable/pages/ports";
        var (bea, source) = await FleetAsync();
        var here = $"{source}/queries/new?changes=yes";
        (string, string)[] typed =
        [
            ("Name", "Add berths"),
            ("Text", "UPDATE ports SET berths = berths + ${more} WHERE code = ${code}"),
            ("parameter.0", "more"),
            ("type.0", "integer"),
            ("default.0", "1"),
            ("sample.0", "2"),
            ("parameter.1", "code"),
            ("type.1", "text"),
            ("sample.1", "none"),
        ];
        using var refused = await bea.PostAsync(here, here + "&handler=Run", ("Text", "DELETE FROM ports"));
        Assert.Contains("It has no WHERE", (await Visitor.ParseAsync(refused)).Body!.TextContent, StringComparison.Ordinal);
        using var tried = await bea.PostAsync(here, here + "&handler=Run", [.. typed, ("roll-back", "on")]);
        Assert.Contains(
            "0 rows changed, and rolled back.",
            (await Visitor.ParseAsync(tried)).QuerySelector("#result")!.TextContent,
            StringComparison.Ordinal
        );
        using var saved = await bea.PostAsync(here, here, typed);
        var access = saved.Headers.Location!.ToString();
        var statement = access.Split('/')[^2];
        var rights = await bea.PageAsync($"{access}?role=builder");
        Assert.Equal(["verb.Update"], rights.QuerySelectorAll("#policy [name^='verb.']").Select(box => box.GetAttribute("name")));

        Task<HttpResponseMessage> EditAsync(string handler, params (string, string)[] fields) =>
            bea.PostAsync(Page, $"{Page}?handler={handler}&revision=1000000", fields);
        using var added = await EditAsync("Add&kind=buttonPanel");
        var button = (await application.DraftAsync("timetable")).Draft.Find("ports")!.All.OfType<ButtonPanel>().Last().Name;
        var steps = new Core.Apps.Actions.PanelAction(
            [
                new Core.Apps.Actions.RunStatement
                {
                    Name = "rows",
                    Dataset = new Core.Datasets.DatasetId(Guid.Parse(statement)),
                    Values = new Dictionary<string, string> { ["code"] = "=\"no \" & \"port\"" }.ToImmutableDictionary(),
                },
                new Core.Apps.Actions.ShowMessage { Text = "=\"Berths at \" & rows & \" ports.\"" },
            ],
            []
        );
        using var set = await EditAsync($"Set&panel={button}&key=onClick", ("set.onClick", steps.ToText()));
        var draft = (await application.DraftAsync("timetable")).Draft.Find("ports")!.All.OfType<ButtonPanel>().Last();
        Assert.Equal(2, draft.OnClick.Steps.Length);

        const string Try = "/try/timetable/ports";
        await bea.AllowChangesAsync(Try);
        async Task<string> PressAsync()
        {
            using var pressed = await bea.PostAsync(Try, $"{Try}?handler=Run&panel={button}&action={draft.Label}");
            return (await Visitor.ParseAsync(pressed)).Body!.TextContent;
        }

        Assert.Contains("You may not run “Add berths”.", await PressAsync(), StringComparison.Ordinal);
        using var granted = await bea.GrantAsync($"{access}?role=builder", ("verb.Update", "on"));
        Assert.Contains("Berths at 0 ports.", await PressAsync(), StringComparison.Ordinal);
        var audit = await (await application.AsAsync("oskar")).PageAsync("/people/audit?kind=Statements&q=Add+berths");
        Assert.Contains("Ran the statement: 0 rows changed.", audit.Body!.TextContent, StringComparison.Ordinal);
    }
}
