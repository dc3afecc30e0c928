using System.Net;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Access;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Store;
using static Rostrum.Web.Tests.WorkflowSpace;

namespace Rostrum.Web.Tests;

/// <summary>Workflows are written, published, compared and taken back.</summary>
public sealed class WorkflowBuildTests(WorkflowSpace space) : IClassFixture<WorkflowSpace>
{
    [Fact]
    public async Task Steps_are_added_set_moved_copied_and_taken_back_and_forth()
    {
        var bea = await space.AsAsync("bea");
        using var made = await bea.PostAsync("/build/workflows", "/build/workflows", ("label", "Written by hand"), ("starter", "empty"));
        var page = made.Headers.Location!.OriginalString.Split('?')[0];
        async Task DoAsync(string question, params (string, string)[] fields)
        {
            using var answer = await bea.PostAsync(page, $"{page}?{question}", fields);
            Assert.True(answer.StatusCode is HttpStatusCode.Redirect or HttpStatusCode.OK, $"{question}: {answer.StatusCode}");
        }

        Task<Workflow> DraftAsync() =>
            space.InStoreAsync(store =>
                store.Workflows.AsNoTracking().Where(known => page.EndsWith(known.Name)).Select(known => known.Draft).SingleAsync()
            );
        await DoAsync("handler=Add&kind=computeValue&block=0&place=0");
        await DoAsync("at=s1&handler=Set&key=formula", ("set.formula", "1 + 1"));
        await DoAsync("at=s1&handler=Step&step=s1&does=name", ("said", "two"));
        await DoAsync("handler=Add&kind=computeValue&block=0&place=1");
        await DoAsync("at=s2&handler=Set&key=formula", ("set.formula", "steps.two * 2"));
        await DoAsync("at=s1&handler=Step&step=s1&does=name", ("said", "sum"));
        Assert.Equal("steps.sum * 2", ((ComputeValue)(await DraftAsync()).Find("s2")!.Does).Formula);

        // A step that is moved before the one that it needs is a problem at once.
        await DoAsync("at=s2&handler=Step&step=s2&does=up");
        Assert.Contains("1 problem", (await bea.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);
        await DoAsync("handler=Undo");
        Assert.Contains("No problems", (await bea.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);

        await DoAsync("handler=Add&kind=decide&block=0&place=2");
        await DoAsync("at=s3&handler=Set&key=cases", ("set.cases", "steps.sum > 1\nsteps.sum > 2"));
        await DoAsync("handler=Paste&from=written_by_hand&step=s2&move=false&within=s3&block=1&place=0");
        await DoAsync("handler=Paste&from=written_by_hand&step=s2&move=true&within=s3&block=2&place=0");
        var decide = (Decide)(await DraftAsync()).Find("s3")!.Does;
        Assert.Equal((0, 1, 1), (decide.Cases[0].Steps.Length, decide.Cases[1].Steps.Length, decide.Otherwise.Length));
        await DoAsync("handler=Step&step=s3&does=off");
        await DoAsync("handler=Step&step=s3&does=note", ("said", "for later"));
        Assert.True((await DraftAsync()).Find("s3") is { IsOff: true, Note: "for later" });

        // All the way back, and forth again.
        var whole = Core.KindJson.Write(await DraftAsync());
        for (var step = 0; step < 30; step++)
        {
            await DoAsync("handler=Undo");
        }

        Assert.Empty((await DraftAsync()).Steps);
        for (var step = 0; step < 30; step++)
        {
            await DoAsync("handler=Redo");
        }

        Assert.Equal(whole, Core.KindJson.Write(await DraftAsync()));
        await DoAsync("handler=Step&step=s1&does=remove");
        Assert.Contains("problem", (await bea.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);

        // A step that is gone, a kind that is none, a setting that does not fit: nothing happens.
        Assert.Equal(HttpStatusCode.NotFound, (await bea.PostAsync(page, $"{page}?handler=Step&step=s9&does=up")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await bea.PostAsync(page, $"{page}?handler=Add&kind=nothing&block=0&place=0")).StatusCode);
    }

    [Fact]
    public async Task A_version_is_published_without_errors_alone_compared_restored_turned_off_and_removed()
    {
        var bea = await space.AsAsync("bea");
        var stored = await space.PublishAsync(new Workflow("In versions", new OnDemand(), [Compute("a", "1")]));
        var page = $"/build/workflows/{stored.Name}/versions";
        async Task EditAsync(string formula)
        {
            using var answer = await bea.PostAsync(
                $"/build/workflows/{stored.Name}",
                $"/build/workflows/{stored.Name}?at=a&handler=Set&key=formula",
                ("set.formula", formula)
            );
        }

        async Task PublishAsync()
        {
            var form = (await bea.PageAsync(page)).QuerySelector("input[name=revision]");
            using var answer = await bea.PostAsync(
                page,
                $"{page}?handler=Publish",
                ("note", "next"),
                ("revision", form?.GetAttribute("value") ?? "0")
            );
        }

        Task<int?> LiveAsync() =>
            space.InStoreAsync(store =>
                store.Workflows.Where(known => known.Id == stored.Id).Select(known => known.LiveVersion).SingleAsync()
            );
        await EditAsync("1 +");
        await PublishAsync();
        Assert.Equal(1, await LiveAsync());
        await EditAsync("2");
        Assert.Contains("Formula: 1 → 2", (await bea.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);
        await PublishAsync();
        Assert.Equal(2, await LiveAsync());

        // A run goes on with the version with which it began.
        var first = await space.BeginAsync(stored);
        await space.RunsAsync(stored, status: RunStatus.Done);
        var run = await space.InStoreAsync(store => store.WorkflowRuns.AsNoTracking().SingleAsync(known => known.Id == first));
        Assert.Equal((1, "1"), (run.Version, run.State["a"]!.Result!.Value.GetRawText()));

        using (await bea.PostAsync(page, $"{page}?handler=Restore&version=1")) { }
        Assert.Contains("Formula: 2 → 1", (await bea.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);
        using (await bea.PostAsync(page, $"{page}?handler=Turn&on=false")) { }
        Assert.DoesNotContain(
            (await space.Services.GetRequiredService<WorkspaceCache>().GetAsync(CancellationToken.None)).SetOffBy<OnDemand>(),
            known => known.Workflow.Id == stored.Id
        );
        var oskar = await space.AsAsync("oskar");
        var audit = (await oskar.PageAsync("/people/audit")).Body!.TextContent;
        Assert.Contains("Published version 2 of the workflow.", audit, StringComparison.Ordinal);
        Assert.Contains("Turned the workflow off.", audit, StringComparison.Ordinal);

        using (await bea.PostAsync(page, $"{page}?handler=Remove")) { }
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync(page));
    }

    [Fact]
    public async Task A_workflow_on_which_runs_wait_is_not_removed()
    {
        var bea = await space.AsAsync("bea");
        var stored = await space.PublishAsync(
            new Workflow("Waited for", new OnDemand(), [new FlowStep("w", new Wait { Name = "waited", Minutes = "60" })])
        );
        await space.BeginAsync(stored);
        await space.RunsAsync(stored);
        var page = $"/build/workflows/{stored.Name}/versions";
        using (await bea.PostAsync(page, $"{page}?handler=Remove")) { }
        Assert.Contains("cancel them first", (await bea.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Who_lacks_the_rights_with_which_a_workflow_runs_neither_publishes_nor_tries_it_and_sees_no_values_of_its_runs()
    {
        var stored = await space.PublishAsync(
            new Workflow("Runs as owner", new OnDemand(), [Compute("a", "\"a secret figure\"")]) { RunsAs = "owner" }
        );
        await space.BeginAsync(stored, """{"secret": "input"}""");
        var run = Assert.Single(await space.RunsAsync(stored, status: RunStatus.Done));
        var page = $"/build/workflows/runs/{run.Id}";
        var bea = await space.AsAsync("bea");
        Assert.Contains("a secret figure", (await bea.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);

        // A builder who gives no rights, and may see nothing of a dataset that the owner sees.
        await space.InStoreAsync(async store =>
        {
            var role = await store.Roles.SingleAsync(known => known.Name == Role.Builder);
            role.Permissions &= ~WorkspacePermissions.ManageRights;
            var policies = await store.Policies.Where(policy => policy.Role == Role.Builder).ToListAsync();
            store.Policies.RemoveRange(policies.Take(1));
            return await store.SaveChangesAsync();
        });
        var text = (await bea.PageAsync(page)).Body!.TextContent;
        Assert.DoesNotContain("secret", text, StringComparison.Ordinal);
        Assert.Contains("done", text, StringComparison.Ordinal);

        var here = $"/build/workflows/{stored.Name}";
        using (await bea.PostAsync(here, $"{here}?at=a&handler=Set&key=formula", ("set.formula", "\"another\""))) { }
        var revision = (await bea.PageAsync($"{here}/versions")).QuerySelector("input[name=revision]")!.GetAttribute("value")!;
        using (await bea.PostAsync($"{here}/versions", $"{here}/versions?handler=Publish", ("revision", revision))) { }
        Assert.Contains("that you do not have", (await bea.PageAsync($"{here}/versions")).Body!.TextContent, StringComparison.Ordinal);
        using (var tried = await bea.PostAsync($"{here}/try", $"{here}/try", ("input", "{}"), ("real", "true")))
        {
            Assert.Contains("that you do not have", await tried.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        Assert.Equal(1, await space.InStoreAsync(store => store.WorkflowRuns.CountAsync(known => known.WorkflowId == stored.Id)));
        Assert.NotEqual(HttpStatusCode.OK, await (await space.AsAsync("pia")).StatusAsync("/build/workflows"));
    }

    [Theory]
    [InlineData("empty")]
    [InlineData("chat")]
    [InlineData("duplicates")]
    [InlineData("agree")]
    [InlineData("nightly")]
    public async Task Every_starter_opens_and_says_what_it_lacks(string starter)
    {
        var bea = await space.AsAsync("bea");
        using var made = await bea.PostAsync("/build/workflows", "/build/workflows", ("label", $"From {starter}"), ("starter", starter));
        var page = await bea.PageAsync(made.Headers.Location!.OriginalString);
        Assert.NotEmpty(page.QuerySelectorAll("[data-flow-row]"));
    }
}
