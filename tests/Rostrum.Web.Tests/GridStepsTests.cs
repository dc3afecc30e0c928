using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>What is typed into rows that no source takes is saved by steps; a run that takes long says how far it is.</summary>
public sealed class GridStepsTests(WorkflowSpace space) : IClassFixture<WorkflowSpace>
{
    private const string Page = "/apps/maintenance/costs";
    private const string Grid = Page + "?handler=Grid&panel=costs";

    private async Task<Dataset> QueryAsync()
    {
        var defects = (await space.InStoreAsync(store => store.DatasetsAsync(default))).All.First(known => known.Name.Value == "defects");
        var query = new DatasetQuery(
            "SELECT d.id, d.title, d.state::text AS state, d.estimated_cost, v.name AS ship "
                + "FROM defects d JOIN vessels v ON v.hull_number = d.vessel",
            []
        );
        ColumnStructure[] columns =
        [
            new("id", new FieldType.Integer(), "integer", false),
            new("title", new FieldType.Text(), "text", false),
            new("state", new FieldType.Text(), "text", false),
            new("estimated_cost", new FieldType.Number(10, 2), "numeric(10,2)", true),
            new("ship", new FieldType.Text(), "text", false),
        ];
        return DatasetMaking.OfQuery(
            defects.Source,
            new DatasetId(Guid.NewGuid()),
            "Costs of defects",
            query,
            [.. columns],
            ["id"],
            null,
            space.Services.GetRequiredService<RecordFormat>()
        );
    }

    private async Task<Dataset> WithPageAsync()
    {
        var (costs, defects) = (await QueryAsync(), await space.DatasetAsync("defects"));
        await space.InStoreAsync(async store =>
        {
            await store.TakeAsync([costs], CancellationToken.None);
            store.Policies.Add(
                new StoredPolicy
                {
                    Role = "superintendent",
                    DatasetId = costs.Id.Value,
                    Verbs = Verbs.View | Verbs.Update,
                    UpdateCondition = "state <> \"closed\"",
                }
            );
            store.Policies.Add(
                new StoredPolicy
                {
                    Role = "auditor",
                    DatasetId = costs.Id.Value,
                    Verbs = Verbs.View,
                }
            );
            return await store.SaveChangesAsync();
        });
        await space.PublishAsync(
            new Workflow(
                "Save costs",
                new InPlaceOfSave { Dataset = costs.Id },
                [
                    new FlowStep(
                        "a",
                        new ForEach
                        {
                            List = "trigger.changed",
                            Steps =
                            [
                                new FlowStep(
                                    "b",
                                    new AddOrChange
                                    {
                                        Dataset = defects,
                                        Match = [new FieldName("id")],
                                        Values = new Dictionary<string, string>
                                        {
                                            ["id"] = "=item.id",
                                            ["estimated_cost"] = "=item.estimated_cost",
                                        }.ToImmutableDictionary(),
                                    }
                                ),
                            ],
                        }
                    ),
                ]
            )
        );
        FieldName[] fields = [.. costs.Fields.Select(field => field.Name)];
        var page = new Page
        {
            Address = "costs",
            Name = "Costs",
            Audience = ["superintendent", "auditor"],
            Panels =
            [
                new TablePanel
                {
                    Name = "costs",
                    Dataset = costs.Id,
                    Columns = [.. fields],
                    Editable = [new FieldName("estimated_cost"), new FieldName("ship")],
                    SaveWorkflow = "save_costs",
                    Sort = [new SortBy(new FieldName("id"))],
                },
            ],
        };
        await WithPageAsync(page);
        return costs;
    }

    private async Task WithPageAsync(Page page)
    {
        await space.InStoreAsync(async store =>
        {
            var datasets = await store.DatasetsAsync(default);
            var stored = await space.DraftAsync("maintenance");
            Drafts.Replace(store, stored, Assert.IsType<EditResult.Done>(new AppEdit.AddPage(9, page).Apply(stored.Draft, datasets)).App);
            return await store.SaveChangesAsync();
        });
        using var published = await (await space.AsAsync("bea")).PublishAsync("/build/apps/maintenance/versions", page.Name);
    }

