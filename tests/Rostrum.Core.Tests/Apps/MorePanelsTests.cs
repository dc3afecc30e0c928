using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Apps;

public sealed class MorePanelsTests
{
    private static readonly CardsPanel Cards = (CardsPanel)Sample.More.Find("fleet")!;

    [Fact]
    public void A_picture_needs_a_field_that_holds_one() =>
        Assert.Equal(
            ["picture: It shows a picture: choose the field that holds it."],
            ProblemsOf(
                Sample.More with
                {
                    Panels =
                    [
                        ((TabsPanel)Sample.More.Panels[0]) with
                        {
                            Panels = [((ImagePanel)Sample.More.Find("picture")!) with { Picture = new("name") }],
                        },
                        .. Sample.More.Panels.Skip(1),
                    ],
                }
            )
        );

    [Fact]
    public void An_app_of_every_kind_is_read_back_as_it_was_written()
    {
        var read = KindJson.Read<AppDefinition>(KindJson.Write(Sample.App));
        Assert.Equal(KindJson.Write(Sample.App), KindJson.Write(read));
        Assert.IsType<CardsPanel>(read!.Find("more")!.Find("fleet"));
    }

    [Fact]
    public void A_new_name_reaches_actions_tones_and_lists_within()
    {
        var page = Done(new AppEdit.RenamePanel("more", "faults", "flaws"));
        Assert.Contains(((LinksPanel)page.Find("ways")!).Links[1].Does.Steps, step => step is CopyText { Text: "=COUNT(flaws.checked)" });
        Assert.Contains(((LinksPanel)page.Find("ways")!).Links[1].Does.Steps, step => step is DownloadTable { Table: "flaws" });
        var table = (TablePanel)Done(new AppEdit.RenamePanel("more", "fleet", "ships")).Find("faults")!;
        Assert.Equal("cost > ships.selected.seats", table.Highlights[0].When);
    }

    [Fact]
    public void What_an_action_asks_is_checked_over_the_record_beside_which_it_stands()
    {
        Assert.Empty(ProblemsOf(WithAction(Cards.RowActions[0])));
        Assert.Equal(
            ["fleet: Row actions: Unknown name “nmae”."],
            ProblemsOf(WithAction(Cards.RowActions[0] with { Confirmation = "=nmae" }))
        );
        Assert.Contains(ProblemsOf(WithAction(Cards.RowActions[0] with { Enabled = "=seats + 1" })), problem =>
            problem.Contains("It gives a number, and should give", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void A_list_within_knows_the_records_of_its_own_dataset()
    {
        Assert.Empty(ProblemsOf(WithNested("cost > 100")));
        Assert.Contains(ProblemsOf(WithNested("seats > 100")), problem =>
            problem.StartsWith("fleet: Related lists: Unknown name", StringComparison.Ordinal)
        );
        Assert.Contains(
            "fleet: A list shows “crew” of each record, which is no longer there.",
            ProblemsOf(With(Cards with { Nested = [Cards.Nested[0] with { Relation = "crew", Filter = null }] }))
        );
    }

    [Fact]
    public void A_number_stands_out_by_a_condition_over_it_alone()
    {
        var figure = (FigurePanel)Sample.More.Find("dear")!;
        Assert.Contains(ProblemsOf(With(figure with { Highlights = [new Highlight("cost > 3", Tone.Danger, "")] })), problem =>
            problem.StartsWith("dear: Highlights: Unknown name", StringComparison.Ordinal)
        );
        Assert.Contains("dear: A period needs a date field: choose which.", ProblemsOf(With(figure with { When = new("title") })));
    }

    [Fact]
    public void A_record_opens_a_page_that_has_a_place_for_it()
    {
        Assert.Contains("fleet: A chosen row opens a page: choose which.", ProblemsOf(With(Cards with { ChoicePage = "" })));
        Assert.Contains(
            "fleet: A chosen row opens the page “Fleet”, which has no parameter for a vessel.",
            ProblemsOf(With(Cards with { ChoicePage = "fleet" }))
        );
        Assert.Contains(
            "fleet: A chosen row opens the page “gone”, which is not there.",
            ProblemsOf(With(Cards with { ChoicePage = "gone" }))
        );
    }

    [Fact]
    public void Steps_that_lead_nowhere_are_problems()
    {
        NamedAction Doing(Step step) => new("Do it", new PanelAction([step], []));
        Assert.Contains(
            "fleet: A step downloads the table “fleet”, which is not there.",
            ProblemsOf(WithAction(Doing(new DownloadTable { Table = "fleet" })))
        );
        Assert.Contains("fleet: A step writes an e-mail: say to whom.", ProblemsOf(WithAction(Doing(new WriteEmail()))));
        Assert.Contains(ProblemsOf(WithAction(Doing(new OpenAddress { Address = "javascript:alert(1)" }))), problem =>
            problem.Contains("no address that can be opened", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void What_is_checked_is_a_list_of_records_that_others_depend_on()
    {
        var links = new TextPanel { Name = "said", Text = "${COUNT(faults.checked)} of them" };
        var page = Sample.More with { Panels = Sample.More.Panels.Add(links) };
        var graph = Sample.Scope(page).Graph;
        Assert.Equal<string>(["said"], graph.Affected([new PageValue("faults", "checked")]));
    }

    private static Page With(Panel panel) =>
        Sample.More with
        {
            Panels = [.. Sample.More.Panels.Select(known => known.Name == panel.Name ? panel : known)],
        };

    private static Page WithAction(NamedAction action) => With(Cards with { RowActions = [action] });

    private static Page WithNested(string filter) => With(Cards with { Nested = [Cards.Nested[0] with { Filter = filter }] });

    private static Page Done(AppEdit edit) => Assert.IsType<EditResult.Done>(edit.Apply(Sample.App, Sample.Catalogue)).App.Find("more")!;

    private static string[] ProblemsOf(Page page) =>
        [
            .. AppProblems
                .Of(
                    Sample.App with
                    {
                        Pages = [.. Sample.App.Pages.Select(known => known.Address == page.Address ? page : known)],
                    },
                    Sample.Catalogue,
                    Sample.Anybody
                )
                .Where(problem => problem.Page == page.Address)
                .Select(problem => $"{problem.Panel}: {problem.Message}"),
        ];
}
