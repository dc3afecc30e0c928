using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Tests.Apps;

/// <summary>
/// What was found out about a page's formulas is shared by people with the same rights; what the names stand for is each look's own.
/// </summary>
public sealed class PageValuesTests
{
    private static readonly PageValue Words = new("words", "value");
    private static readonly Rights Builders = Rights.Of(
        new HashSet<string> { "builder" },
        [Policy.On("builder", Sample.Vessels.Id, Verbs.View), Policy.On("builder", Sample.Defects.Id, Verbs.View)]
    );

    private static SignedIn Person(string name) => new(name, null, ["builder"]);

    private static PageScope Scope(Grants grants) =>
        PageScope.Of(Sample.Fleet, Sample.Catalogue, DatasetShapes.Of(Sample.Catalogue, grants), grants.User);

    private static object? Evaluate(PageScope scope, PageValues values, string formula) =>
        Compiler.Compile(scope.Check(Sample.Fleet.Panels[0], new FormulaPlace(formula)).Tree!, once: true)(
            new FormulaRecord(new FormulaShape("", []), []),
            new FormulaContext(DateTimeOffset.UnixEpoch, TimeZoneInfo.Utc) { Given = values.Given }
        );

    [Fact]
    public void People_with_the_same_rights_share_what_was_found_out_and_not_what_it_stands_for()
    {
        var (pia, jon) = (new Grants(Builders, Person("Pia")), new Grants(Builders, Person("Jon")));
        var scope = Scope(pia);
        Assert.Same(scope, Scope(jon));
        Assert.Same(scope.Graph, Scope(jon).Graph);
        const string Greeting = "user.name & \" looks for \" & words.value";
        Assert.Same(
            scope.Check(Sample.Fleet.Panels[0], new FormulaPlace(Greeting)).Tree,
            Scope(jon).Check(Sample.Fleet.Panels[0], new FormulaPlace(Greeting)).Tree
        );

        var (hers, his) = (new PageValues(scope, pia.User), new PageValues(scope, jon.User));
        (hers[Words], his[Words]) = ("pumps", "lamps");
        Assert.Equal("Pia looks for pumps", Evaluate(scope, hers, Greeting));
        Assert.Equal("Jon looks for lamps", Evaluate(scope, his, Greeting));
        hers[Words] = "ropes";
        Assert.Equal(("Pia looks for ropes", "Jon looks for lamps"), (Evaluate(scope, hers, Greeting), Evaluate(scope, his, Greeting)));
    }

    [Fact]
    public void Other_rights_have_names_of_their_own()
    {
        var without = Rights.Of(
            new HashSet<string> { "clerk" },
            [
                Policy.On("clerk", Sample.Vessels.Id, Verbs.View),
                Policy.On("clerk", Sample.Defects.Id, Verbs.View) with
                {
                    Readable = new FieldSet.But([new("cost")]),
                },
            ]
        );
        var (all, less) = (Scope(new Grants(Builders, Person("Pia"))), Scope(new Grants(without, Person("Clem"))));
        var dear = new FormulaPlace("cost > 100") { OverRecord = true };
        var faults = (TablePanel)Sample.Fleet.Find("faults")!;
        Assert.NotSame(all, less);
        Assert.NotNull(all.Check(faults, dear).Tree);
        Assert.Null(less.Check(faults, dear).Tree);
    }

    [Fact]
    public void What_is_kept_of_people_is_known_whoever_asked_before()
    {
        var faults = Sample.Fleet.Panels[0];
        Assert.Null(Scope(new Grants(Builders, Person("Pia"))).Check(faults, new FormulaPlace("user.port")).Tree);
        Assert.NotNull(
            Scope(new Grants(Builders, Person("Pia") with { Attributes = [new("port", new FieldType.Text(), "BRW")] }))
                .Check(faults, new FormulaPlace("user.port"))
                .Tree
        );
    }

    [Fact]
    public void A_dataset_about_to_be_changed_has_names_of_its_own_and_those_of_the_known_one_stay()
    {
        var shapes = DatasetShapes.Of(Sample.Catalogue, Grants.ViewEverything);
        var known = shapes.Of(Sample.Vessels);
        var changed = Sample.Vessels with { Fields = [Sample.Vessels.Fields[0]] };
        Assert.Equal(-1, shapes.Of(changed).Shape.IndexOf("seats"));
        Assert.Same(known, shapes.Of(Sample.Vessels));
        Assert.True(known.Shape.IndexOf("seats") >= 0);
    }

    [Fact]
    public void What_nobody_gives_is_blank_and_so_is_everything_of_nobody()
    {
        var scope = Scope(Grants.ViewEverything);
        var values = new PageValues(scope, null);
        Assert.Null(values[Words]);
        Assert.Null(Evaluate(scope, values, "words.value"));
        Assert.Null(Evaluate(scope, values, "user.name"));
        Assert.Equal(true, Evaluate(scope, values, "ISBLANK(ships.selected.name)"));
    }

    [Fact]
    public void What_comes_of_steps_stands_beside_the_page_for_what_follows_and_not_for_the_page()
    {
        var scope = Scope(Grants.ViewEverything);
        var values = new PageValues(scope, Person("Pia"));
        var after = values.After(new Dictionary<string, object?> { ["made"] = "x", [PageScope.Failure] = "no room" });
        Assert.Equal("x", after["made"]);
        Assert.Equal("no room", Assert.IsType<FormulaRecord>(after[PageScope.Failure])[0]);
        Assert.DoesNotContain("made", values.Given.Keys);
    }

    [Fact]
    public void However_many_formulas_were_checked_each_is_found_to_be_what_it_is()
    {
        var shape = new FormulaShape("ship", [new("seats", new FormulaType.Number())]);
        foreach (var number in Enumerable.Range(0, 5_000))
        {
            var formula = FormulaNames.None.Check(shape, $"seats + {number}");
            Assert.Equal(
                number + 1m,
                Compiler.Compile(formula.Tree!, once: true)(
                    new FormulaRecord(shape, [1m]),
                    new FormulaContext(DateTimeOffset.UnixEpoch, TimeZoneInfo.Utc)
                )
            );
        }

        Assert.Same(FormulaNames.None.Check(shape, "seats + 4999"), FormulaNames.None.Check(shape, "seats + 4999"));
    }
}
