using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Tests.Apps;

public sealed class PageGraphTests
{
    private static PageGraph Graph(Page? page = null) => Sample.Scope(page).Graph;

    [Fact]
    public void A_choice_matters_to_those_that_look_at_it_and_on_from_there()
    {
        Assert.Equal(["ships"], Graph().Affected([new PageValue("words", "value")]).AsEnumerable());
        Assert.Equal(["faults"], Graph().Affected([new PageValue("period", "to")]).AsEnumerable());
        Assert.Equal(
            ["costs", "details", "faults", "new_defect", "report", "ship", "words_of_it"],
            Graph().Affected([new PageValue("ships", "selected")]).Order(StringComparer.Ordinal)
        );
    }

    [Fact]
    public void What_is_read_stands_after_what_it_needs()
    {
        var order = Graph().Order;
        Assert.True(order.IndexOf("ship") < order.IndexOf("costs"));
        Assert.True(order.IndexOf("costs") < order.IndexOf("words_of_it"));
        Assert.True(order.IndexOf("costs") < order.IndexOf("report"));
        Assert.Equal(Sample.Fleet.All.Count(), order.Length);
    }

    [Fact]
    public void A_changed_record_matters_wherever_its_dataset_is_looked_at()
    {
        var affected = Graph().Affected(Sample.Defects.Id, Sample.Catalogue);
        Assert.Contains("faults", affected);
        Assert.Contains("costs", affected);
        Assert.Contains("words_of_it", affected);
        Assert.DoesNotContain("words", affected);
        Assert.DoesNotContain("period", affected);
    }

    [Fact]
    public void Panels_that_need_each_other_are_a_problem_that_names_them()
    {
        var page = Sample.Fleet with
        {
            Panels =
            [
                new FigurePanel
                {
                    Name = "one",
                    Dataset = Sample.Defects.Id,
                    Filter = "cost > two.value",
                },
                new FigurePanel
                {
                    Name = "two",
                    Dataset = Sample.Defects.Id,
                    Filter = "cost > one.value",
                },
                new TextPanel { Name = "three", Text = "${one.value}" },
            ],
        };
        Assert.Equal(["one", "two", "one"], Graph(page).Cycle().AsEnumerable());
        Assert.False(Graph(page).IsInCycle("three"));
        Assert.Contains(AppProblems.Of(Sample.App with { Pages = [page] }, Sample.Catalogue, Sample.Anybody), problem =>
            problem.Message == "“one” depends on itself, by way of one → two → one."
        );
    }

    [Fact]
    public void An_input_that_begins_as_another_says_passes_the_effect_on()
    {
        var page = Sample.Fleet with
        {
            Panels =
            [
                new InputPanel { Name = "first", Type = EntryType.Number },
                new InputPanel
                {
                    Name = "second",
                    Type = EntryType.Number,
                    Initial = "=first.value * 2",
                },
                new TextPanel { Name = "text", Text = "${second.value}" },
            ],
        };
        Assert.Equal(["second", "text"], Graph(page).Affected([new PageValue("first", "value")]).AsEnumerable());
    }

    [Fact]
    public void Only_what_formulas_look_at_is_read_of_a_selected_record()
    {
        var scope = Sample.Scope();
        var needs = scope.ReadOfRecords;
        var shape = scope.Shapes.Of(Sample.Vessels).Shape;
        Assert.Equal(["id", "name", "seats"], needs[new PageValue("ships", "selected")].Values.Select(index => shape.Members[index].Key));
        Assert.Equal(["id", "name"], needs[new PageValue("ship", "record")].Values.Select(index => shape.Members[index].Key));
    }

    [Fact]
    public void Whose_records_a_list_shows_is_found_from_its_formula()
    {
        var scope = Sample.Scope();
        var table = (TablePanel)Sample.Fleet.Find("faults")!;
        Assert.Equal("vessel", scope.Whose(table, scope.Check(table, new FormulaPlace(table.RelatedTo!)))!.Value.Relation.Field.Value);
        Assert.Null(scope.Whose(table, scope.Check(table, new FormulaPlace("ships.selected"))));
    }
}
