using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Core.Tests.Apps;

public sealed class PanelProposalsTests
{
    private static readonly Page Empty = new()
    {
        Address = "empty",
        Name = "Empty",
        Audience = ["builder"],
        Panels = [],
    };

    [Fact]
    public void What_is_selected_on_the_page_comes_first()
    {
        Assert.Equal(
            [
                "The vessel that is selected in “ships”",
                "Vessels in rows",
                "Vessels by their pictures",
                "How many vessels there are",
                "A form for a new vessel",
            ],
            PanelProposals.For(Sample.Fleet, Sample.Vessels, Sample.Catalogue).Select(proposal => proposal.Says)
        );
        var related = PanelProposals.For(Sample.Fleet, Sample.Defects, Sample.Catalogue)[0];
        Assert.Equal("Defects of the vessel that is selected in “ships”", related.Says);
        Assert.Equal("ships.selected.defects", Assert.IsType<TablePanel>(related.Panel).RelatedTo);
        Assert.Equal(
            "parameters.ship",
            Assert.IsType<RecordPanel>(PanelProposals.For(Sample.More, Sample.Vessels, Sample.Catalogue)[0].Panel).Record
        );
    }

    [Fact]
    public void Every_proposal_can_be_added_as_it_is()
    {
        foreach (var page in new[] { Empty, Sample.Fleet, Sample.More })
        {
            foreach (var dataset in Sample.Catalogue.All)
            {
                foreach (var proposal in PanelProposals.For(page, dataset, Sample.Catalogue))
                {
                    var app = Sample.App with { Pages = [.. Sample.App.Pages.Where(known => known.Address != page.Address), page] };
                    var done = Assert.IsType<EditResult.Done>(
                        new AppEdit.AddPanel(page.Address, null, int.MaxValue, proposal.Panel).Apply(app, Sample.Catalogue)
                    );
                    Assert.Empty(AppProblems.Of(done.App, Sample.Catalogue, Sample.Anybody));
                }
            }
        }
    }

    [Fact]
    public void A_draft_with_a_page_for_each_record_is_in_order_and_knows_what_belongs_to_it()
    {
        var app = AppDrafting.Draft("Upkeep", [Sample.Vessels, Sample.Defects], ["builder"], Sample.Catalogue, RecordOpening.Page);
        Assert.Empty(AppProblems.Of(app, Sample.Catalogue, Sample.Anybody));
        Assert.Equal(["defects", "vessels", "defect", "vessel"], app.Pages.Select(page => page.Address));
        Assert.Equal([false, false, true, true], app.Pages.Select(page => page.Unlisted));
        Assert.Equal("vessel", ((TablePanel)app.Find("vessels")!.Panels[0]).ChoicePage);
        var belongs = Assert.IsType<TablePanel>(app.Find("vessel")!.Panels[^1]);
        Assert.Equal(("parameters.vessel.defects", true, "defect"), (belongs.RelatedTo, belongs.HideWhenEmpty, belongs.ChoicePage));
    }
}
