using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Apps;

public sealed class AppProblemsTests
{
    private static ImmutableArray<AppProblem> Of(params AppEdit[] edits) =>
        AppProblems.Of(
            Assert.IsType<EditResult.Done>(new AppEdit.Several([.. edits], "").Apply(Sample.App, Sample.Catalogue)).App,
            Sample.Catalogue,
            Sample.Anybody
        );

    [Fact]
    public void An_app_in_order_has_no_problems() => Assert.Empty(AppProblems.Of(Sample.App, Sample.Catalogue, Sample.Anybody));

    [Theory]
    [InlineData("ships", "filter", "CONTAINS(nam, words.value)", "Unknown name “nam”. Did you mean “name”?")]
    [InlineData("ships", "filter", "name", "It gives a text, and should give a true or false.")]
    [InlineData("faults", "relatedTo", "ships.selected", "It should end in the defects of one record")]
    [InlineData("ship", "record", "ships.selected.defects", "It gives a list of defect, and should give one vessel.")]
    [InlineData("ship", "record", "", "It shows no record: choose which.")]
    [InlineData("details", "visible", "=ships.selected", "It gives a vessel, and should give a true or false.")]
    [InlineData("words_of_it", "text", "${ships.selected}", "write TITLE(ships.selected)")]
    [InlineData("words_of_it", "text", "${ships.selected", "not closed")]
    [InlineData("costs", "field", "id_2", "is no longer there")]
    [InlineData(
        "new_defect",
        "hiddenValues",
        "{\"due\":\"=ships.selected.name\"}",
        "It gives a text, which does not fit here.|The formula gives a text, which does not fit here."
    )]
    [InlineData("new_defect", "hiddenValues", "{\"vessel\":\"=ships\"}", "should give one vessel")]
    [InlineData("period", "type", "choice", "It has no choices.")]
    public void What_is_wrong_is_said_of_its_setting(string panel, string key, string value, string message)
    {
        var problems = Of(new AppEdit.SetSetting("fleet", panel, key, value));
        Assert.Contains(problems, problem =>
            problem.Panel == panel
            && !problem.Warns
            && message.Split('|').Any(part => problem.Message.Contains(part, StringComparison.Ordinal))
        );
    }

