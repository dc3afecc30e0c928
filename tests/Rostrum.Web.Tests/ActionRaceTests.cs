using System.Net;
using AngleSharp.Dom;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>Actions of several people at one moment: nothing is lost, nothing is done twice, and nobody is told otherwise.</summary>
public sealed class ActionRaceTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Page = "/try/maintenance/race";

    private async Task AddPageAsync() =>
        await application.InStoreAsync(async store =>
        {
            var draft = await application.DraftAsync("maintenance");
            var defects = (await store.DatasetsAsync(default)).All.Single(dataset => dataset.Name.Value == "defects");
            NamedAction Action(string label, string field, string value, string enabled) =>
                new(
                    label,
                    new PanelAction(
                        [
                            new UpdateRecord
                            {
                                Dataset = defects.Id,
                                Values = System.Collections.Immutable.ImmutableDictionary<string, string>.Empty.Add(field, value),
                            },
                        ],
                        []
                    )
                )
                {
                    Enabled = enabled,
                    DisabledReason = "Somebody has it already.",
                };
            var page = new Page
            {
                Address = "race",
                Name = "Race",
                Audience = ["builder"],
                Panels =
                [
                    new TablePanel
                    {
                        Name = "defects",
                        Dataset = defects.Id,
                        Columns = [new("title")],
                        RowActions =
                        [
                            Action("Raise", "estimated_cost", "=estimated_cost + 1", "yes"),
                            Action("Take", "reported_by", "=user.name", "=reported_by = \"Nobody\""),
                        ],
                    },
                ],
            };
            if (draft.Draft.Find("race") is null)
            {
                Drafts.Replace(store, draft, draft.Draft with { Pages = draft.Draft.Pages.Add(page) });
                await store.SaveChangesAsync();
            }

            return 0;
        });

    private static async Task<string> RunAsync(Visitor visitor, string token, string action, int defect)
    {
        using var answer = await visitor.SendAsync(
            $"{Page}?handler=Run&panel=defects&at=Record&row={defect}&action={action}",
            [("__RequestVerificationToken", token)]
        );
        return answer.StatusCode == HttpStatusCode.Forbidden
            ? "forbidden"
            : (await Visitor.ParseAsync(answer)).QuerySelector("[data-message] span")?.TextContent ?? "";
    }

    private static async Task<string> TokenAsync(Visitor visitor)
    {
        await visitor.AllowChangesAsync(Page);
        return (await visitor.PageAsync(Page)).QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
    }

    [Fact]
    public async Task As_many_increments_at_one_moment_are_as_many_in_the_end()
    {
        await AddPageAsync();
        await application.FleetAsync("UPDATE defects SET estimated_cost = 100, state = 'open' WHERE id = 41");
        var bea = await application.AsAsync("bea");
        var token = await TokenAsync(bea);
        var said = await Task.WhenAll(Enumerable.Range(0, 20).Select(_ => RunAsync(bea, token, "Raise", 41)));
        Assert.All(said, message => Assert.EndsWith("changed.", message, StringComparison.Ordinal));
        Assert.Equal("120.00", await application.FleetScalarAsync("SELECT estimated_cost::text FROM defects WHERE id = 41"));
    }

    [Fact]
    public async Task What_one_person_took_the_other_is_told_and_does_not_take()
    {
        await AddPageAsync();
        var (bea, other) = (await application.AsAsync("bea"), await application.AsAsync("bea"));
        await application.FleetAsync(
            "INSERT INTO defects (vessel, reported_by, reported_at, title, description, severity, state) "
                + "SELECT vessel, 'Nobody', now(), 'Up for grabs', '', severity, 'open' FROM defects WHERE id = 1"
        );
        var defect = int.Parse(
            await application.FleetScalarAsync("SELECT max(id)::text FROM defects"),
            System.Globalization.CultureInfo.InvariantCulture
        );
        var (mine, theirs) = (await TokenAsync(bea), await TokenAsync(other));
        var said = await Task.WhenAll(
            Enumerable.Range(0, 6).Select(at => at % 2 == 0 ? RunAsync(bea, mine, "Take", defect) : RunAsync(other, theirs, "Take", defect))
        );
        Assert.Single(said, message => message.EndsWith("changed.", StringComparison.Ordinal));
        Assert.All(said.Where(message => !message.EndsWith("changed.", StringComparison.Ordinal)), message =>
            Assert.True(message is "forbidden" or "Somebody has it already.", message)
        );
    }
}