    [Fact]
    public async Task A_workflow_that_takes_long_says_how_far_it_is_and_then_what_came_of_it()
    {
        const string Busy = "const end = Date.now() + 150; while (Date.now() < end) { } return n;";
        var script = new RunScript
        {
            Inputs = ImmutableDictionary<string, string>.Empty.Add("n", "=item"),
            Code = Busy,
            Sample = "1",
        };
        var workflow = await space.PublishAsync(
            new Workflow(
                "Takes long",
                new OnDemand(),
                [
                    new FlowStep(
                        "l",
                        new RunScript
                        {
                            Name = "list",
                            Code = "return Array.from({ length: 50 }, (_, at) => at);",
                            Sample = "[1]",
                        }
                    ),
                    new FlowStep("e", new ForEach { List = "steps.list", Steps = [new FlowStep("s", script)] }),
                    new FlowStep("f", new Finish { Message = "All fifty are there." }),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        const string Slow = "/apps/maintenance/slow";
        await WithPageAsync(
            new Page
            {
                Address = "slow",
                Name = "Slow",
                Audience = ["superintendent"],
                Panels =
                [
                    new ButtonPanel
                    {
                        Name = "go",
                        Label = "Go",
                        OnClick = new Core.Apps.Actions.PanelAction([new CallWorkflow { Workflow = workflow.Name, Waits = true }], []),
                    },
                ],
            }
        );
        var maren = await space.AsAsync("maren");
        using var pressed = await maren.PostAsync(Slow, $"{Slow}?handler=Run&panel=go&action=Go");
        var said = (await Visitor.ParseAsync(pressed)).QuerySelector("[data-message]")!;
        Assert.Contains("goes on in the background", said.TextContent, StringComparison.Ordinal);
        var run = (
            await space.InStoreAsync(store => store.WorkflowRuns.AsNoTracking().SingleAsync(known => known.WorkflowId == workflow.Id))
        ).Id;
        var shown = new HashSet<string>();
        for (var tries = 0; tries < 200; tries++)
        {
            said = (await maren.PageAsync($"{Slow}?handler=Progress&run={run}")).QuerySelector("[data-message]")!;
            if (said.QuerySelector("progress") is not { } progress)
            {
                break;
            }

            shown.Add($"{progress.GetAttribute("value")} of {progress.GetAttribute("max")}");
            await Task.Delay(100);
        }

        Assert.Contains("All fifty are there.", said.TextContent, StringComparison.Ordinal);
        Assert.True(shown.Count > 1, string.Join(", ", shown));
        Assert.Equal(
            System.Net.HttpStatusCode.Forbidden,
            await (await space.AsAsync("egil")).StatusAsync($"{Slow}?handler=Progress&run={run}")
        );
    }

    [Fact]
    public async Task Rows_of_a_query_are_typed_into_and_saved_by_steps_within_the_rights_to_them()
    {
        await WithPageAsync();
        var maren = await space.AsAsync("maren");
        var page = await maren.PageAsync(Page);
        var open = page.QuerySelectorAll("#panel-costs tr[data-key]")
            .First(row => !row.TextContent.Contains("closed", StringComparison.Ordinal));
        var closed = page.QuerySelectorAll("#panel-costs tr[data-key]")
            .First(row => row.TextContent.Contains("closed", StringComparison.Ordinal));
        Assert.Single(open.QuerySelectorAll("[data-cell='estimated_cost']"));
        Assert.Empty(open.QuerySelectorAll("[data-cell='title']"));
        Assert.Empty((await (await space.AsAsync("aud")).PageAsync(Page)).QuerySelectorAll("[data-cell]"));

        var (one, other) = (open.GetAttribute("data-key")!, closed.GetAttribute("data-key")!);
        string? Original(AngleSharp.Dom.IElement row) =>
            row.QuerySelector("[data-cell='estimated_cost']")?.GetAttribute("data-original") is { Length: > 0 } text ? text[1..] : null;
        async Task<string> SaveAsync(params (string Key, string? Original)[] rows)
        {
            var cells = JsonSerializer.Serialize(
                rows.Select(row => new
                {
                    row = row.Key,
                    field = "estimated_cost",
                    text = "4711",
                    original = row.Original,
                })
            );
            using (await maren.PostAsync(Page, Grid, ("does", "discard"))) { }
            using (await maren.PostAsync(Page, Grid, ("does", "type"), ("cells", cells))) { }
            using var saved = await maren.PostAsync(Page, Grid, ("does", "save"));
            return (await Visitor.ParseAsync(saved)).Body!.TextContent;
        }

        // The steps could change both; the rights to the rows that are typed into say otherwise.
        Assert.Contains(
            "is not among those that you may change",
            await SaveAsync((one, Original(open)), (other, Original(closed))),
            StringComparison.Ordinal
        );
        Assert.Contains("was changed meanwhile", await SaveAsync((one, "-1")), StringComparison.Ordinal);
        Assert.Equal("0", await space.FleetScalarAsync("SELECT count(*) FROM defects WHERE estimated_cost = 4711"));
        Assert.Contains("Saved by “Save costs”.", await SaveAsync((one, Original(open))), StringComparison.Ordinal);
        Assert.Equal(one, await space.FleetScalarAsync("SELECT id FROM defects WHERE estimated_cost = 4711"));
    }
}
