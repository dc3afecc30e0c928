using System.Collections.Immutable;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;

namespace Rostrum.Web.Tests;

/// <summary>A workflow that finishes with rows is a dataset like another.</summary>
public sealed class WorkflowRowsTests(WorkflowSpace space) : IClassFixture<WorkflowSpace>
{
    private const string Sample = """[{"id": 1, "name": "x", "island": "y", "made": 1.5}]""";

    private static Workflow Ports(DatasetId ports, int kept, string filter = "") =>
        new(
            "Ports in other words",
            new OnDemand { Inputs = [new PageParameter("suffix", new FieldType.Text())], KeptSeconds = kept },
            [
                new FlowStep(
                    "r",
                    new ReadRecords
                    {
                        Name = "ports",
                        Dataset = ports,
                        Filter = filter,
                        Limit = 50,
                    }
                ),
                new FlowStep(
                    "s",
                    new RunScript
                    {
                        Name = "rows",
                        Inputs = ImmutableDictionary<string, string>
                            .Empty.Add("names", "=TEXTJOIN(\"|\", TRUE, steps.ports.name)")
                            .Add("suffix", "=trigger.suffix"),
                        Code =
                            "return names.split('|').map((name, at) => "
                            + "({ id: at + 1, name: name + (suffix || ''), island: null, made: Math.random() }));",
                        Sample = Sample,
                    }
                ),
                new FlowStep("f", new Finish { Value = "steps.rows" }),
            ]
        )
        {
            RunsAs = "owner",
        };

    private async Task<ReadResult> ReadAsync(Dataset dataset, Func<ReadRequest, ReadRequest>? otherwise = null)
    {
        var workspace = await space.Services.GetRequiredService<WorkspaceCache>().GetAsync(CancellationToken.None);
        var request = new ReadRequest(dataset.Id)
        {
            Fields = [.. dataset.Fields.Select(field => field.Name)],
            Window = new PageWindow.FromStart(0, 50),
            Counted = true,
        };
        return await space
            .Services.GetRequiredService<RecordGate>()
            .ReadAsync(workspace.Datasets, otherwise?.Invoke(request) ?? request, Grants.ViewEverything, CancellationToken.None);
    }

    private async Task<(StoredWorkflow Workflow, Dataset Dataset)> ConnectedAsync(Workflow workflow)
    {
        var stored = await space.PublishAsync(workflow);
        await using var scope = space.Services.CreateAsyncScope();
        var settings = new SourceSettings("", 0, "", "", "", Encrypted: false) { Kind = "workflows" };
        var (source, refusal) = await scope
            .ServiceProvider.GetRequiredService<SourceSetUp>()
            .ConnectAsync($"Workflows {stored.Name}", settings, CancellationToken.None);
        Assert.Null(refusal);
        var workspace = await scope.ServiceProvider.GetRequiredService<WorkspaceCache>().GetAsync(CancellationToken.None);
        return (stored, workspace.Datasets.All.Single(dataset => dataset.Source.Value == source!.Id && dataset.Table.Name == stored.Name));
    }

    private static string[] Names(ReadResult result) =>
        [.. Assert.IsType<ReadResult.Rows>(result).Records.Select(record => (string)record[new FieldName("name")]!)];

    [Fact]
    public async Task Its_rows_are_read_sorted_narrowed_and_counted_and_given_its_inputs()
    {
        var (_, dataset) = await ConnectedAsync(Ports(await space.DatasetAsync("ports"), kept: 0));
        Assert.Equal(["id", "name", "island", "made"], dataset.Fields.Select(field => field.Name.Value));
        Assert.Equal(["suffix"], dataset.Parameters.Select(parameter => parameter.Name.Value));
        var all = Names(await ReadAsync(dataset));
        Assert.Equal(9, all.Length);
        var sorted = await ReadAsync(dataset, request =>
            request with
            {
                Sort = [new SortBy(new FieldName("name"), Descending: true)],
                Filter = Filter.Both(
                    new Filter.Given(ImmutableDictionary<string, object?>.Empty.Add("suffix", "!")),
                    new Filter.Holds("id > 2")
                ),
            }
        );
        Assert.Equal(all.Skip(2).Select(name => name + "!").OrderDescending(StringComparer.Ordinal), Names(sorted));
        Assert.Equal(7, ((ReadResult.Rows)sorted).Count!.Number);

        // Nothing of it can be written.
        Assert.NotNull(dataset.ReadOnlyBecause);
    }

    [Fact]
    public async Task Its_rows_are_kept_for_as_long_as_its_builder_says()
    {
        async Task<decimal> MadeAsync(Dataset dataset) =>
            (decimal)Assert.IsType<ReadResult.Rows>(await ReadAsync(dataset)).Records[0][new FieldName("made")]!;
        var ports = await space.DatasetAsync("ports");
        var (_, fresh) = await ConnectedAsync(Ports(ports, kept: 0));
        Assert.NotEqual(await MadeAsync(fresh), await MadeAsync(fresh));
        var (_, kept) = await ConnectedAsync(Ports(ports, kept: 600));
        Assert.Equal(await MadeAsync(kept), await MadeAsync(kept));
    }

    [Fact]
    public async Task What_it_may_not_do_or_fails_at_is_said_and_so_is_that_it_is_off()
    {
        var source = await space.SignalAsync();
        var good = Ports(await space.DatasetAsync("ports"), kept: 0);
        var (_, writes) = await ConnectedAsync(
            good with
            {
                Steps =
                [
                    new FlowStep(
                        "c",
                        new SendToChat
                        {
                            Source = source,
                            Path = "/rooms/rows",
                            Message = "never",
                        }
                    ),
                    .. good.Steps,
                ],
            }
        );
        Assert.Contains("cannot stand in a workflow that gives rows", Problem(await ReadAsync(writes)), StringComparison.Ordinal);
        Assert.DoesNotContain(space.Signal.Received, message => message.Room == "rows");

        var (workflow, dataset) = await ConnectedAsync(good);
        await space.TurnOffAsync(workflow);
        Assert.Contains("is not there, or is off", Problem(await ReadAsync(dataset)), StringComparison.Ordinal);
    }

    private static string Problem(ReadResult result) => Assert.IsType<ReadResult.Failed>(result).Failure.Message;
}