    [Fact]
    public void An_input_with_a_fields_name_hides_no_field_and_is_reached_by_what_follows()
    {
        Assert.Empty(
            Of(
                new AppEdit.SetSetting("fleet", "ships", "filter", "CONTAINS(name, words.value)"),
                new AppEdit.RenamePanel("fleet", "words", "name")
            )
        );
        Assert.Contains(
            Of(new AppEdit.RenamePanel("fleet", "words", "name"), new AppEdit.SetSetting("fleet", "ships", "filter", "name.valu = \"x\"")),
            problem => problem.Message.Contains("A text has no parts", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void A_name_that_is_misspelt_is_put_right_by_the_correction()
    {
        var edit = new AppEdit.SetSetting("fleet", "words_of_it", "text", "${user.name} sees ${ship.recrd.name}");
        var app = Assert.IsType<EditResult.Done>(edit.Apply(Sample.App, Sample.Catalogue)).App;
        var problem = Assert.Single(AppProblems.Of(app, Sample.Catalogue, Sample.Anybody));
        Assert.Equal("Write “record”", problem.CorrectionSays);
        var corrected = Assert.IsType<EditResult.Done>(problem.Correction!.Apply(app, Sample.Catalogue)).App;
        Assert.Equal("${user.name} sees ${ship.record.name}", ((TextPanel)corrected.Find("fleet")!.Find("words_of_it")!).Text);
        Assert.Empty(AppProblems.Of(corrected, Sample.Catalogue, Sample.Anybody));
    }

    [Fact]
    public void A_panel_that_goes_leaves_a_problem_wherever_it_was_named()
    {
        var problems = Of(new AppEdit.RemovePanel("fleet", "ships"));
        Assert.Equal(
            ["details", "faults", "new_defect", "report", "ship"],
            problems.Select(problem => problem.Panel!).Distinct().Order(StringComparer.Ordinal)
        );
    }

    [Fact]
    public void A_dataset_that_goes_takes_its_panels_with_it_by_the_correction()
    {
        var without = new DatasetCatalogue([Sample.Vessels]);
        var app = Sample.App;
        var problems = AppProblems.Of(app, without, Sample.Anybody);
        Assert.Contains(problems, problem =>
            problem is { Panel: "faults", Message: "Its dataset is no longer there.", Correction: AppEdit.RemovePanel }
        );
        foreach (var problem in problems.Where(problem => problem.Correction is AppEdit.RemovePanel))
        {
            app = Assert.IsType<EditResult.Done>(problem.Correction!.Apply(app, without)).App;
        }

        Assert.DoesNotContain(AppProblems.Of(app, without, Sample.Anybody), problem =>
            problem.Message == "Its dataset is no longer there."
        );
    }

    [Fact]
    public void A_field_that_goes_is_left_out_by_the_correction()
    {
        var poorer = new DatasetCatalogue([
            Sample.Vessels with
            {
                Fields = [.. Sample.Vessels.Fields.Where(field => field.Name.Value != "seats")],
            },
            Sample.Defects,
        ]);
        var problem = Assert.Single(AppProblems.Of(Sample.App, poorer, Sample.Anybody), problem => problem.Setting == "columns");
        Assert.Equal("Columns: seats is no longer there.", problem.Message);
        Assert.Equal(
            ["name"],
            Assert
                .IsType<TablePanel>(
                    Assert.IsType<EditResult.Done>(problem.Correction!.Apply(Sample.App, poorer)).App.Find("fleet")!.Find("ships")
                )
                .Columns.Select(column => column.Value)
        );
    }

    [Fact]
    public void Steps_that_lead_nowhere_are_problems()
    {
        PanelAction action = new(
            [
                new OpenPage { Page = "nowhere" },
                new OpenPanel { Panel = "ships" },
                new SetInput { Input = "ships" },
                new CreateRecord(),
                new OpenPage { Page = "other", Parameters = ImmutableDictionary<string, string>.Empty.Add("ship", "1") },
            ],
            []
        );
        var messages = Of(new AppEdit.SetSetting("fleet", "report", "onClick", action.ToText()))
            .Select(problem => problem.Message)
            .ToArray();
        Assert.Equal(5, messages.Length);
        Assert.Contains("A step gives the page “other” the parameter “ship”, which it does not have.", messages);
    }

    [Fact]
    public void A_step_knows_what_came_of_those_before_it_and_of_no_others()
    {
        PanelAction action = new(
            [
                new UpdateRecord { Dataset = Sample.Defects.Id, Record = "made" },
                new CreateRecord { Name = "made", Dataset = Sample.Defects.Id },
            ],
            []
        );
        Assert.Contains(
            "Unknown name “made”",
            Assert.Single(Of(new AppEdit.SetSetting("fleet", "report", "onClick", action.ToText()))).Message,
            StringComparison.Ordinal
        );
        Assert.Empty(
            Of(new AppEdit.SetSetting("fleet", "report", "onClick", (action with { Steps = [action.Steps[1], action.Steps[0]] }).ToText()))
        );
    }

    [Fact]
    public void A_home_that_goes_is_a_problem_and_a_page_without_readers_a_warning()
    {
        var problems = Of(
            new AppEdit.SetApp("home", "other"),
            new AppEdit.RemovePage("other"),
            new AppEdit.SetPage("fleet", "audience", "")
        );
        Assert.Contains(problems, problem => problem is { Page: null, Correction: AppEdit.SetApp });
        Assert.Contains(problems, problem => problem is { Setting: "audience", Warns: true });
    }

    [Fact]
    public void Two_states_are_told_apart_in_sentences()
    {
        var app = Assert
            .IsType<EditResult.Done>(
                new AppEdit.Several(
                    [
                        new AppEdit.SetSetting("fleet", "ships", "rowsPerPage", "20"),
                        new AppEdit.SetSetting("fleet", "ships", "columns", "name, id"),
                        new AppEdit.SetSetting("fleet", "new_defect", "defaults", "{\"cost\":\"12\"}"),
                        new AppEdit.SetSetting("fleet", "ships", "onChoice", "sheet"),
                        new AppEdit.AddPanel("fleet", null, 0, new TextPanel { Name = "hello" }),
                        new AppEdit.RemovePanel("fleet", "report"),
                        new AppEdit.MovePanel("fleet", "words", "details", 0),
                        new AppEdit.SetPage("other", "name", "The other"),
                        new AppEdit.SetApp("home", "other"),
                    ],
                    ""
                ).Apply(Sample.App, Sample.Catalogue)
            )
            .App;
        var renamed = Sample.Catalogue.All.Select(dataset =>
            dataset.Name.Value == "vessels"
                ? dataset with
                {
                    Fields = [.. dataset.Fields.Select(field => field.Name.Value == "seats" ? field with { Label = "Places" } : field)],
                }
                : dataset
        );
        Assert.Equal(
            [
                ": The app opens with The other",
                "Fleet: report: button removed",
                "Fleet: hello: text added",
                "Fleet: ships: rows per page “50” → “20”",
                "Fleet: ships: columns: id added; seats removed",
                "Fleet: ships: when a row is chosen “select it” → “open it in a sheet”",
                "Fleet: new_defect: default values: cost “=ships.selected.seats * 2” → “12”",
                "Fleet: The panels are in other places",
                "The other: Page: name “Other” → “The other”",
                "Vessels: Field “seats” is called “Places”",
            ],
            AppComparison
                .Between(FrozenApp.Of(Sample.App, Sample.Catalogue), FrozenApp.Of(app, new DatasetCatalogue(renamed)))
                .Select(difference => $"{difference.Of}: {difference.Says}")
        );
    }
}
