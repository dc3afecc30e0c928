using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.OwnTables;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>An own table is filled and altered in one place by builders alone, and what was altered is undone without a loss.</summary>
public sealed class OwnTableEditingTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private Task<string> OwnAsync(string sql) => DemoApplication.ScalarAsync(application.StoreConnection, sql);

    // A table of two columns, with the address where it is filled and the one of the forms that alter it.
    private async Task<(Visitor Bea, string Editor, string Forms)> TableAsync(string label, string rows)
    {
        var bea = await application.AsAsync("bea");
        using var read = await bea.PostAsync("/build/tables/new", "/build/tables/new?handler=Read", ("label", label), ("pasted", rows));
        var address = read.Headers.Location!.ToString();
        var form = (await bea.PageAsync(address)).QuerySelector("form.form-body")!;
        using var made = await bea.PostAsync(address, address.Split("&label")[0], Visitor.Filled(form));
        var editor = made.Headers.Location!.ToString();
        return (bea, editor, await bea.FormsOfAsync(editor));
    }

    private static async Task<string> DoneAsync(Visitor bea, string forms, string handler, params (string, string)[] fields)
    {
        using var answer = await bea.PostAsync($"{forms}?form=add", $"{forms}?handler={handler}", fields);
        return answer.StatusCode is HttpStatusCode.Redirect
            ? ""
            : (await Visitor.ParseAsync(answer)).QuerySelector("[role=alert]")!.TextContent.Trim();
    }

    private static async Task<string> UndoAsync(Visitor bea, string forms, string words)
    {
        var changes = await bea.PageAsync($"{forms}?form=changes");
        var address = changes.QuerySelector($"button[aria-label^='Undo: {words}']")!.GetAttribute("formaction")!;
        return await DoneAsync(bea, forms, address.Split("handler=")[1]);
    }

    private Task<Dataset> DatasetAsync(string editor) =>
        application.InStoreAsync(async store =>
            (
                await store.Datasets.AsNoTracking().SingleAsync(row => row.Id == Guid.Parse(editor.Split('/', StringSplitOptions.None)[3]))
            ).Definition
        );

    [Fact]
    public async Task Builders_fill_a_table_on_which_no_role_has_rights_and_nobody_else_sees_it()
    {
        var (bea, editor, forms) = await TableAsync("Winches", "Winch\tPull\nFore\t8\nAft\t6\n");
        var grid = $"{editor}?handler=Grid&panel=records";
        var key = await OwnAsync("SELECT id::text FROM own_tables.winches WHERE winch = 'Fore'");
        var aft = await OwnAsync("SELECT id::text FROM own_tables.winches WHERE winch = 'Aft'");
        var cells = JsonSerializer.Serialize(
            new object[]
            {
                new
                {
                    row = key,
                    field = "pull",
                    text = "9",
                    original = "8",
                },
                new
                {
                    row = "+0",
                    field = "winch",
                    text = "Stern",
                },
            }
        );
        using (await bea.PostAsync(editor, grid, ("does", "type"), ("cells", cells))) { }
        using (await bea.PostAsync(editor, grid, ("does", "delete"), ("row", aft))) { }
        using (await bea.PostAsync(editor, grid, ("does", "save"))) { }
        Assert.Equal(
            "Fore 9, Stern -",
            await OwnAsync("SELECT string_agg(winch || ' ' || coalesce(pull::text, '-'), ', ' ORDER BY id) FROM own_tables.winches")
        );
        var entry = await application.InStoreAsync(store => store.LogEntries.AsNoTracking().OrderByDescending(row => row.Id).FirstAsync());
        Assert.Equal((await DatasetAsync(editor)).Id.Value, entry.DatasetId);

        // The head of each field says what the table demands of it.
        var page = await bea.PageAsync(editor);
        Assert.Contains("Whole number", page.QuerySelector("th[data-field=pull]")!.TextContent, StringComparison.Ordinal);

        var egil = await application.AsAsync("egil");
        foreach (var address in new[] { editor, $"{forms}?form=changes", "/build/tables/removed" })
        {
            Assert.NotEqual(HttpStatusCode.OK, await egil.StatusAsync(address));
        }

        using var refused = await egil.PostAsync("/", grid, ("does", "save"));
        Assert.NotEqual(HttpStatusCode.OK, refused.StatusCode);

        // It is no way to the records of other sources.
        var vessels = await application.InStoreAsync(async store =>
            (await store.DatasetsAsync(default)).All.Single(dataset => dataset.Name.Value == "vessels")
        );
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync($"/build/tables/{vessels.Id}"));
    }

    [Fact]
    public async Task A_removed_field_comes_back_with_its_values_and_all_that_was_said_of_it()
    {
        var (bea, editor, forms) = await TableAsync("Lamps", "Lamp\tState\tWatt\nA\tnew\t5\nB\told\t7\nC\tnew\t9\n");
        Assert.Equal(
            "",
            await DoneAsync(
                bea,
                forms,
                "Retype&field=state",
                ("label", "State"),
                ("type", "Choice"),
                ("options", "new, old"),
                ("required", "yes"),
                ("step", "change")
            )
        );
        Assert.Equal("", await DoneAsync(bea, forms, "Rename&field=state", ("label", "Condition")));
        Assert.Equal("", await DoneAsync(bea, forms, "Place&field=state&by=-1"));
        var before = await DatasetAsync(editor);
        Assert.Equal("", await DoneAsync(bea, forms, "Remove&field=state"));
        Assert.Null((await DatasetAsync(editor)).Find(new FieldName("state")));

        // A record that came since has nothing there, so that it is not required any more; one that went stays gone.
        await OwnAsync("INSERT INTO own_tables.lamps (lamp) VALUES ('D') RETURNING lamp");
        await OwnAsync("DELETE FROM own_tables.lamps WHERE lamp = 'B' RETURNING lamp");
        Assert.Equal("", await UndoAsync(bea, forms, "“Condition” was removed"));
        Assert.Equal(
            "A new, C new, D -",
            await OwnAsync("SELECT string_agg(lamp || ' ' || coalesce(state, '-'), ', ' ORDER BY id) FROM own_tables.lamps")
        );
        var after = await DatasetAsync(editor);
        var (was, now) = (before[new FieldName("state")], after[new FieldName("state")]);
        Assert.Equal((was.Label, before.Fields.IndexOf(was)), (now.Label, after.Fields.IndexOf(now)));
        Assert.Equal(["new", "old"], Assert.IsType<FieldType.Choice>(now.Type).Options.ToArray());
        Assert.True(was.Required);
        Assert.False(now.Required);

        // Nothing is left of what was kept, and it cannot be undone twice.
        Assert.Equal(
            "0",
            await OwnAsync(
                "SELECT count(*)::text FROM pg_tables WHERE schemaname = 'own_tables_kept' AND tablename LIKE "
                    + "(SELECT 'kept_' || replace(id::text, '-', '') FROM alterations WHERE words LIKE '%Condition” was removed%')"
            )
        );
        var gone = await OwnAsync("SELECT id::text FROM alterations WHERE words LIKE '%Condition” was removed%'");
        Assert.Equal("There is nothing to undo any more.", await DoneAsync(bea, forms, $"Undo&alteration={gone}"));
    }

    [Fact]
    public async Task A_field_that_refers_to_another_source_comes_back_with_its_relation()
    {
        var (bea, editor, forms) = await TableAsync("Fittings", "Fitting\tVessel\nA\t1\nB\t2\n");
        var others = await application.InStoreAsync(async store =>
            (await store.DatasetsAsync(default)).All.First(dataset =>
                dataset is { Key: [var key], Query: null, Join: null }
                && dataset[key].Type is FieldType.Integer
                && dataset.Table.Schema != "own_tables"
            )
        );
        using (
            var related = await bea.PostAsync(
                forms[..^"/table".Length] + "/relations",
                forms[..^"/table".Length] + "/relations?handler=Add",
                ("Field", "vessel"),
                ("End", $"{others.Id}.{others.Key[0]}")
            )
        )
        {
            Assert.Equal(HttpStatusCode.Redirect, related.StatusCode);
        }

        var relation = (await DatasetAsync(editor)).RelationOf(new FieldName("vessel"));
        Assert.Equal(others.Id, relation?.Target);
        Assert.Contains(
            "Whole number",
            (await bea.PageAsync(editor)).QuerySelector("th[data-field=vessel]")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal("", await DoneAsync(bea, forms, "Remove&field=vessel"));
        Assert.Equal("", await UndoAsync(bea, forms, "“Vessel” was removed"));
        Assert.Equal(relation, (await DatasetAsync(editor)).RelationOf(new FieldName("vessel")));
        Assert.Equal("A 1, B 2", await OwnAsync("SELECT string_agg(fitting || ' ' || vessel, ', ' ORDER BY id) FROM own_tables.fittings"));
    }

    [Fact]
    public async Task What_a_change_of_type_lost_comes_back_and_what_was_typed_since_is_kept_or_named()
    {
        var (bea, editor, forms) = await TableAsync("Tanks", "Tank\tLevel\nA\t12\nB\tempty\nC\tfull\n");
        Assert.Equal(
            "",
            await DoneAsync(bea, forms, "Retype&field=level", ("label", "Level"), ("type", "WholeNumber"), ("step", "change"))
        );
        Assert.Equal("", await DoneAsync(bea, forms, "Rename&field=level", ("label", "Filled")));
        await OwnAsync("UPDATE own_tables.tanks SET level = 40 WHERE tank = 'C' RETURNING tank");

        // What came later of the same field is undone first.
        Assert.Contains("was renamed to “Filled”", await UndoAsync(bea, forms, "“Level” was changed"), StringComparison.Ordinal);
        Assert.Equal("", await UndoAsync(bea, forms, "“Level” was renamed"));
        Assert.Equal("", await UndoAsync(bea, forms, "“Level” was changed"));
        async Task<string> LevelsAsync() =>
            await OwnAsync("SELECT string_agg(tank || ' ' || coalesce(level::text, '-'), ', ' ORDER BY id) FROM own_tables.tanks");
        Assert.Equal("A 12, B empty, C 40", await LevelsAsync());

        // The undoing is undone, and then again.
        Assert.Equal("", await UndoAsync(bea, forms, "“Level” was changed to text"));
        Assert.Equal("A 12, B -, C 40", await LevelsAsync());
        await OwnAsync("UPDATE own_tables.tanks SET level = 7 WHERE tank = 'B' RETURNING tank");
        Assert.Equal("", await UndoAsync(bea, forms, "“Level” was changed to whole number"));
        Assert.Equal("A 12, B 7, C 40", await LevelsAsync());
        Assert.Equal("Level", (await DatasetAsync(editor)).LabelOf(new FieldName("level")));

        // What would not fit what it was before is named, and nothing is changed.
        Assert.Equal(
            "",
            await DoneAsync(
                bea,
                forms,
                "Retype&field=tank",
                ("label", "Tank"),
                ("type", "Choice"),
                ("options", "A, B, C"),
                ("step", "change")
            )
        );
        Assert.Equal("", await DoneAsync(bea, forms, "Retype&field=tank", ("label", "Tank"), ("type", "Text"), ("step", "change")));
        await OwnAsync("UPDATE own_tables.tanks SET tank = 'Day tank' WHERE tank = 'B' RETURNING tank");
        Assert.Contains("“Day tank” was typed since", await UndoAsync(bea, forms, "“Tank” was changed to text"), StringComparison.Ordinal);
        Assert.Equal("A, Day tank, C", await OwnAsync("SELECT string_agg(tank, ', ' ORDER BY id) FROM own_tables.tanks"));
    }

    [Fact]
    public async Task A_removed_table_comes_back_with_its_records_and_relations()
    {
        await TableAsync("Yards", "Yard\nTorvik\nHaldane\n");
        var (bea, editor, forms) = await TableAsync("Slips", "Slip\nOne\nTwo\n");
        Assert.Equal("", await DoneAsync(bea, forms, "Add", ("label", "Yard"), ("type", "Relation"), ("target", "yards")));
        await OwnAsync("UPDATE own_tables.slips SET yard = id RETURNING slip");
        using (await bea.PostAsync($"{forms}?form=drop", $"{forms}?handler=Drop", ("name", "Slips"))) { }
        Assert.Equal("", await OwnAsync("SELECT coalesce(to_regclass('own_tables.slips')::text, '')"));
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync(editor));

        // It holds on to nothing of other tables meanwhile.
        await OwnAsync("DELETE FROM own_tables.yards WHERE id = 2 RETURNING yard");
        var removed = await bea.PageAsync("/build/tables/removed");
        var alteration = removed.QuerySelector("button[aria-label='Bring back Slips']")!.GetAttribute("value")!;
        using (var back = await bea.PostAsync("/build/tables/removed", "/build/tables/removed", ("alteration", alteration)))
        {
            Assert.Equal(editor, back.Headers.Location!.ToString());
        }

        Assert.Equal(
            "One 1, Two -",
            await OwnAsync("SELECT string_agg(slip || ' ' || coalesce(yard::text, '-'), ', ' ORDER BY id) FROM own_tables.slips")
        );
        Assert.NotNull((await DatasetAsync(editor)).RelationOf(new FieldName("yard")));
        Assert.Equal(HttpStatusCode.OK, await bea.StatusAsync(editor));
        await Assert.ThrowsAsync<Npgsql.PostgresException>(() => OwnAsync("UPDATE own_tables.slips SET yard = 99 RETURNING slip"));
    }

    [Fact]
    public async Task Undone_twice_at_once_it_is_undone_once_and_what_is_old_is_kept_no_longer()
    {
        var (bea, _, forms) = await TableAsync("Buoys", "Buoy\tColour\nA\tred\nB\tgreen\n");
        Assert.Equal("", await DoneAsync(bea, forms, "Remove&field=colour"));
        var changes = await bea.PageAsync($"{forms}?form=changes");
        var address = changes.QuerySelector("button[aria-label^='Undo: “Colour” was removed']")!.GetAttribute("formaction")!;
        var both = await Task.WhenAll(Enumerable.Range(0, 2).Select(_ => DoneAsync(bea, forms, address.Split("handler=")[1])));
        Assert.Single(both, said => said.Length == 0);
        Assert.Equal("red, green", await OwnAsync("SELECT string_agg(colour, ', ' ORDER BY id) FROM own_tables.buoys"));

        Assert.Equal("", await DoneAsync(bea, forms, "Remove&field=colour"));
        await OwnAsync("UPDATE alterations SET at = at - interval '31 days' WHERE words LIKE '“Colour” was removed%' RETURNING ''");
        Assert.Equal("", await DoneAsync(bea, forms, "Add", ("label", "Light"), ("type", "YesNo")));
        Assert.Contains("too long ago", (await bea.PageAsync($"{forms}?form=changes")).Body!.TextContent, StringComparison.Ordinal);
    }
}
