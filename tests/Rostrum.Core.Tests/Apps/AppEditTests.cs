using System.Collections.Immutable;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;

namespace Rostrum.Core.Tests.Apps;

public sealed class AppEditTests
{
    public sealed record MadeUp(ImmutableArray<AppEdit> Edits);

    public static Arbitrary<MadeUp> Edits() => Arb.From(Edit().ListOf().Select(edits => new MadeUp([.. edits])));

    private static Gen<AppEdit> Edit()
    {
        var panels = Gen.Elements([.. Sample.Fleet.All.Select(panel => panel.Name), "gone"]);
        var containers = Gen.Elements<string?>(null, "details", "asking", "ships");
        var keys = Gen.Elements(PanelKind.All.SelectMany(kind => kind.Settings).Select(setting => setting.Key).Distinct().ToArray());
        return Gen.OneOf(
            from panel in panels
            from key in keys
            from value in Gen.Elements(
                "",
                "yes",
                "no",
                "3",
                "=1 + 1",
                "count",
                "name",
                "select",
                "ships.selected",
                "x = 1",
                "{}",
                "{\"name\":\"=words.value\"}"
            )
            select (AppEdit)new AppEdit.SetSetting("fleet", panel, key, value),
            from panel in panels
            from parent in containers
            from at in Gen.Choose(0, 9)
            select (AppEdit)new AppEdit.MovePanel("fleet", panel, parent, at),
            from panel in panels
            select (AppEdit)new AppEdit.RemovePanel("fleet", panel),
            from panel in panels
            from name in Gen.Elements("boats", "ships", "x y", "user", "zwölf", "Words")
            select (AppEdit)new AppEdit.RenamePanel("fleet", panel, name),
            from parent in containers
            from at in Gen.Choose(0, 9)
            from name in Gen.Elements("more", "ships")
            select (AppEdit)new AppEdit.AddPanel("fleet", parent, at, new TextPanel { Name = name, Text = "${words.value}" }),
            from key in Gen.Elements("name", "address", "icon", "group", "unlisted", "audience", "parameters")
            from value in Gen.Elements("other", "no", "wrench", "a, b", "")
            select (AppEdit)new AppEdit.SetPage("fleet", key, value),
            from at in Gen.Choose(0, 3)
            select (AppEdit)new AppEdit.MovePage("fleet", at),
            Gen.Elements<AppEdit>(
                new AppEdit.RemovePage("other"),
                new AppEdit.AddPage(
                    1,
                    new Page
                    {
                        Address = "third",
                        Name = "Third",
                        Panels = [],
                    }
                ),
                new AppEdit.SetApp("name", "Else"),
                new AppEdit.SetApp("home", "other"),
                new AppEdit.SetApp("home", "nowhere")
            )
        );
    }

    [Law(600, Arbitrary = [typeof(AppEditTests)])]
    public void What_is_done_and_taken_back_leaves_everything_as_it_was(MadeUp made)
    {
        var app = Sample.App;
        var states = new Stack<(AppDefinition Before, AppEdit Inverse)>();
        foreach (var edit in made.Edits)
        {
            if (edit.Apply(app, Sample.Catalogue) is EditResult.Done done)
            {
                states.Push((app, done.Inverse));
                app = done.App;
            }
        }

        while (states.TryPop(out var state))
        {
            var undone = state.Inverse.Apply(app, Sample.Catalogue);
            Assert.True(undone is EditResult.Done, $"{KindJson.Write(state.Inverse)}: {(undone as EditResult.Refused)?.Reason}");
            app = ((EditResult.Done)undone).App;
            Assert.Equal(KindJson.Write(state.Before), KindJson.Write(app));
        }
    }

    [Law(200, Arbitrary = [typeof(AppEditTests)])]
    public void Several_edits_are_taken_back_as_one_and_are_kept_as_text(MadeUp made)
    {
        // Those that can be done one after the other can be done together.
        var app = Sample.App;
        var possible = new List<AppEdit>();
        foreach (var edit in made.Edits.Where(edit => edit is not AppEdit.SetPage { Key: "address" }))
        {
            if (edit.Apply(app, Sample.Catalogue) is EditResult.Done one)
            {
                app = one.App;
                possible.Add(edit);
            }
        }

        AppEdit all = new AppEdit.Several([.. possible], "all of it");
        all = System.Text.Json.JsonSerializer.Deserialize<AppEdit>(KindJson.Write(all), KindJson.Options)!;
        var done = Assert.IsType<EditResult.Done>(all.Apply(Sample.App, Sample.Catalogue));
        Assert.Equal(KindJson.Write(app), KindJson.Write(done.App));
        Assert.Equal(
            KindJson.Write(Sample.App),
            KindJson.Write(Assert.IsType<EditResult.Done>(done.Inverse.Apply(done.App, Sample.Catalogue)).App)
        );
    }

