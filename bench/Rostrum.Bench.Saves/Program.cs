// A thousand changed rows of a hundred thousand saved as one set: Rostrum's gate, with rights, rules, conflicts and what takes it back,
// against the same work written by hand with batched statements, in turn, in one run. ROSTRUM_BENCH names a database of its own.
using System.Diagnostics;
using System.Globalization;
using Npgsql;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Sources;

const int Rows = 1_000;
const int Turns = 45;
const int Warm = 25;
var text = Environment.GetEnvironmentVariable("ROSTRUM_BENCH") ?? throw new InvalidOperationException("run ./rostrum bench saves");
var parts = new NpgsqlConnectionStringBuilder(text);
var settings = new SourceSettings(parts.Host!, parts.Port, parts.Database!, parts.Username!, parts.Password!, Encrypted: false);
await using var source = NpgsqlDataSource.Create(text);
await using (
    var make = source.CreateCommand(
        """
        DROP TABLE IF EXISTS parts;
        CREATE TABLE parts (id int PRIMARY KEY, code varchar(10) NOT NULL UNIQUE, depot varchar(10) NOT NULL, cost numeric(8,2) NOT NULL,
          stock int NOT NULL CHECK (stock >= 0), checked date);
        INSERT INTO parts SELECT n, 'P-' || n, 'depot ' || n % 5, n % 90 + 0.5, n % 40, '2026-01-01' FROM generate_series(1, 100000) n;
        ANALYZE parts
        """
    )
)
{
    await make.ExecuteNonQueryAsync();
}

var format = new RecordFormat(CultureInfo.InvariantCulture, TimeZoneInfo.Utc);
var read = (StructureResult.Read)await SourceConnector.ReadStructureAsync(settings, default);
var id = new SourceId(Guid.NewGuid());
var drafted = DatasetDrafting.Draft(id, read.Structure, read.Evidence, format, _ => new DatasetId(Guid.NewGuid()));
var dataset = drafted.Single(known => known.Name.Value == "parts") with
{
    Rules = [new Rule.Holds("cost <= 500") { Name = "dear", Message = "A part costs 500 at most." }],
};
var catalogue = new DatasetCatalogue([dataset]);
await using var gate = new RecordGate(new One(id, settings), format);
var grants = Grants.Everywhere(Grant.Everything);
var (stock, cost) = (new FieldName("stock"), new FieldName("cost"));
var (ours, theirs) = (new List<double>(), new List<double>());
for (var turn = 0; turn < Turns; turn++)
{
    var keys = Enumerable.Range(1 + turn * Rows * 2, Rows).ToArray();
    var set = new ChangeSet(
        dataset.Id,
        [
            .. keys.Select(key => new Change.Update(
                new RecordKey([(long)key]),
                Values((stock, (long)(key % 40)), (cost, key % 90 + 0.5m)),
                Values((stock, (long)(key % 40 + 1)), (cost, key % 90 + 1m))
            )),
        ]
    );
    var watch = Stopwatch.StartNew();
    if (await gate.SaveAsync(catalogue, set, grants, default) is not SaveResult.Saved)
    {
        throw new InvalidOperationException("not saved");
    }

    ours.Add(watch.Elapsed.TotalMilliseconds);
    watch.Restart();
    await ByHandAsync([.. keys.Select(key => key + Rows)]);
    theirs.Add(watch.Elapsed.TotalMilliseconds);
}

// The first turns warm both up: .NET compiles its hot paths a second time while they run.
double Median(List<double> times) => times.Skip(Warm).Order().ElementAt((Turns - Warm) / 2);
var (own, byHand) = (Median(ours), Median(theirs));
Console.WriteLine(
    FormattableString.Invariant($"a save of {Rows} changed rows: {own:0} ms, by hand {byHand:0} ms: {own / byHand:0.00} of its time")
);

static FieldValues Values(params (FieldName Field, object? Value)[] values) =>
    new(values.Select(value => KeyValuePair.Create(value.Field, value.Value)));

// Locked and looked at in one statement, written in one batch, held against the rule, and read for what takes it back.
async Task ByHandAsync(int[] keys)
{
    await using var connection = await source.OpenConnectionAsync();
    await using var transaction = await connection.BeginTransactionAsync();
    var before = new Dictionary<int, (int Stock, decimal Cost)>();
    await using (
        var look = new NpgsqlCommand("SELECT id, stock, cost FROM parts WHERE id = ANY($1) ORDER BY id FOR UPDATE", connection, transaction)
    )
    {
        look.Parameters.Add(new NpgsqlParameter { Value = keys });
        await using var reader = await look.ExecuteReaderAsync();
        while (await reader.ReadAsync())
        {
            before.Add(reader.GetInt32(0), (reader.GetInt32(1), reader.GetDecimal(2)));
        }
    }

    if (keys.Any(key => before[key] != (key % 40, key % 90 + 0.5m)))
    {
        throw new InvalidOperationException("a conflict");
    }

    await using (var batch = new NpgsqlBatch(connection, transaction))
    {
        foreach (var key in keys)
        {
            var update = new NpgsqlBatchCommand("UPDATE parts SET stock = $1, cost = $2 WHERE id = $3");
            update.Parameters.Add(new NpgsqlParameter { Value = key % 40 + 1 });
            update.Parameters.Add(new NpgsqlParameter { Value = key % 90 + 1m });
            update.Parameters.Add(new NpgsqlParameter { Value = key });
            batch.BatchCommands.Add(update);
        }

        await batch.ExecuteNonQueryAsync();
    }

    var after = new Dictionary<int, (int Stock, decimal Cost)>();
    await using (
        var again = new NpgsqlCommand("SELECT id, stock, cost, cost <= 500 FROM parts WHERE id = ANY($1)", connection, transaction)
    )
    {
        again.Parameters.Add(new NpgsqlParameter { Value = keys });
        await using var reader = await again.ExecuteReaderAsync();
        while (await reader.ReadAsync())
        {
            after.Add(reader.GetInt32(0), (reader.GetInt32(1), reader.GetDecimal(2)));
            if (!reader.GetBoolean(3))
            {
                throw new InvalidOperationException("a rule");
            }
        }
    }

    await transaction.CommitAsync();
}

internal sealed class One(SourceId id, SourceSettings settings) : ISourceDirectory
{
    public ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation) =>
        ValueTask.FromResult(source == id ? settings : null);
}
