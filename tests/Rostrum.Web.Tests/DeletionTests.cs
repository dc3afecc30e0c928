using AngleSharp.Dom;

namespace Rostrum.Web.Tests;

/// <summary>Before a record is deleted it is said what goes with it, what stands in the way, and whether it can be undone.</summary>
public sealed class DeletionTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private static async Task<string> SaidAsync(Visitor visitor, string page)
    {
        var open = await visitor.PageAsync(page);
        var form = open.QuerySelector("[data-form]")!;
        Assert.NotNull(form.QuerySelector("[hx-post*='handler=Deleting']"));
        var answer = await Visitor.ParseAsync(await visitor.SubmitAsync(open, "Deleting"));
        return string.Join(' ', answer.Body!.TextContent.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
    }

    [Fact]
    public async Task A_record_to_which_nothing_refers_can_be_deleted_and_that_undone()
    {
        var maren = await application.AsAsync("maren");
        Assert.Equal("This can be undone.", await SaidAsync(maren, "/apps/maintenance/defects?defects.selected=7"));
        Assert.Equal("7", await application.FleetScalarAsync("SELECT id::text FROM defects WHERE id = 7"));
    }
}