    [Fact]
    public void Every_setting_is_read_back_as_it_was_written()
    {
        var kinds = new HashSet<Type>();
        foreach (var panel in Sample.App.Pages.SelectMany(page => page.All))
        {
            kinds.Add(panel.GetType());
            foreach (var setting in panel.Kind.Settings)
            {
                Assert.Equal(KindJson.Write(panel), KindJson.Write(Assert.IsAssignableFrom<Panel>(setting.Set(panel, setting.Get(panel)))));
            }
        }

        Assert.Empty(
            PanelKind
                .All.Where(kind => kinds.All(known => KindJson.NameOf(known) != kind.Name))
                .Select(kind => kind.Label)
                .Except(["Sheet"])
        );
        foreach (var setting in PageSettings.All)
        {
            Assert.Equal(KindJson.Write(Sample.Fleet), KindJson.Write(setting.Set(Sample.Fleet, setting.Get(Sample.Fleet))));
        }

        foreach (
            var (step, setting) in StepKind
                .All.Select(kind => kind.Make())
                .SelectMany(step => step.Kind.Settings.Select(setting => (step, setting)))
        )
        {
            Assert.Equal(KindJson.Write(step), KindJson.Write(setting.Set(step, setting.Get(step))));
        }
    }

    [Fact]
    public void A_new_name_is_written_wherever_the_old_one_stood()
    {
        var page = Done(new AppEdit.RenamePanel("fleet", "ships", "boats")).Find("fleet")!;
        Assert.Equal("=NOT(ISEMPTY(boats.selected))", page.Find("details")!.Visible);
        Assert.Equal("boats.selected.defects", Assert.IsType<TablePanel>(page.Find("faults")).RelatedTo);
        var button = Assert.IsType<ButtonPanel>(page.Find("report"));
        Assert.Equal("=\"Report on \" & boats.selected.name", button.Label);
        Assert.Equal("=\"Look at \" & boats.selected.name", Assert.IsType<CreateRecord>(button.OnClick.Steps[0]).Values["title"]);
        Assert.Equal("=boats.selected", Assert.IsType<FormPanel>(page.Find("new_defect")).HiddenValues["vessel"]);
        Assert.DoesNotContain("ships", KindJson.Write(page), StringComparison.Ordinal);
        Assert.Empty(AppProblems.Of(Sample.App with { Pages = [page, Sample.App.Pages[1]] }, Sample.Catalogue, Sample.Anybody));
    }

    [Fact]
    public void A_step_follows_the_input_the_dialog_and_the_page_that_it_names()
    {
        var app = Done(
            new AppEdit.Several(
                [
                    new AppEdit.RenamePanel("fleet", "words", "query"),
                    new AppEdit.RenamePanel("fleet", "asking", "dialog"),
                    new AppEdit.SetPage("other", "address", "elsewhere"),
                ],
                ""
            )
        );
        var steps = Assert.IsType<ButtonPanel>(app.Find("fleet")!.Find("report")).OnClick.Steps;
        Assert.Equal(
            ("query", "dialog", "elsewhere"),
            (((SetInput)steps[2]).Input, ((OpenPanel)steps[3]).Panel, ((OpenPage)steps[4]).Page)
        );
        Assert.Equal(
            "OR(ISEMPTY(query.value), CONTAINS(name, query.value))",
            Assert.IsType<TablePanel>(app.Find("fleet")!.Find("ships")).Filter
        );
    }

    [Fact]
    public void A_text_keeps_what_is_no_formula_when_a_name_changes() =>
        Assert.Equal(
            "# ${boat.record.name}\n\nIt costs ${costs.value}, since ${parameters.since}. $${not a formula}",
            Assert.IsType<TextPanel>(Done(new AppEdit.RenamePanel("fleet", "ship", "boat")).Find("fleet")!.Find("words_of_it")).Text
        );

