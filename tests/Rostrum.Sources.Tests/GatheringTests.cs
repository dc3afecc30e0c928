using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Tests;

/// <summary>What a page asks at once goes to its source in one round trip, and the answers are those that it would have had one by one.</summary>
public sealed class GatheringTests(FleetDatabase fleet) : IClassFixture<FleetDatabase>
{
    private Dataset Defects => fleet.Catalogue.Named("defects");

    private Dataset Ports => fleet.Catalogue.Named("ports");

    private ReadRequest[] Requests =>
    [
        new(Defects.Id) { Fields = [new("title"), new("due")], Titles = [new("vessel")], Filter = new Filter.Holds("state <> \"closed\""), Sort = [new SortBy(new("due"))], Counted = true, Window = new PageWindow.FromStart(0, 7) },
        new(Defects.Id) { Fields = [new("title")], Computed = [new ComputedColumn(new("late"), "IF(due < TODAY(), TODAY() - due)")], Counted = true, Window = new PageWindow.FromStart(20, 5) },
        new(Defects.Id) { Filter = new Filter.Holds("IF(due < TODAY(), TODAY() - due) > 3"), Counted = true, Window = new PageWindow.FromStart(0, 0) },
        new(Defects.Id) { Filter = new Filter.Holds("SQRT(id) > 30"), Fields = [new("title")], Counted = true, Window = new PageWindow.FromStart(0, 4) },
        new(Ports.Id) { Fields = [new("name"), new("berths")], Counted = true },
        new(Ports.Id) { Counted = true, Window = new PageWindow.FromStart(0, 0) },
    ];

    [Fact]
    public async Task The_answers_are_those_that_each_request_has_alone()
    {
        var now = new DateTimeOffset(2026, 11, 23, 12, 0, 0, TimeSpan.Zero);
        foreach (var _ in Enumerable.Range(0, 3))
        {
            var together = await HeldAsync(fleet.Gate.ForOnePage(), gate => Requests.Select(request => gate.ReadAsync(fleet.Catalogue, request with { Now = now }, Gates.All, CancellationToken.None)));
            for (var at = 0; at < Requests.Length; at++)
            {
                var alone = Assert.IsType<ReadResult.Rows>(await fleet.Gate.ReadAsync(fleet.Catalogue, Requests[at] with { Now = now }, Gates.All, CancellationToken.None));
                var rows = Assert.IsType<ReadResult.Rows>(together[at]);
                Assert.Equal(alone.Count, rows.Count);
                Assert.Equal(alone.Records.Select(Text), rows.Records.Select(Text));
            }
        }

        string Text(Core.Datasets.Record record) => string.Join('|', record.Key?.ToText(Defects), record.Title, string.Join(',', new[] { "title", "due", "late", "name", "berths" }.Select(name => record[new FieldName(name)])));
    }

    [Fact]
    public async Task Nothing_is_asked_before_the_gate_is_let_go()
    {
        var gate = fleet.Gate.ForOnePage();
        Task<ReadResult> asked;
        using (gate.Hold())
        {
            asked = gate.ReadAsync(fleet.Catalogue, Requests[4], Gates.All, CancellationToken.None);
            await Task.Delay(200);
            Assert.False(asked.IsCompleted);
        }

        Assert.Equal(9, Assert.IsType<ReadResult.Rows>(await asked).Records.Length);
    }

    [Fact]
    public async Task Where_one_fails_the_others_are_answered_and_the_failure_is_its_own()
    {
        var lost = Ports with { Id = new DatasetId(Guid.NewGuid()), Table = Ports.Table with { Name = "piers" } };
        var catalogue = new DatasetCatalogue([.. fleet.Catalogue.All, lost]);
        ReadRequest[] requests = [Requests[0], new(lost.Id) { Fields = [new("name")] }, Requests[4]];
        var answers = await HeldAsync(fleet.Gate.ForOnePage(), gate => requests.Select(request => gate.ReadAsync(catalogue, request, Gates.All, CancellationToken.None)));
        Assert.Equal(7, Assert.IsType<ReadResult.Rows>(answers[0]).Records.Length);
        Assert.Equal(FailureReason.StructureChanged, Assert.IsType<ReadResult.Failed>(answers[1]).Failure.Reason);
        Assert.Equal(9, Assert.IsType<ReadResult.Rows>(answers[2]).Records.Length);
    }

    [Fact]
    public async Task Each_request_has_the_rights_of_its_own_person()
    {
        var some = Grants.Of(new HashSet<string> { "x" }, [Policy.On("x", Defects.Id, Verbs.View) with { Condition = new Filter.Holds("severity = \"critical\"") }]);
        var count = new ReadRequest(Defects.Id) { Counted = true, Window = new PageWindow.FromStart(0, 0) };
        var answers = await HeldAsync(fleet.Gate.ForOnePage(), gate => new[] { Gates.All, some }.Select(grants => gate.ReadAsync(fleet.Catalogue, count, grants, CancellationToken.None)));
        var numbers = answers.Cast<ReadResult.Rows>().Select(rows => rows.Count!.Number).ToArray();
        Assert.Equal(await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM defects"), numbers[0]);
        Assert.Equal(await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM defects WHERE severity = 'critical'"), numbers[1]);
        Assert.All(answers.Cast<ReadResult.Rows>(), rows => Assert.Empty(rows.Records));
    }

    private static async Task<ImmutableArray<ReadResult>> HeldAsync(RecordGate gate, Func<RecordGate, IEnumerable<Task<ReadResult>>> ask)
    {
        Task<ReadResult[]> answers;
        using (gate.Hold())
        {
            answers = Task.WhenAll(ask(gate));
        }

        return [.. await answers];
    }
}
