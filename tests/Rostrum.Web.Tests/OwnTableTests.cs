using System.Collections.Immutable;
using System.Net;
using System.Text.Json;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.OwnTables;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>A table is made of pasted rows, altered, used by an app, and never more than a table of its own schema.</summary>
public sealed class OwnTableTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string New = "/build/tables/new";

    private Task<string> OwnAsync(string sql) => DemoApplication.ScalarAsync(application.StoreConnection, sql);

    private static async Task<string> MakeAsync(Visitor visitor, string label, string rows, params (string Name, string Value)[] changed)
    {
        using var read = await visitor.PostAsync(New, $"{New}?handler=Read", ("label", label), ("pasted", rows));
        var address = read.Headers.Location!.ToString();
        var form = (await visitor.PageAsync(address)).QuerySelector("form.form-body")!;
        using var made = await visitor.PostAsync(address, address.Split("&label")[0], Visitor.Filled(form, changed));
        return made.StatusCode is HttpStatusCode.Redirect
            ? (await visitor.FormsOfAsync(made.Headers.Location!.ToString()))[..^"/table".Length]
            : (await Visitor.ParseAsync(made)).QuerySelector("[role=alert]")!.TextContent.Trim();
    }

    private const string Parts = """
        Part	Size	Price	State	Ordered	In stock	Remark
        Impeller	12	€ 1,250.00	new	1 Mar 2026	yes	"quotes "" and, commas"
        Gasket	7	€ 3.50	used	2 Mar 2026	no	'; DROP TABLE people; --
        Bolt	12	€ 0.20	new	3 Mar 2026	yes	
        Hose	9	€ 18.00	new	4 Mar 2026	yes	x
        Valve	9	€ 99.90	used	5 Mar 2026	no	y
        Lamp	1	€ 7.00	new	6 Mar 2026	yes	z
        """;

    [Fact]
    public async Task Pasted_rows_become_a_table_of_types_that_is_altered_and_removed()
    {
        var bea = await application.AsAsync("bea");
        var address = await MakeAsync(bea, "Spare parts", Parts, ("unique.0", "yes"), ("required.0", "yes"));
        Assert.StartsWith("/build/sources/", address, StringComparison.Ordinal);
        Assert.Equal("6", await OwnAsync("SELECT count(*)::text FROM own_tables.spare_parts"));
        Assert.Equal("1250.00", await OwnAsync("SELECT price::text FROM own_tables.spare_parts WHERE part = 'Impeller'"));
        Assert.Equal(
            "id bigint,part character varying,size bigint,price numeric,state character varying,ordered date,in_stock boolean,"
                + "remark character varying",
            await OwnAsync(
                "SELECT string_agg(column_name || ' ' || data_type, ',' ORDER BY ordinal_position) FROM information_schema.columns "
                    + "WHERE table_schema = 'own_tables' AND table_name = 'spare_parts'"
            )
        );
        var dataset = await DatasetAsync("spare_parts");
        Assert.Equal("Spare parts", dataset.Label);
        Assert.Equal(["new", "used"], Assert.IsType<FieldType.Choice>(dataset[new FieldName("state")].Type).Options.ToArray());
        Assert.IsType<DisplayFormat.Money>(dataset[new FieldName("price")].Format);
        Assert.True(dataset[new FieldName("part")].Required);

        // It is read and written through the gate as any other.
        var gate = application.Services.GetService(typeof(RecordGate)) as RecordGate;
        var catalogue = new DatasetCatalogue([dataset]);
        var all = Grants.Of(
            ImmutableHashSet.Create("r"),
            [Policy.On("r", dataset.Id, Verbs.View | Verbs.Create | Verbs.Update | Verbs.Delete)]
        );
        Change.Insert Part(string part, string state) =>
            new(new FieldValues([new(new FieldName("part"), part), new(new FieldName("state"), state)]));
        Assert.IsType<SaveResult.Saved>(await gate!.SaveAsync(catalogue, new ChangeSet(dataset.Id, [Part("Winch", "new")]), all, default));
        Assert.IsType<SaveResult.Invalid>(
            await gate.SaveAsync(catalogue, new ChangeSet(dataset.Id, [Part("Anchor", "lost")]), all, default)
        );
        Assert.IsType<SaveResult.Invalid>(await gate.SaveAsync(catalogue, new ChangeSet(dataset.Id, [Part("Winch", "new")]), all, default));

        // A field more, which leads to another own table.
        await MakeAsync(bea, "Shelves", "Name\nA1\nA2\n");
        var table = $"{address}/table";
        using (
            await bea.PostAsync(
                table + "?form=add",
                $"{table}?handler=Add",
                ("label", "Shelf"),
                ("type", "Relation"),
                ("target", "shelves")
            )
        ) { }
        dataset = await DatasetAsync("spare_parts");
        Assert.Equal("Shelf", dataset.LabelOf(new FieldName("shelf")));
        Assert.NotNull(dataset.RelationOf(new FieldName("shelf")));

        // What cannot be taken over is shown before it is lost.
        (string, string)[] number = [("label", "Remark"), ("type", "WholeNumber")];
        using (var tried = await bea.PostAsync(table + "?form=add", $"{table}?handler=Retype&field=remark", [.. number, ("step", "try")]))
        {
            var page = await Visitor.ParseAsync(tried);
            Assert.Contains("5 records have values that cannot be taken over", page.Body!.TextContent, StringComparison.Ordinal);
            Assert.Contains("DROP TABLE people", page.Body.TextContent, StringComparison.Ordinal);
        }

        Assert.Equal("5", await OwnAsync("SELECT count(remark)::text FROM own_tables.spare_parts"));
        (string, string)[] size = [("label", "Size"), ("type", "Choice"), ("options", "12, 9, 7, 1")];
        using (await bea.PostAsync(table + "?form=add", $"{table}?handler=Retype&field=size", [.. size, ("step", "change")])) { }
        Assert.Equal("6", await OwnAsync("SELECT count(size)::text FROM own_tables.spare_parts"));
        Assert.IsType<FieldType.Choice>((await DatasetAsync("spare_parts"))[new FieldName("size")].Type);

        using (await bea.PostAsync(table + "?form=add", $"{table}?handler=Remove&field=remark")) { }
        Assert.Null((await DatasetAsync("spare_parts")).Find(new FieldName("remark")));
        using (await bea.PostAsync(table + "?form=add", $"{table}?handler=Drop", ("name", "something else"))) { }
        Assert.Equal("7", await OwnAsync("SELECT count(*)::text FROM own_tables.spare_parts"));
        using (await bea.PostAsync(table + "?form=add", $"{table}?handler=Drop", ("name", "Spare parts"))) { }
        Assert.Equal("", await OwnAsync("SELECT coalesce(to_regclass('own_tables.spare_parts')::text, '')"));
    }

    [Fact]
    public async Task Limits_and_what_is_usual_are_the_tables_own_and_are_said_before_it_is_asked()
    {
        var bea = await application.AsAsync("bea");
        var address = await MakeAsync(
            bea,
            "Life rafts",
            "Raft\tSeats\nA\t20\nB\t35\nC\t20",
            ("minimum.1", "5"),
            ("maximum.1", "50"),
            ("default.1", "20")
        );
        Task<string?> RefusedAsync(string sql) =>
            ErrorAsync($"INSERT INTO own_tables.life_rafts (raft, seats) VALUES ({sql}) RETURNING ''");
        async Task<string?> ErrorAsync(string sql)
        {
            try
            {
                await OwnAsync(sql);
                return null;
            }
            catch (Npgsql.PostgresException exception)
            {
                return exception.SqlState;
            }
        }

        Assert.Equal(Npgsql.PostgresErrorCodes.CheckViolation, await RefusedAsync("'D', 4"));
        Assert.Equal(Npgsql.PostgresErrorCodes.CheckViolation, await RefusedAsync("'D', 51"));
        Assert.Equal("20", await OwnAsync("INSERT INTO own_tables.life_rafts (raft) VALUES ('D') RETURNING seats::text"));
        Assert.Contains(
            "at least 5, at most 50, default 20",
            (await bea.PageAsync(await EditorAsync("life_rafts"))).QuerySelector("th[data-field=seats]")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal(2, (await DatasetAsync("life_rafts")).Rules.Length);

        // A field that is added has its own; one whose type changes keeps them, or gets others.
        var table = address + "/table";
        async Task<string> DoneAsync(string handler, params (string, string)[] fields)
        {
            using var answer = await bea.PostAsync(table + "?form=add", $"{table}?handler={handler}", fields);
            return answer.StatusCode is HttpStatusCode.Redirect
                ? ""
                : (await Visitor.ParseAsync(answer)).QuerySelector("[role=alert]")!.TextContent.Trim();
        }

        Assert.Equal(
            "",
            await DoneAsync("Add", ("label", "Made on"), ("type", "Date"), ("minimum", "1 Jan 2020"), ("default", "5 May 2026"))
        );
        Assert.Equal("2026-05-05", await OwnAsync("SELECT DISTINCT made_on::text FROM own_tables.life_rafts"));
        var rules = (await DatasetAsync("life_rafts")).Rules;
        Assert.Contains(rules, rule => rule.Name.StartsWith("made_on_check", StringComparison.Ordinal));
        Assert.Equal(
            "“Price”: the minimum is more than the maximum.",
            await DoneAsync("Add", ("label", "Price"), ("type", "Money"), ("minimum", "10"), ("maximum", "5"))
        );
        Assert.StartsWith(
            "“Price”, cheap:",
            await DoneAsync("Add", ("label", "Price"), ("type", "Money"), ("minimum", "cheap")),
            StringComparison.Ordinal
        );
        Assert.Equal(
            "There are records with values outside these limits.",
            await DoneAsync("Retype&field=seats", ("label", "Seats"), ("type", "Number"), ("maximum", "30"), ("step", "change"))
        );
        Assert.Equal(
            "",
            await DoneAsync(
                "Retype&field=seats",
                ("label", "Seats"),
                ("type", "Number"),
                ("minimum", "0.5"),
                ("maximum", "40"),
                ("step", "change")
            )
        );
        Assert.Null(await RefusedAsync("'E', 0.5"));
        Assert.Equal(Npgsql.PostgresErrorCodes.CheckViolation, await RefusedAsync("'F', 41"));
        Assert.Equal(
            "",
            await OwnAsync(
                "SELECT column_default FROM information_schema.columns WHERE table_name = 'life_rafts' AND column_name = 'seats'"
            )
        );
        Assert.Equal(3, (await DatasetAsync("life_rafts")).Rules.Length);
    }

    [Fact]
    public async Task Records_are_linked_with_several_of_another_table_and_those_with_several_of_them()
    {
        var bea = await application.AsAsync("bea");
        await MakeAsync(bea, "Makers", "Name\nHolm\nVang\n");
        var table = $"{await MakeAsync(bea, "Pumps", "Name\nBilge\nFire\n")}/table";
        using (
            var linked = await bea.PostAsync(
                table + "?form=add",
                $"{table}?handler=Link",
                ("other", "makers"),
                ("linkLabel", "Made by"),
                ("inverseLabel", "")
            )
        )
        {
            Assert.Equal(HttpStatusCode.Redirect, linked.StatusCode);
        }

        Assert.Contains(
            "records of “Pumps and makers”",
            (await bea.PageAsync(await EditorAsync("pumps"))).Body!.TextContent,
            StringComparison.Ordinal
        );
        var (pumps, makers, between) = (await DatasetAsync("pumps"), await DatasetAsync("makers"), await DatasetAsync("pumps_makers"));
        Assert.Equal("Made by", Assert.Single(pumps.Linked).Label);
        Assert.Equal("Pumps", Assert.Single(makers.Linked).Label);
        await OwnAsync("INSERT INTO own_tables.pumps_makers SELECT p.id, m.id FROM own_tables.pumps p, own_tables.makers m");
        await OwnAsync("DELETE FROM own_tables.pumps_makers WHERE pumps_id = 1 AND makers_id = 1");

        // They count for formulas, in both directions.
        var gate = (RecordGate)application.Services.GetService(typeof(RecordGate))!;
        var all = Grants.Everywhere(Grant.Everything);
        async Task<string> CountsAsync(Dataset of, string formula)
        {
            var request = new ReadRequest(of.Id)
            {
                Computed = [new ComputedColumn(new("counted"), formula)],
                Sort = [new SortBy(new("id"))],
            };
            var rows = Assert.IsType<ReadResult.Rows>(
                await gate.ReadAsync(new DatasetCatalogue([pumps, makers, between]), request, all, default)
            );
            return string.Join(' ', rows.Records.Select(record => record[new FieldName("counted")]));
        }

        Assert.Equal("1 2", await CountsAsync(pumps, "COUNT(made_by)"));
        Assert.Equal("1 2", await CountsAsync(makers, "COUNT(pumps)"));

        // A link goes with its record; a table that is linked stays.
        await OwnAsync("DELETE FROM own_tables.makers WHERE id = 2");
        Assert.Equal("1", await OwnAsync("SELECT count(*)::text FROM own_tables.pumps_makers"));
        using var dropped = await bea.PostAsync(table + "?form=add", $"{table}?handler=Drop", ("name", "Pumps"));
        Assert.Contains("Another table refers to it", (await Visitor.ParseAsync(dropped)).Body!.TextContent, StringComparison.Ordinal);
        var offered = (await bea.PageAsync(table + "?form=link"))
            .QuerySelectorAll("#other option")
            .Select(one => one.GetAttribute("value"))
            .ToArray();
        Assert.Contains("makers", offered);
        Assert.DoesNotContain("pumps_makers", offered);
        using var betweenTwo = await bea.PostAsync(table + "?form=add", $"{table}?handler=Link", ("other", "pumps_makers"));
        Assert.Contains("Choose another own table.", (await Visitor.ParseAsync(betweenTwo)).Body!.TextContent, StringComparison.Ordinal);
        using var itself = await bea.PostAsync(
            table + "?form=add",
            $"{table}?handler=Link",
            ("other", "pumps"),
            ("linkLabel", "Kin"),
            ("inverseLabel", "")
        );
        var refused = await Visitor.ParseAsync(itself);
        Assert.Contains("Choose another own table.", refused.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal("Kin", refused.QuerySelector("[name=linkLabel]")!.GetAttribute("value"));
    }

    [Fact]
    public async Task What_cannot_be_made_says_why_and_nothing_is_made()
    {
        var bea = await application.AsAsync("bea");
        Assert.Contains(
            "Row 3, “Size”: “twelve”",
            await MakeAsync(bea, "Sizes", "Part;Size\nA;1\nB;twelve\n", ("type.1", "WholeNumber")),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "Row 301, “Part”: This is 256 characters long; 255 fit.",
            await MakeAsync(
                bea,
                "Long",
                "Part\n" + string.Concat(Enumerable.Repeat("A\n", 299)) + new string('x', 256) + "\n",
                ("type.0", "Text")
            ),
            StringComparison.Ordinal
        );
        Assert.Contains("Two fields are called", await MakeAsync(bea, "Twice", "A;B\n1;2\n", ("label.1", "a")), StringComparison.Ordinal);
        Assert.Contains("without options", await MakeAsync(bea, "None", "A;B\n1;2\n", ("type.1", "Choice")), StringComparison.Ordinal);
        Assert.Contains("same value", await MakeAsync(bea, "Same", "A;B\n1;2\n1;3\n", ("unique.0", "yes")), StringComparison.Ordinal);
        Assert.Contains("blank", await MakeAsync(bea, "Blank", "A;B\n1;\n1;3\n", ("required.1", "yes")), StringComparison.Ordinal);
        foreach (var name in new[] { "sizes", "twice", "none", "same", "blank" })
        {
            Assert.Equal("", await OwnAsync($"SELECT coalesce(to_regclass('own_tables.{name}')::text, '')"));
        }

        // The same name twice is two tables, and an emoji one of a plain name.
        Assert.StartsWith("/build/", await MakeAsync(bea, "🚢", "A\n1\n"), StringComparison.Ordinal);
        Assert.StartsWith("/build/", await MakeAsync(bea, "select", "order;group\n1;2\n"), StringComparison.Ordinal);
        Assert.Equal("1", await OwnAsync("SELECT \"group\"::text FROM own_tables.\"select\" WHERE false UNION ALL SELECT '1'"));
    }

    [Fact]
    public async Task Of_rostrums_own_records_nothing_is_a_table_and_no_sql_is_taken()
    {
        var bea = await application.AsAsync("bea");
        var address = await MakeAsync(bea, "Berths", "Name\nA\n");
        var source = address.Split('/')[3];
        var structure = await application.InStoreAsync(async store =>
            (await store.Sources.AsNoTracking().SingleAsync(row => row.Kind == "own")).Structure
        );
        Assert.All(structure.Tables, table => Assert.Equal("own_tables", table.Name.Schema));
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync($"/build/sources/{source}/queries/new"));
        Assert.DoesNotContain("Own tables", (await bea.PageAsync("/build/sources/new")).Body!.TextContent, StringComparison.Ordinal);

        Assert.DoesNotContain(
            "problem",
            (await bea.PageAsync($"/build?handler=Health&source={Guid.Parse(source)}")).Body!.InnerHtml,
            StringComparison.Ordinal
        );

        // Colleagues may not make any, and see none before somebody gives them rights.
        var egil = await application.AsAsync("egil");
        Assert.NotEqual(HttpStatusCode.OK, await egil.StatusAsync(New));
    }

    private async Task<string> EditorAsync(string table) => $"/build/tables/{(await DatasetAsync(table)).Id}";

    private Task<Dataset> DatasetAsync(string table) =>
        application.InStoreAsync(async store =>
            (await store.DatasetsAsync(CancellationToken.None)).All.Single(dataset =>
                dataset.Table.Name == table && dataset.GoneBecause is null
            )
        );

    [Fact]
    public async Task New_rows_change_the_records_that_a_table_finds_by_their_values_and_say_where_it_is_unclear()
    {
        var number = OwnKind.All.Single(kind => kind.Type is OwnType.WholeNumber);
        var (bea, _) = await application.WithOwnTableAsync("Shelf", panel => panel with { MatchBy = [new FieldName("name")] }, number);
        var (page, stock) = (OwnTableSpace.PageOf("Shelf"), OwnTableSpace.NameOf(number.Type));
        Task<string> TableAsync() =>
            DemoApplication.ScalarAsync(
                application.StoreConnection,
                $"SELECT string_agg(name || ' ' || coalesce({stock}::text, '-'), ', ' ORDER BY id) FROM own_tables.shelf"
            );
        async Task<string> SaveAsync(params (string Name, string Stock)[] rows)
        {
            var cells = JsonSerializer.Serialize(
                rows.SelectMany(
                    (row, at) =>
                        new[]
                        {
                            new
                            {
                                row = $"+{at}",
                                field = "name",
                                text = row.Name,
                            },
                            new
                            {
                                row = $"+{at}",
                                field = stock,
                                text = row.Stock,
                            },
                        }
                )
            );
            using (await bea.PostAsync(page, $"{page}?handler=Grid&panel=all", ("does", "discard"))) { }
            using (await bea.PostAsync(page, $"{page}?handler=Grid&panel=all", ("does", "type"), ("cells", cells))) { }
            using var saved = await bea.PostAsync(page, $"{page}?handler=Grid&panel=all", ("does", "save"));
            return (await Visitor.ParseAsync(saved)).Body!.TextContent;
        }

        Assert.Contains("2 shelf saved.", await SaveAsync(("First", "7"), ("Second", "3")), StringComparison.OrdinalIgnoreCase);
        Assert.Equal("First 7, Second 3", await TableAsync());
        Assert.Contains("Another new row is of the same", await SaveAsync(("Third", "1"), ("Third", "2")), StringComparison.Ordinal);
        await DemoApplication.ScalarAsync(
            application.StoreConnection,
            $"INSERT INTO own_tables.shelf (name, {stock}) VALUES ('Second', 9) RETURNING name"
        );
        var said = await SaveAsync(("First", "8"), ("Second", "4"));
        Assert.Contains("it is not clear which is meant", said, StringComparison.Ordinal);
        Assert.Equal("First 7, Second 3, Second 9", await TableAsync());
    }
}