    [Theory]
    [InlineData("2nd", "begins with a letter")]
    [InlineData("a b", "letters, digits and underscores")]
    [InlineData("user", "means something else")]
    [InlineData("Words", "already")]
    public void A_name_that_cannot_be_is_refused(string name, string reason) =>
        Assert.Contains(
            reason,
            Assert.IsType<EditResult.Refused>(new AppEdit.RenamePanel("fleet", "ships", name).Apply(Sample.App, Sample.Catalogue)).Reason,
            StringComparison.Ordinal
        );

    [Fact]
    public void A_panel_stands_neither_within_itself_nor_in_what_holds_nothing_and_a_dialog_only_on_the_page()
    {
        string Reason(AppEdit edit) => Assert.IsType<EditResult.Refused>(edit.Apply(Sample.App, Sample.Catalogue)).Reason;
        Assert.Contains("within itself", Reason(new AppEdit.MovePanel("fleet", "details", "details", 0)), StringComparison.Ordinal);
        Assert.Contains("within a table", Reason(new AppEdit.MovePanel("fleet", "words", "ships", 0)), StringComparison.Ordinal);
        Assert.Contains("on the page itself", Reason(new AppEdit.MovePanel("fleet", "asking", "details", 0)), StringComparison.Ordinal);
        Assert.Contains("from 1 to 12", Reason(new AppEdit.SetSetting("fleet", "words", "width", "13")), StringComparison.Ordinal);
    }

    [Fact]
    public void A_copy_has_names_of_its_own_and_what_is_within_it_refers_to_the_copy()
    {
        var copy = PanelNaming.Renewed(Sample.Fleet, Sample.Fleet.Find("details")!, Sample.Catalogue);
        Assert.Equal(["details_2", "ship_2", "faults_2", "costs_2", "words_of_it_2"], copy.All.Select(panel => panel.Name));
        Assert.Equal("ship_2.record.defects", copy.All.OfType<FigurePanel>().Single().RelatedTo);
        Assert.Equal("ships.selected.defects", copy.All.OfType<TablePanel>().Single().RelatedTo);
        Assert.StartsWith("# ${ship_2.record.name}", copy.All.OfType<TextPanel>().Single().Text, StringComparison.Ordinal);
    }

    [Fact]
    public void Edits_are_about_the_same_where_one_touches_what_the_other_does()
    {
        var width = new AppEdit.SetSetting("fleet", "ships", "width", "3");
        Assert.True(width.IsAboutTheSameAs(width with { Value = "4" }));
        Assert.False(width.IsAboutTheSameAs(width with { Key = "filter" }));
        Assert.False(width.IsAboutTheSameAs(width with { Panel = "ships_2" }));
        Assert.True(width.IsAboutTheSameAs(new AppEdit.RemovePanel("fleet", "ships")));
        Assert.True(new AppEdit.RemovePage("fleet").IsAboutTheSameAs(width));
        Assert.True(new AppEdit.Restore(Sample.App, "").IsAboutTheSameAs(width));
        Assert.False(new AppEdit.MovePage("fleet", 0).IsAboutTheSameAs(new AppEdit.MovePanel("fleet", "ships", null, 0)));
    }

    [Fact]
    public void A_thousand_panels_are_edited_checked_and_compared()
    {
        var page = new Page
        {
            Address = "many",
            Name = "Many",
            Audience = ["builder"],
            Panels =
            [
                .. Enumerable.Range(0, 1000).Select(number => (Panel)new TextPanel { Name = $"text_{number}", Text = "${user.name}" }),
            ],
        };
        var app = new AppDefinition("Many", [page]);
        var edited = Assert
            .IsType<EditResult.Done>(new AppEdit.SetSetting("many", "text_999", "text", "${usr.name}").Apply(app, Sample.Catalogue))
            .App;
        Assert.Equal("text_999", Assert.Single(AppProblems.Of(edited, Sample.Catalogue, Sample.Anybody)).Panel);
        Assert.Single(AppComparison.Between(FrozenApp.Of(app, Sample.Catalogue), FrozenApp.Of(edited, Sample.Catalogue)));
    }

    private static AppDefinition Done(AppEdit edit) => Assert.IsType<EditResult.Done>(edit.Apply(Sample.App, Sample.Catalogue)).App;
}
