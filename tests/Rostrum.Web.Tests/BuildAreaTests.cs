using System.Net;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

public sealed class BuildAreaTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private async Task<string> TableAsync(string name)
    {
        var dataset = (await application.InStoreAsync(store => store.Datasets.ToListAsync())).Single(row =>
            row.Definition.Name.Value == name
        );
        return $"/build/sources/{dataset.SourceId:N}/{dataset.Id:N}";
    }

    private static (string, string)[] Filled(IDocument page, string form) =>
        [
            .. page.QuerySelectorAll($"#{form} input[name]:not([name^=__]), #{form} textarea[name]")
                .Where(input => input.GetAttribute("type") != "checkbox" || input.HasAttribute("checked"))
                .Select(input =>
                    (
                        input.GetAttribute("name")!,
                        input is AngleSharp.Html.Dom.IHtmlTextAreaElement area
                            ? area.Value
                            : input.GetAttribute("value") ?? (input.GetAttribute("type") == "checkbox" ? "on" : "")
                    )
                ),
            .. page.QuerySelectorAll($"#{form} select[name]")
                .SelectMany(select =>
                    select
                        .QuerySelectorAll("option[selected]")
                        .DefaultIfEmpty(select.QuerySelector("option"))
                        .Select(option => (select.GetAttribute("name")!, option!.GetAttribute("value") ?? ""))
                ),
        ];

    // A form as it stands, with some of its values changed; a null takes a value away.
    private static async Task<HttpResponseMessage> SendAsync(
        Visitor visitor,
        string page,
        string form,
        string address,
        params (string Name, string? Value)[] changed
    )
    {
        var names = changed.Select(pair => pair.Name).ToHashSet();
        (string, string)[] fields =
        [
            .. Filled(await visitor.PageAsync(page), form).Where(field => !names.Contains(field.Item1)),
            .. changed.Where(pair => pair.Value is not null).Select(pair => (pair.Name, pair.Value!)),
        ];
        return await visitor.PostAsync(page, address, fields);
    }

    private static async Task<IDocument> SeenAsync(Task<HttpResponseMessage> answer)
    {
        using var message = await answer;
        return await Visitor.ParseAsync(message);
    }

    private Task<Dataset> DatasetAsync(string name) =>
        application.InStoreAsync(async store =>
            (await store.Datasets.AsNoTracking().ToListAsync()).Select(row => row.Definition).First(dataset => dataset.Name.Value == name)
        );

    [Fact]
    public async Task A_connection_form_with_gaps_says_what_is_missing_and_keeps_the_rest()
    {
        var bea = await application.AsAsync("bea");
        var page = await Visitor.ParseAsync(
            await bea.PostAsync(
                "/build/sources/new",
                "/build/sources/new",
                ("Name", "Ledger"),
                ("Port", "99999"),
                ("Host", ""),
                ("Database", "books"),
                ("UserName", "")
            )
        );
        var said = page.QuerySelector("#outcome")!.TextContent;
        Assert.All(
            new[] { "A port lies between 1 and 65535.", "Write the name or address of the machine.", "Write the user who connects." },
            message => Assert.Contains(message, said, StringComparison.Ordinal)
        );
        Assert.Equal("books", page.QuerySelector("#Database")!.GetAttribute("value"));
    }

    [Fact]
    public async Task Two_sources_cannot_have_one_name()
    {
        var fleet = new Npgsql.NpgsqlConnectionStringBuilder(application.FleetConnection);
        var bea = await application.AsAsync("bea");
        var page = await Visitor.ParseAsync(
            await bea.PostAsync(
                "/build/sources/new",
                "/build/sources/new",
                ("Name", "Fleet"),
                ("Host", fleet.Host!),
                ("Port", $"{fleet.Port}"),
                ("Database", fleet.Database!),
                ("UserName", fleet.Username!),
                ("Password", fleet.Password!)
            )
        );
        Assert.Contains("There is a source named “Fleet” already.", page.QuerySelector("#outcome")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_relation_is_shown_with_the_record_to_which_most_lead()
    {
        var most = await application.FleetScalarAsync(
            "SELECT v.name || ' has ' || count(*) FROM defects d JOIN vessels v ON v.hull_number = d.vessel GROUP BY v.name "
                + "ORDER BY count(*) DESC, v.name LIMIT 1"
        );
        var bea = await application.AsAsync("bea");
        foreach (var table in new[] { "defects", "vessels" })
        {
            Assert.Contains(
                $"{most}, for example.",
                (await bea.PageAsync(await TableAsync(table) + "/relations")).Body!.TextContent,
                StringComparison.Ordinal
            );
        }
    }

    [Fact]
    public async Task A_table_shows_its_rows_what_was_guessed_and_why()
    {
        var bea = await application.AsAsync("bea");
        var routes = await TableAsync("routes");
        Assert.Contains("No field is called a name", (await bea.PageAsync(routes + "/names")).Body!.TextContent, StringComparison.Ordinal);
        var relations = await bea.PageAsync(routes + "/relations");
        Assert.Equal(3, relations.QuerySelectorAll("[name^='one.']").Length);
        Assert.Contains("Each route has one destination port: a port.", relations.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal(
            ["Origin port", "Destination port", "Relief port"],
            relations.QuerySelectorAll(".diagram text:not(.box)").Select(text => text.TextContent).TakeLast(3)
        );
        var page = await bea.PageAsync(routes + "?field=minutes");
        Assert.Equal(12, page.QuerySelectorAll(".sample tbody tr").Length);
        Assert.Equal("Planned crossing time in minutes", page.QuerySelector("#description")!.TextContent);
    }

    [Fact]
    public async Task A_correction_shows_in_the_drafts_next_request_and_in_the_live_app_only_after_publishing()
    {
        var bea = await application.AsAsync("bea");
        var table = await TableAsync("ports");
        using var named = await SendAsync(bea, table + "/names", "names", table + "/names", ("title", "code"));
        using var both = await bea.PostAsync(
            table + "/names",
            table + "/names",
            ("label", "Ports"),
            ("record", "port"),
            ("title", "code"),
            ("title", "island")
        );
        Assert.Equal(HttpStatusCode.Redirect, both.StatusCode);

        var routes = "/timetable/routes?q=R01";
        Assert.Contains(
            "BRW · Main island",
            (await bea.PageAsync("/try" + routes)).QuerySelector("tbody tr")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.DoesNotContain(
            "Main island",
            (await bea.PageAsync("/apps" + routes)).QuerySelector("tbody tr")!.TextContent,
            StringComparison.Ordinal
        );
        var app = await bea.PageAsync("/build/apps/timetable");
        Assert.Contains("Draft, changed since version 1", app.Body!.TextContent, StringComparison.Ordinal);

        using var published = await bea.PublishAsync("/build/apps/timetable/versions", "Harbours by their code");
        Assert.Contains(
            "BRW · Main island",
            (await bea.PageAsync("/apps" + routes)).QuerySelector("tbody tr")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal(
            [1, 2],
            await application.InStoreAsync(store =>
                store
                    .Versions.Where(version =>
                        version.Note != "" && store.Apps.Any(row => row.Id == version.AppId && row.Address == "timetable")
                    )
                    .Select(version => version.Number)
                    .Order()
                    .ToListAsync()
            )
        );
    }

    [Fact]
    public async Task A_label_cannot_be_blank_and_a_title_needs_a_part()
    {
        var bea = await application.AsAsync("bea");
        var table = await TableAsync("vessels");
        var blank = await SeenAsync(
            SendAsync(bea, table + "?field=name", "settings", table + "?handler=Field&field=name", ("label", " "), ("description", "kept"))
        );
        Assert.Contains("A label cannot be blank.", blank.QuerySelector(".alert-danger")!.TextContent, StringComparison.Ordinal);
        Assert.Equal("kept", blank.QuerySelector("#description")!.TextContent);
        var untitled = await SeenAsync(SendAsync(bea, table + "/names", "names", table + "/names", ("title", null)));
        Assert.Contains("Choose at least one part of the title.", untitled.Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_demand_that_records_break_already_is_counted_before_it_is_saved_and_can_leave_them_alone()
    {
        var bea = await application.AsAsync("bea");
        var table = await TableAsync("defects");
        Task<HttpResponseMessage> Demand(params (string, string?)[] more) =>
            SendAsync(
                bea,
                table + "?field=actual_cost",
                "settings",
                table + "?handler=Field&field=actual_cost",
                [("required", "on"), .. more]
            );
        var blank = int.Parse(
            await application.FleetScalarAsync("SELECT count(*) FROM defects WHERE actual_cost IS NULL"),
            System.Globalization.CultureInfo.InvariantCulture
        );
        var asked = await SeenAsync(Demand());
        Assert.Contains(
            $"{blank.ToString("#,##0", System.Globalization.CultureInfo.InvariantCulture)} defects break",
            asked.QuerySelector("fieldset[role=alert]")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.True(asked.QuerySelector("[name=required]")!.HasAttribute("checked"));
        Assert.DoesNotContain((await DatasetAsync("defects")).Rules, rule =>
            rule.Name.StartsWith("actual_cost_given", StringComparison.Ordinal)
        );

        using var kept = await Demand(("existing", "changed"));
        Assert.Equal(HttpStatusCode.Redirect, kept.StatusCode);
        var rule = Assert.Single((await DatasetAsync("defects")).Rules, rule =>
            rule.Name.StartsWith("actual_cost_given", StringComparison.Ordinal)
        );
        Assert.True(rule.OnlyOnChange);

        // The draft's datasets hold in a preview: a record that is blank there is saved as long as that is not touched.
        await bea.AllowChangesAsync("/try/maintenance/defects");
        var id = await application.FleetScalarAsync("SELECT min(id) FROM defects WHERE actual_cost IS NULL AND state = 'open'");
        var open = await bea.PageAsync($"/try/maintenance/defects?defects.selected={id}");
        using var untouched = await bea.SubmitAsync(open, "Save", ("v.title", "Bow door sticks in the cold"));
        Assert.Equal("Bow door sticks in the cold", await application.FleetScalarAsync($"SELECT title FROM defects WHERE id = {id}"));
        var full = await application.FleetScalarAsync("SELECT min(id) FROM defects WHERE actual_cost IS NOT NULL");
        var emptied = await Visitor.ParseAsync(
            await bea.SubmitAsync(await bea.PageAsync($"/try/maintenance/defects?defects.selected={full}"), "Save", ("v.actual_cost", ""))
        );
        Assert.NotNull(emptied.QuerySelector("#field-actual_cost-problem .problem"));
    }

    [Fact]
    public async Task A_fields_settings_hold_in_lists_forms_and_new_records_at_the_next_request()
    {
        var bea = await application.AsAsync("bea");
        var table = await TableAsync("dockings");
        Task<HttpResponseMessage> Set(string field, params (string, string?)[] changed) =>
            SendAsync(bea, $"{table}?field={field}", "settings", $"{table}?handler=Field&field={field}", changed);
        using var yard = await Set(
            "yard",
            ("label", "Yard & <b>slip</b>"),
            ("kind", "choice"),
            ("listed", "Torvik Slip\nNess Dock"),
            ("format", ""),
            ("default", "Ness Dock")
        );
        Assert.Equal(HttpStatusCode.Redirect, yard.StatusCode);
        using var spent = await Set("spent", ("currency", "NOK"), ("maximum", "900000"), ("default", "0"));
        using var start = await Set("planned_start", ("default", "=TODAY() + 3"));

        var form = await bea.PageAsync("/try/maintenance/dockings?dockings.new=1");
        Assert.Equal(["", "Torvik Slip", "Ness Dock"], form.QuerySelectorAll("#field-yard option").Select(option => option.TextContent));
        Assert.Equal("Yard & <b>slip</b>", form.QuerySelector("#field-yard-label")!.ChildNodes[0].TextContent);
        Assert.Equal("Ness Dock", form.QuerySelector("#field-yard option[selected]")!.TextContent);
        Assert.Equal(
            await application.FleetScalarAsync("SELECT to_char((now() AT TIME ZONE 'UTC')::date + 3, 'DD Mon YYYY')"),
            form.QuerySelector("#field-planned_start")!.GetAttribute("value")
        );
        Assert.Contains((await bea.PageAsync(table)).QuerySelectorAll("td"), cell =>
            cell.TextContent.StartsWith("NOK\u00a0", StringComparison.Ordinal)
        );
        Assert.Equal(
            ["within_budget", "spent_maximum"],
            (await DatasetAsync("dockings")).Rules.Select(rule => rule.Name).Where(name => name != "ends_after_start")
        );

        Assert.Contains(
            "“soon” is no number.",
            (await SeenAsync(Set("spent", ("minimum", "soon")))).QuerySelector(".alert-danger")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "“EURO” is no currency.",
            (await SeenAsync(Set("spent", ("currency", "EURO")))).QuerySelector(".alert-danger")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "The default does not fit: Unknown name “usr”. Did you mean “user”?",
            (await SeenAsync(Set("yard", ("default", "=usr.name")))).QuerySelector(".alert-danger")!.TextContent,
            StringComparison.Ordinal
        );
        using var now = await bea.PostAsync(
            $"{table}?field=yard",
            $"{table}?handler=Default&field=yard",
            ("label", "x"),
            ("default", "=user.name")
        );
        Assert.Contains("“Bea Holm” is not one of the choices.", await now.Content.ReadAsStringAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_field_is_moved_and_a_computed_title_names_records()
    {
        var bea = await application.AsAsync("bea");
        var table = await TableAsync("fuel_logs");
        var before = (await DatasetAsync("fuel_logs")).Fields.Select(field => field.Name.Value).ToArray();
        using var moved = await bea.PostAsync($"{table}?field={before[2]}", $"{table}?handler=Move&field={before[2]}&by=-1");
        Assert.Equal([before[0], before[2], before[1]], (await DatasetAsync("fuel_logs")).Fields.Take(3).Select(field => field.Name.Value));
        using var computed = await bea.PostAsync(
            $"{table}/computed",
            $"{table}/computed",
            ("Label", "Called"),
            ("Formula", "vessel.name & \", \" & litres & \" l\""),
            ("Decimals", "")
        );
        using var title = await SendAsync(bea, table + "/names", "names", table + "/names", ("title", "called"));
        Assert.Matches(@"^\w[\w ]+, [\d.]+ l$", (await bea.PageAsync(table + "/names")).QuerySelector(".titles li")!.TextContent);
    }

    [Fact]
    public async Task A_rule_is_made_of_picked_conditions_seen_as_a_formula_and_back()
    {
        var bea = await application.AsAsync("bea");
        var rule = await TableAsync("timetable_changes") + "/rules/new";
        (string, string)[] picked =
        [
            ("At", "valid_until"),
            ("Kind", "holds"),
            ("Warns", "false"),
            ("Message", ""),
            ("must.as", "picked"),
            ("must.row", "any"),
            ("must.row", "test"),
            ("must.row", "test"),
            ("must.row", "end"),
            ("must.name", "valid_until"),
            ("must.question", "AtMost"),
            ("must.with", "today"),
            ("must.value", "400"),
            ("must.name", "state"),
            ("must.question", "IsOneOf"),
            ("must.with", "value"),
            ("must.value", ""),
            ("must.several.1", "asked"),
            ("must.several.1", "refused"),
            ("when.as", "picked"),
            ("when.row", "all"),
            ("when.row", "test"),
            ("when.row", "end"),
            ("when.name", ""),
            ("when.question", "Is"),
            ("when.with", ""),
            ("when.value", ""),
        ];
        Task<IDocument> Edit(params (string, string)[] more) => SeenAsync(bea.PostAsync(rule, rule + "?handler=Edit", more));
        const string formula = "OR(valid_until <= TODAY() + 400, OR(state = \"asked\", state = \"refused\"))";
        var written = await Edit([.. picked, ("do", "must:write:")]);
        Assert.Equal(formula, written.QuerySelector("[name='must.formula']")!.TextContent.Trim());
        (string, string)[] asFormula =
        [
            ("At", "valid_until"),
            ("Kind", "holds"),
            ("Warns", "false"),
            ("Message", "Not so far."),
            ("must.as", "formula"),
            ("must.formula", formula),
            .. picked[^8..],
        ];
        var again = await Edit([.. asFormula, ("do", "must:pick:")]);
        Assert.Equal(
            ["valid_until", "state"],
            again.QuerySelectorAll("[name='must.name'] option[selected]").Select(option => option.GetAttribute("value"))
        );
        Assert.Equal(
            ["asked", "refused"],
            again.QuerySelectorAll("[name='must.several.1'][checked]").Select(box => box.GetAttribute("value"))
        );
        var more = await Edit([.. picked, ("do", "must:test:0")]);
        Assert.Equal(3, more.QuerySelectorAll("[name='must.name']").Length);
        var stays = await Edit([
            .. asFormula.Where(field => field.Item1 != "must.formula"),
            ("must.formula", "valid_until + 1 > valid_from"),
            ("do", "must:pick:"),
        ]);
        Assert.Contains("This formula says more than the lists offer", stays.Body!.TextContent, StringComparison.Ordinal);

        Assert.Contains(
            "Enter a message.",
            (await SeenAsync(bea.PostAsync(rule, rule, picked))).QuerySelector(".alert-danger")!.TextContent,
            StringComparison.Ordinal
        );
        var impossible = await Edit([
            .. asFormula.Where(field => field.Item1 != "must.formula"),
            ("must.formula", "AND(valid_until > valid_from, valid_until < valid_from)"),
        ]);
        Assert.Contains(
            "No record can ever keep this rule",
            impossible.QuerySelector(".alert-warning")!.TextContent,
            StringComparison.Ordinal
        );
        var wrong = await SeenAsync(
            bea.PostAsync(
                rule,
                rule,
                [.. asFormula.Where(field => field.Item1 != "must.formula"), ("must.formula", "valid_untill > TODAY()")]
            )
        );
        Assert.Contains("Did you mean “valid_until”?", wrong.QuerySelector(".alert-danger")!.TextContent, StringComparison.Ordinal);
        Assert.Equal("valid_untill > TODAY()", wrong.QuerySelector("[name='must.formula']")!.TextContent.Trim());
        using var saved = await bea.PostAsync(rule, rule, asFormula);
        var rules = await bea.PageAsync(await TableAsync("timetable_changes") + "/rules");
        Assert.Contains(
            "Valid until is on or before 400 days after today or state is “asked” or “refused”.",
            string.Join(' ', rules.Body!.TextContent.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries)),
            StringComparison.Ordinal
        );
        Assert.Equal(formula, ((await DatasetAsync("timetable_changes")).Rules[^1] as Core.Datasets.Rules.Rule.Holds)!.Must);
    }

    [Fact]
    public async Task Relations_are_added_corrected_and_removed_and_lost_records_are_shown()
    {
        await application.FleetAsync("UPDATE fuel_logs SET port = 'XXX' WHERE id IN (SELECT id FROM fuel_logs LIMIT 3)");
        var bea = await application.AsAsync("bea");
        var table = await TableAsync("fuel_logs");
        var page = await bea.PageAsync(table + "/relations");
        Assert.Contains(
            "The data does not match: 3 fuel logs refer to port that is not there.",
            page.QuerySelector(".warning")!.TextContent,
            StringComparison.Ordinal
        );
        var lost = await bea.PageAsync(new Uri(new Uri("http://x"), page.QuerySelector(".warning a")!.GetAttribute("href")!).PathAndQuery);
        Assert.Equal(3, lost.QuerySelectorAll(".sample tbody tr").Length);
        await application.FleetAsync("UPDATE fuel_logs SET port = 'BRW' WHERE port = 'XXX'");

        using var removed = await bea.PostAsync(table + "/relations", table + "/relations?handler=Remove&name=port");
        Assert.Equal(["vessel"], (await DatasetAsync("fuel_logs")).Relations.Select(relation => relation.Name.Value));
        var ports = (await DatasetAsync("ports")).Id;
        Assert.Contains(
            "Choose a field of this table",
            (await SeenAsync(bea.PostAsync(table + "/relations", table + "/relations?handler=Add", ("Field", "port"), ("End", "nowhere"))))
                .QuerySelector(".alert-danger")!
                .TextContent,
            StringComparison.Ordinal
        );
        using var added = await bea.PostAsync(
            table + "/relations",
            table + "/relations?handler=Add",
            ("Field", "port"),
            ("End", $"{ports}.code"),
            ("OneLabel", "Bunkered at"),
            ("ManyLabel", "Bunkerings")
        );
        using var renamed = await SendAsync(bea, table + "/relations", "names", table + "/relations", ("many.bunkered_at", "Fuel taken"));
        var relation = (await DatasetAsync("fuel_logs")).Relations[^1];
        Assert.Equal(
            ("bunkered_at", "Bunkered at", "bunkerings", "Fuel taken"),
            (relation.Name.Value, relation.Label, relation.InverseName.Value, relation.InverseLabel)
        );
        Assert.Contains(
            "many fuel taken: fuel logs whose bunkered at it is",
            (await bea.PageAsync(await TableAsync("ports") + "/relations")).Body!.TextContent,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task That_no_two_have_the_same_one_is_held_against_the_data_and_those_that_do_are_shown()
    {
        var bea = await application.AsAsync("bea");
        var table = await TableAsync("dockings");
        using var alone = await SendAsync(bea, table + "/relations", "names", table + "/relations", ("alone.vessel", "yes"));
        var page = await bea.PageAsync(table + "/relations");
        Assert.Contains("No two dockings have the same one.", page.Body!.TextContent, StringComparison.Ordinal);
        var warning = page.QuerySelector(".warning")!;
        Assert.Matches("The data does not match: [1-9][0-9,]* dockings have one that another has as well", warning.TextContent);
        var alike = await bea.PageAsync(new Uri(new Uri("http://x"), warning.QuerySelector("a")!.GetAttribute("href")!).PathAndQuery);
        Assert.Contains(
            "Dockings whose vessel another one has as well.",
            alike.QuerySelector(".alert-warning")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.NotEmpty(alike.QuerySelectorAll(".sample tbody tr"));
        var link = (await bea.PageAsync(table + "/rules")).QuerySelector("a[href*='breaking.vessel_unique']")!;
        var breaking = await bea.PageAsync(new Uri(new Uri("http://x"), link.GetAttribute("href")!).PathAndQuery);
        Assert.Equal(alike.QuerySelectorAll(".sample tbody tr").Length, breaking.QuerySelectorAll(".sample tbody tr").Length);
        using var not = await bea.PostAsync(table + "/relations", table + "/relations", ("one.vessel", "Vessel"));
        Assert.Empty((await bea.PageAsync(table + "/relations")).QuerySelectorAll(".warning"));
    }

    [Fact]
    public async Task Many_are_linked_with_many_by_way_of_a_table_that_links_each_two_once()
    {
        await application.FleetAsync(
            "CREATE TABLE calls (id int PRIMARY KEY, port char(3) REFERENCES ports, vessel varchar(8) REFERENCES vessels, "
                + "UNIQUE (vessel, port))"
        );
        var bea = await application.AsAsync("bea");
        var root = (await TableAsync("ports"))[..^33];
        var structure = await bea.PageAsync(root + "/structure");
        using var accepted = await bea.PostAsync(
            root + "/structure",
            root + "/structure",
            ("digest", structure.QuerySelector("[name=digest]")!.GetAttribute("value")!)
        );
        var table = await TableAsync("ports");
        var way = (await bea.PageAsync(table + "/relations")).QuerySelector("#Way option")!;
        Assert.Equal("Vessels (vessel), by way of calls", way.TextContent);
        using var linked = await bea.PostAsync(
            table + "/relations",
            table + "/relations?handler=Link",
            ("Way", way.GetAttribute("value")!),
            ("ManyLabel", "Vessels that call")
        );
        Assert.Equal("calls.vessel", Assert.Single((await DatasetAsync("ports")).Linked).Formula);
        Assert.Contains(
            "Each port has several vessels that call, and the other way round: vessels",
            (await bea.PageAsync(table + "/relations")).Body!.TextContent,
            StringComparison.Ordinal
        );
        using var removed = await bea.PostAsync(table + "/relations", table + "/relations?handler=Unlink&name=vessels_that_call");
        Assert.Empty((await DatasetAsync("ports")).Linked);
        await application.FleetAsync("DROP TABLE calls");
        var gone = await bea.PageAsync(root + "/structure");
        using var back = await bea.PostAsync(
            root + "/structure",
            root + "/structure",
            ("digest", gone.QuerySelector("[name=digest]")!.GetAttribute("value")!)
        );
    }

    [Fact]
    public async Task The_structure_is_read_again_and_what_it_breaks_is_said_before_it_is_accepted()
    {
        await application.FleetAsync(
            "CREATE TABLE spares (id int PRIMARY KEY, name text NOT NULL, shelf int, legacy_mark text); "
                + "CREATE VIEW long_routes AS SELECT code FROM routes"
        );
        var bea = await application.AsAsync("bea");
        var root = (await TableAsync("routes"))[..^33];
        Task<HttpResponseMessage> Accept(IDocument page) =>
            bea.PostAsync(
                root + "/structure",
                root + "/structure",
                ("digest", page.QuerySelector("[name=digest]")!.GetAttribute("value")!)
            );
        var first = await bea.PageAsync(root + "/structure");
        Assert.Equal(
            ["long_routes", "spares"],
            first.QuerySelectorAll("[aria-label=Changes] tbody th").Select(cell => cell.TextContent).Order(StringComparer.Ordinal)
        );
        using var accepted = await Accept(first);
        Assert.Contains("No changes.", (await bea.PageAsync(root + "/structure")).Body!.TextContent, StringComparison.Ordinal);

        var spares = await TableAsync("spares");
        using var computed = await bea.PostAsync(
            spares + "/computed",
            spares + "/computed",
            ("Label", "Place"),
            ("Formula", "\"Shelf \" & shelf"),
            ("Decimals", "")
        );
        await application.FleetAsync("ALTER TABLE spares DROP COLUMN shelf");
        var second = await bea.PageAsync(root + "/structure");
        Assert.Equal(
            ["The field “Shelf” goes, with what was said of it.", "“Place” cannot be computed: Unknown name “shelf”."],
            second.QuerySelectorAll("[aria-label=Effects] td").Select(cell => cell.TextContent)
        );
        await application.FleetAsync("ALTER TABLE spares DROP COLUMN legacy_mark");
        Assert.Contains("The source has changed again", (await SeenAsync(Accept(second))).Body!.TextContent, StringComparison.Ordinal);
        using var again = await Accept(await bea.PageAsync(root + "/structure"));
        Assert.Equal(["id", "name", "place"], (await DatasetAsync("spares")).Fields.Select(field => field.Name.Value));

        await application.FleetAsync("DROP TABLE spares; DROP VIEW long_routes");
        using var gone = await Accept(await bea.PageAsync(root + "/structure"));
        Assert.Contains("no longer in the source", (await bea.PageAsync(spares)).Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Rights_are_set_with_conditions_and_a_decision_says_by_what_it_was_made()
    {
        var bea = await application.AsAsync("bea");
        var table = await TableAsync("sailings");
        var access = table + "/access";
        var edit = await bea.PageAsync(access + "?role=port-agent");
        Assert.Contains(
            "The records depend on who is signed in",
            edit.QuerySelector("#policy-answer")!.TextContent,
            StringComparison.Ordinal
        );
        var wrong = await SeenAsync(
            bea.PostAsync(
                access,
                access + "?role=clerk",
                ("verb.View", "on"),
                ("reads.as", "formula"),
                ("reads.formula", "carz > 5"),
                ("updates.as", "formula"),
                ("updates.formula", "")
            )
        );
        Assert.Contains("Did you mean “cars”?", wrong.QuerySelector(".alert-danger")!.TextContent, StringComparison.Ordinal);
        var reach = await SeenAsync(
            bea.PostAsync(
                access,
                access + "?handler=Edit&role=clerk",
                ("verb.View", "on"),
                ("reads.as", "formula"),
                ("reads.formula", "state = \"cancelled\""),
                ("verb.Update", "on"),
                ("updates.as", "formula"),
                ("updates.formula", "cars = 0"),
                ("creates.as", "formula"),
                ("creates.formula", "")
            )
        );
        async Task<string> Number(string where) =>
            await application.FleetScalarAsync($"SELECT to_char(count(*), 'FM999,999,999') FROM sailings {where}");
        Assert.Contains(
            $"It sees {await Number("WHERE state = 'cancelled'")} of {await Number("")} sailings, such as ",
            reach.QuerySelector("#policy-answer")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains(
            $"Of those, {await Number("WHERE state = 'cancelled' AND cars = 0")} may be changed",
            reach.QuerySelector("#policy-answer")!.TextContent,
            StringComparison.Ordinal
        );
        (string, string)[] wanted =
        [
            ("verb.View", "on"),
            ("reads.as", "formula"),
            ("reads.formula", "state = \"cancelled\""),
            ("deletes.as", "formula"),
            ("deletes.formula", "state = \"planned\""),
            ("field.fare_revenue", "Hidden"),
            ("field.cars", "ReadOnly"),
            ("field.departs", "NewOnly"),
        ];
        var changes = (await SeenAsync(bea.PostAsync(access, access + "?role=clerk", wanted))).QuerySelector(".consequences")!;

        Assert.StartsWith(
            $"Clem Moe may now view {await Number("WHERE state = 'cancelled'")} sailings, such as “",
            Assert.Single(changes.QuerySelectorAll("li")).TextContent,
            StringComparison.Ordinal
        );
        using var set = await bea.GrantAsync(access + "?role=clerk", wanted);
        var policy = await application.InStoreAsync(store =>
            store.Policies.AsNoTracking().SingleAsync(row => row.Role == "clerk" && row.Condition == "state = \"cancelled\"")
        );
        Assert.Equal((Verbs.View, "fare_revenue"), (policy.Verbs, policy.HiddenFields.Single()));
        Assert.Equal(("cars", "departs"), (policy.ReadOnlyFields.Single(), policy.NewOnlyFields.Single()));
        Assert.Equal((null, "state = \"planned\""), (policy.UpdateCondition, policy.DeleteCondition));
        var copied = await bea.PageAsync(access + "?role=engineer&from=role:clerk");
        Assert.Equal("ReadOnly", copied.QuerySelector("#field\\.cars option[selected]")!.GetAttribute("value"));
        var reads = await bea.PageAsync(access + "?role=engineer&from=reads");
        Assert.Equal(
            ["verb.View", "verb.Download", "verb.ReadNotes"],
            reads.QuerySelectorAll("#policy .ticks input[checked]").Select(box => box.GetAttribute("name"))
        );

        var jon = await application.InStoreAsync(store =>
            store.Users.Where(person => person.UserName == "jon").Select(person => person.Id).SingleAsync()
        );
        var own = await application.FleetScalarAsync(
            "SELECT id::text FROM sailings WHERE route_code = 'R06' AND departs < now() - interval '9 days' LIMIT 1"
        );
        var answer = (await bea.PageAsync($"{access}?person={jon}&record={own}")).QuerySelector(".decisions")!;
        Assert.Equal(
            ["may", "may not", "may not", "may not", "may", "may", "may", "may"],
            answer.QuerySelectorAll(".badge").Select(tag => tag.TextContent)
        );
        Assert.Contains(
            "Port agent: where OR(route.origin_port.code = user.port, route.destination_port.code = user.port), and it holds.",
            answer.TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains("departs >= NOW() - 2, and it does not hold.", answer.TextContent, StringComparison.Ordinal);
        Assert.Contains("No policy of these roles allows it", answer.TextContent, StringComparison.Ordinal);
        Assert.Contains("Does not see fare revenue.", answer.TextContent, StringComparison.Ordinal);
        var any = (await bea.PageAsync($"{access}?person={jon}")).QuerySelector(".decisions")!;
        Assert.Equal(
            ["depends on the record", "may not", "depends on the record", "may not", .. Enumerable.Repeat("depends on the record", 4)],
            any.QuerySelectorAll(".badge").Select(tag => tag.TextContent)
        );
    }

    [Fact]
    public async Task A_drafted_app_is_for_builders_alone_until_somebody_gives_rights()
    {
        var bea = await application.AsAsync("bea");
        var fuel = await TableAsync("fuel_logs");
        var id = fuel[^32..];
        var screen = fuel[..^33] + "/draft";
        Assert.True((await bea.PageAsync(screen)).QuerySelectorAll(".draft-fields").Length > 5);
        (string, string)[] named =
        [
            ("Chosen", id),
            ("Opening", "Sheet"),
            ($"label.{id}", "Fuel logs"),
            ($"record.{id}", "fuel log"),
            ($"title.{id}", "taken_at"),
        ];
        Assert.Contains(
            "Give the app a name.",
            (await Visitor.ParseAsync(await bea.PostAsync(screen, screen, named))).Body!.TextContent,
            StringComparison.Ordinal
        );
        var blank = await Visitor.ParseAsync(await bea.PostAsync(screen, screen, [("AppName", "Bunkers & Co"), .. named[..2]]));
        Assert.Contains("fuel_logs: A label cannot be blank.", blank.QuerySelector(".alert-danger")!.TextContent, StringComparison.Ordinal);
        using var drafted = await bea.PostAsync(screen, screen, [("AppName", "Bunkers & Co"), .. named]);
        Assert.Equal("/build/apps/bunkers-co", drafted.Headers.Location!.OriginalString);
        Assert.NotEmpty((await bea.PageAsync("/try/bunkers-co/fuel_logs")).QuerySelectorAll("tbody tr"));
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync("/apps/bunkers-co"));

        using var published = await bea.PublishAsync("/build/apps/bunkers-co/versions", "first");
        var egil = await application.AsAsync("egil");
        Assert.Equal(HttpStatusCode.Forbidden, await egil.StatusAsync("/apps/bunkers-co/fuel_logs"));
        const string Rights = "/build/apps/bunkers-co?handler=Access&role=engineer";
        var looked = await SeenAsync(
            bea.PostAsync("/build/apps/bunkers-co", Rights, ("page.fuel_logs", "on"), ($"{Verbs.View}.{id}", "on"))
        );
        Assert.Equal(
            ["Egil Strand", "Tuva Berg"],
            looked
                .QuerySelectorAll(".consequences li")
                .Where(line => line.TextContent.Contains(" may now view ", StringComparison.Ordinal))
                .Select(line => line.TextContent.Split(" may now view ")[0])
        );
        Assert.Contains(
            "Tuva Berg may no longer view 8 vessels",
            looked.QuerySelector(".consequences")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.NotNull(looked.QuerySelector($"input[name='{Verbs.View}.{id}'][checked]"));
        using var given = await bea.GrantAsync(Rights, ("page.fuel_logs", "on"), ($"{Verbs.View}.{id}", "on"));
        Assert.Equal(HttpStatusCode.Forbidden, await egil.StatusAsync("/apps/bunkers-co/fuel_logs"));
        const string Versions = "/build/apps/bunkers-co/versions";
        Assert.Contains(
            "Fuel logs will be seen by Egil Strand, Tuva BergThey find 3,000 fuel logs there.",
            (await bea.PageAsync(Versions)).QuerySelector("[aria-labelledby=publish]")!.TextContent,
            StringComparison.Ordinal
        );
        using var again = await bea.PublishAsync(Versions, "for engineers");
        var page = await egil.PageAsync("/apps/bunkers-co/fuel_logs");
        Assert.NotEmpty(page.QuerySelectorAll("tbody tr"));
        Assert.Null(page.QuerySelector("[data-new]"));

        // What was live once is live again after a look at who sees what then.
        async Task<AngleSharp.Dom.IDocument> LiveAsync(int version, string sure = "")
        {
            using var answer = await bea.PostAsync(Versions, $"{Versions}?handler=Live&version={version}", ("sure", sure));
            return answer.StatusCode is HttpStatusCode.Redirect ? await bea.PageAsync(Versions) : await Visitor.ParseAsync(answer);
        }

        var asked = await LiveAsync(1);
        Assert.Equal(
            ["Fuel logs will no longer be seen by Egil Strand, Tuva Berg."],
            asked.QuerySelectorAll(".consequences li").Select(line => line.TextContent)
        );
        Assert.Equal(HttpStatusCode.OK, await egil.StatusAsync("/apps/bunkers-co/fuel_logs"));
        var done = await LiveAsync(1, asked.QuerySelector("input[name=sure]")!.GetAttribute("value")!);
        Assert.Contains("Version 1 is live.", done.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.Forbidden, await egil.StatusAsync("/apps/bunkers-co/fuel_logs"));
        Assert.Equal(
            ["Fuel logs will be seen by Egil Strand, Tuva Berg.", "They find 3,000 fuel logs there."],
            (await LiveAsync(2)).QuerySelectorAll(".consequences li").Select(line => line.TextContent)
        );
    }
}
