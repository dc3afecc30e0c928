// What the logbook adds to a save: the gate with everything that hears of saves, against the same gate with nobody that does, in turn, in
// one run. And what it takes to undo a change of ten thousand records, against that change. ROSTRUM_STORE and ROSTRUM_FLEET name a demo.
using System.Collections.Immutable;
using System.Diagnostics;
using Microsoft.AspNetCore.Builder;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using Npgsql;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web;
using Rostrum.Web.Bulk;

const int Many = 10_000;
const int Singles = 400;
const int Sets = 40;
const int InSet = 1_000;
var fleet = Environment.GetEnvironmentVariable("ROSTRUM_FLEET") ?? throw new InvalidOperationException("run ./rostrum bench saves");
await using var source = NpgsqlDataSource.Create(fleet);
await using (
    var fill = source.CreateCommand(
        $"""
        INSERT INTO fuel_logs (id, vessel, port, taken_at, litres, price_a_litre)
        SELECT gen_random_uuid(), vessel, port, taken_at, 100, price_a_litre FROM fuel_logs, generate_series(1, 50)
        LIMIT greatest(0, {Many} - (SELECT count(*) FROM fuel_logs))
        """
    )
)
{
    await fill.ExecuteNonQueryAsync();
}

var builder = WebApplication.CreateBuilder(["--urls", "http://127.0.0.1:0"]);
builder.AddRostrum();
builder.Logging.SetMinimumLevel(LogLevel.Error);
await using var application = builder.Build();
await application.StartAsync();
var services = application.Services;
var workspace = await services.GetRequiredService<WorkspaceCache>().GetAsync(default);
var logs = workspace.Datasets.All.Single(dataset => dataset.Name.Value == "fuel_logs");
var heard = services.GetRequiredService<RecordGate>();
await using var unheard = new RecordGate(services.GetRequiredService<ISourceDirectory>(), services.GetRequiredService<RecordFormat>());
var all = Grants.Everywhere(Grant.Everything);
var litres = new FieldName("litres");
var keys = new List<(RecordKey Key, decimal Litres)>();
await foreach (var page in heard.PagesAsync(workspace.Datasets, new ReadRequest(logs.Id) { Fields = [litres] }, 5_000, all, default))
{
    keys.AddRange(((ReadResult.Rows)page).Records.Select(record => (record.Key!, (decimal)record[litres]!)));
}

var next = 0;
decimal Other(decimal value) => value % 2 == 0 ? value + 1 : value - 1;
async Task<double> SaveAsync(RecordGate gate, int count)
{
    var part = Enumerable.Range(0, count).Select(_ => next++ % keys.Count).ToArray();
    var changes = part.Select(at => (Change)new Change.Update(keys[at].Key, Values(keys[at].Litres), Values(Other(keys[at].Litres))));
    var set = new ChangeSet(logs.Id, [.. changes]) { SeenWarnings = ["*"] };
    var watch = Stopwatch.StartNew();
    var result = await gate.SaveAsync(workspace.Datasets, set, all, default);
    if (result is SaveResult.Warned warned)
    {
        set = set with { SeenWarnings = [.. warned.Problems.Select(problem => problem.Message)] };
        watch.Restart();
        result = await gate.SaveAsync(workspace.Datasets, set, all, default);
    }

    if (result is not SaveResult.Saved)
    {
        var why = result is SaveResult.Invalid invalid ? FieldProblem.Said(logs, invalid.Problems) : $"{result}";
        throw new InvalidOperationException($"not saved: {why}");
    }

    var took = watch.Elapsed.TotalMilliseconds;
    foreach (var at in part)
    {
        keys[at] = (keys[at].Key, Other(keys[at].Litres));
    }

    return took;
}

// With a pause between them, as people press keys: what is done after a save is not waited for by the next one.
async Task CompareAsync(string what, int turns, int count, int pause = 0)
{
    var (with, without) = (new List<double>(), new List<double>());
    for (var turn = 0; turn < turns; turn++)
    {
        await Task.Delay(pause);
        with.Add(await SaveAsync(heard, count));
        await Task.Delay(pause);
        without.Add(await SaveAsync(unheard, count));
    }

    double Median(List<double> times) => times.Skip(turns / 2).Order().ElementAt(turns / 4);
    var (one, other) = (Median(with), Median(without));
    Console.WriteLine(
        FormattableString.Invariant(
            $"{what}: {one:0.0} ms with the logbook, {other:0.0} ms without: {one - other:0.0} ms more, {one / other:0.00} of its time"
        )
    );
}

await CompareAsync("a save of one record, one every 40 ms", Singles, 1, pause: 40);
await CompareAsync("a save of one record, one after the other", Singles, 1);
await CompareAsync($"a save of {InSet} records, one after the other", Sets, InSet);
await CompareAsync($"a save of {InSet} records, one a second", Sets / 2, InSet, pause: 1_000);

// A change of all in the background, and its undo, each from its beginning to its end as the store has it.
await using var scope = services.CreateAsyncScope();
var bulk = scope.ServiceProvider.GetRequiredService<BulkChanges>();
var store = scope.ServiceProvider.GetRequiredService<RostrumStore>();
var person = workspace.People.First(known => known.Value.Roles.Contains("clerk")).Key;
async Task<double> EndAsync(long id)
{
    for (; ; await Task.Delay(50))
    {
        var now = await store.BulkChanges.AsNoTracking().SingleAsync(row => row.Id == id);
        if (now.Status is not BulkStatus.Running)
        {
            Console.WriteLine(
                FormattableString.Invariant($"  {now.Work}: {now.Done} done, {now.Refused} refused, {now.Status} {now.Problem}")
            );
            return (now.EndedAt!.Value - now.At).TotalSeconds;
        }
    }
}

var grants = workspace.GrantsOf(new HashSet<string> { "clerk" }, workspace.People[person].AsUser);
for (var turn = 0; turn < 2; turn++)
{
    var values = new BulkValues(FieldValues.None, new Dictionary<FieldName, string> { [litres] = "litres + 1" }.ToImmutableDictionary());
    var wish = new BulkChanges.Wish(person, "the bench", null, BulkWork.Change, values, Guid.NewGuid());
    var (begun, problem) = await bulk.BeginAsync(workspace.Datasets, logs, new ReadRequest(logs.Id), wish, grants, default);
    var change = await EndAsync((begun ?? throw new InvalidOperationException(problem)).Id);
    var undo = await EndAsync((await bulk.UndoAsync(begun.Id, person, default))!.Id);
    Console.WriteLine(
        FormattableString.Invariant(
            $"a change of {begun.Records} records: {change:0.0} s, its undo {undo:0.0} s: {undo / change:0.00} of its time"
        )
    );
}

await application.StopAsync();

FieldValues Values(decimal value) => new([KeyValuePair.Create(litres, (object?)value)]);
