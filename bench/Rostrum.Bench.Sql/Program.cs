// 50 sailings out of a million with two computed fields, one of them a total over 1.5 million bookings, sorted by one and
// narrowed by one: Rostrum's statement against the best one written by hand, in turn, in one run. ROSTRUM_BENCH names the database.
using System.Diagnostics;
using System.Globalization;
using Npgsql;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources;

var text = Environment.GetEnvironmentVariable("ROSTRUM_BENCH") ?? throw new InvalidOperationException("run ./rostrum bench");
var connectionText = new NpgsqlConnectionStringBuilder(text) { MaxAutoPrepare = 100, AutoPrepareMinUsages = 2 };
var settings = new SourceSettings(
    connectionText.Host!,
    connectionText.Port,
    connectionText.Database!,
    connectionText.Username!,
    connectionText.Password!,
    Encrypted: false
);
await using var source = NpgsqlDataSource.Create(connectionText.ConnectionString);
await using (
    var make = source.CreateCommand(
        """
        DO $$ BEGIN
          IF to_regclass('bookings') IS NULL THEN
            CREATE TABLE bookings (id int PRIMARY KEY, sailing_id int NOT NULL REFERENCES sailings, seats int NOT NULL,
              price numeric(8,2) NOT NULL);
            INSERT INTO bookings SELECT n, s.id, n % 7 + 1, n % 90 + 4.5 FROM (SELECT id, row_number() OVER () AS r FROM sailings) s,
              generate_series(1, 2) k, LATERAL (SELECT (s.r * 2 + k)::int AS n) o WHERE k = 1 OR s.r % 2 = 0;
            CREATE INDEX ON bookings (sailing_id);
            ANALYZE bookings;
          END IF;
        END $$
        """
    )
)
{
    make.CommandTimeout = 600;
    await make.ExecuteNonQueryAsync();
}

var id = new SourceId(Guid.NewGuid());
var format = new RecordFormat(CultureInfo.InvariantCulture, TimeZoneInfo.Utc);
var read = (StructureResult.Read)await SourceConnector.ReadStructureAsync(settings, default);
var catalogue = new DatasetCatalogue(DatasetDrafting.Draft(id, read.Structure, read.Evidence, format, _ => new DatasetId(Guid.NewGuid())));
await using var gate = new RecordGate(new One(id, settings), format);
var sailings = catalogue.All.Single(dataset => dataset.Name.Value == "sailings");
var grants = Grants.ViewEverything;
var (load, booked) = (new FieldName("load"), new FieldName("booked"));

ReadRequest Request(string holds, FieldName sort) =>
    new(sailings.Id)
    {
        Fields = [new("id"), new("departs"), new("state"), new("foot_passengers"), new("cars")],
        Computed = [new(load, "ROUND((foot_passengers + cars * 3) / 450 * 100, 1)"), new(booked, "SUM(bookings.seats)")],
        Filter = new Filter.Holds(holds),
        Sort = [new SortBy(sort, Descending: true)],
        Window = new PageWindow.FromStart(0, 50),
    };

const string Load = "round((s.foot_passengers + s.cars * 3)::numeric / 450 * 100, 1)";
const string Columns = "s.id, s.departs, s.state, s.foot_passengers, s.cars";
var cases = new (string Name, ReadRequest Request, string ByHand)[]
{
    (
        "sorted and narrowed by arithmetic, total shown",
        Request("foot_passengers + cars * 3 > 120", load),
        $"SELECT {Columns}, {Load} AS load, (SELECT sum(b.seats) FROM bookings b WHERE b.sailing_id = s.id) AS booked "
            + $"FROM sailings s WHERE s.foot_passengers + s.cars * 3 > 120 ORDER BY load DESC NULLS LAST, s.id DESC LIMIT 51"
    ),
    (
        "sorted by a quotient, narrowed by the total",
        Request("SUM(bookings.seats) > 10", load),
        $"SELECT {Columns}, {Load} AS load, b.booked FROM sailings s JOIN (SELECT sailing_id, sum(seats) AS booked "
            + $"FROM bookings GROUP BY sailing_id HAVING sum(seats) > 10) b ON b.sailing_id = s.id "
            + $"ORDER BY load DESC NULLS LAST, s.id DESC LIMIT 51"
    ),
    (
        "sorted by the total, narrowed by arithmetic",
        Request("foot_passengers + cars * 3 > 120", booked),
        $"SELECT {Columns}, {Load} AS load, coalesce(b.booked, 0) AS booked FROM sailings s LEFT "
            + $"JOIN (SELECT sailing_id, sum(seats) AS booked FROM bookings GROUP BY sailing_id) b ON b.sailing_id = s.id "
            + $"WHERE s.foot_passengers + s.cars * 3 > 120 ORDER BY coalesce(b.booked, 0) DESC, s.id DESC LIMIT 51"
    ),
};

Console.WriteLine("| case | Rostrum ms | by hand ms | ratio of time |\n|---|---:|---:|---:|");
foreach (var (name, request, byHand) in cases)
{
    var (ours, theirs) = (new List<double>(), new List<double>());
    string? shown = null,
        hand = null;
    for (var i = 0; i < 12; i++)
    {
        var watch = Stopwatch.StartNew();
        var rows = (ReadResult.Rows)await gate.ReadAsync(catalogue, request, grants, default);
        ours.Add(watch.Elapsed.TotalMilliseconds);
        shown = string.Join(";", rows.Records.Select(record => $"{record[new("id")]}:{record[booked]:0}"));

        watch.Restart();
        await using var command = source.CreateCommand(byHand);
        await using var reader = await command.ExecuteReaderAsync();
        var found = new List<string>();
        while (await reader.ReadAsync())
        {
            // The hand-written code reads every column, as a page that shows them must.
            _ = (reader.GetValue(1), reader.GetValue(2), reader.GetValue(3), reader.GetValue(4), reader.GetValue(5));
            found.Add($"{reader.GetInt32(0)}:{(reader.IsDBNull(6) ? 0 : reader.GetDecimal(6)):0}");
        }

        theirs.Add(watch.Elapsed.TotalMilliseconds);
        hand = string.Join(";", found.Take(50));
    }

    if (shown != hand)
    {
        throw new InvalidOperationException($"{name}: the two do not show the same:\n{shown}\n{hand}");
    }

    double Median(List<double> all) => all.Skip(2).Order().ElementAt((all.Count - 2) / 2);
    Console.WriteLine(
        string.Create(
            CultureInfo.InvariantCulture,
            $"| {name} | {Median(ours):0.0} | {Median(theirs):0.0} | {Median(ours) / Median(theirs):0.00} |"
        )
    );
}

// What a chart asks: a million sailings by one of twelve months, and by month of thirty years, counted and summed, in one statement.
foreach (
    var (name, formula, byHand) in new[]
    {
        ("a chart by month of the year, counted and summed", "MONTH(departs)", "extract(month FROM departs AT TIME ZONE 'UTC')::int"),
        ("a chart by month, counted and summed", "STARTOF(departs, \"month\")", "date_trunc('month', departs AT TIME ZONE 'UTC')::date"),
    }
)
{
    var by = new FieldName("by");
    var summary = new SummaryRequest(sailings.Id, [by], [null, new FieldTotal(new("cars"), Total.Sum)], new Filter.Everything())
    {
        Computed = [new ComputedColumn(by, formula)],
    };
    var statement = $"SELECT {byHand}, count(*), sum(cars) FROM sailings GROUP BY 1 ORDER BY 2 DESC, 1";
    var (ours, theirs) = (new List<double>(), new List<double>());
    for (var i = 0; i < 12; i++)
    {
        var watch = Stopwatch.StartNew();
        var groups = ((SummaryResult.Groups)await gate.SummariseAsync(catalogue, summary, grants, default)).Found;
        ours.Add(watch.Elapsed.TotalMilliseconds);
        watch.Restart();
        await using var command = source.CreateCommand(statement);
        await using var reader = await command.ExecuteReaderAsync();
        var found = new List<string>();
        while (await reader.ReadAsync())
        {
            found.Add($"{Key(reader.GetValue(0))}:{reader.GetInt64(1)}:{reader.GetInt64(2)}");
        }

        theirs.Add(watch.Elapsed.TotalMilliseconds);
        if (!found.SequenceEqual(groups.Select(group => $"{Key(group.Values[0]!)}:{group.Numbers[0]:0}:{group.Numbers[1]:0}")))
        {
            throw new InvalidOperationException("the groups differ");
        }
    }

    static string Key(object key) =>
        Convert.ToString(key is DateTime day ? DateOnly.FromDateTime(day) : key, CultureInfo.InvariantCulture)!;
    double Median(List<double> all) => all.Skip(2).Order().ElementAt((all.Count - 2) / 2);
    Console.WriteLine(
        string.Create(
            CultureInfo.InvariantCulture,
            $"| {name} | {Median(ours):0.0} | {Median(theirs):0.0} | {Median(ours) / Median(theirs):0.00} |"
        )
    );
}

// What stands in a table's foot: three totals over all sailings that fit, in one question.
{
    var totals = new TotalRequest(
        sailings.Id,
        [new(new("foot_passengers"), Total.Sum), new(new("fare_revenue"), Total.Sum), new(new("cars"), Total.Average)],
        new Filter.Holds("foot_passengers > 5")
    );
    const string ByHand =
        "SELECT sum(foot_passengers)::text, sum(fare_revenue)::text, avg(cars)::text FROM sailings WHERE foot_passengers > 5";
    var (ours, theirs) = (new List<double>(), new List<double>());
    for (var i = 0; i < 12; i++)
    {
        var watch = Stopwatch.StartNew();
        var told = ((TotalResult.Values)await gate.TotalAsync(catalogue, totals, grants, default)).Numbers;
        ours.Add(watch.Elapsed.TotalMilliseconds);
        watch.Restart();
        await using var command = source.CreateCommand(ByHand);
        await using var reader = await command.ExecuteReaderAsync();
        await reader.ReadAsync();
        decimal?[] found =
        [
            .. Enumerable.Range(0, 3).Select(at => (decimal?)decimal.Parse(reader.GetString(at), CultureInfo.InvariantCulture)),
        ];
        theirs.Add(watch.Elapsed.TotalMilliseconds);
        if (!told.SequenceEqual(found))
        {
            throw new InvalidOperationException("the totals differ");
        }
    }

    double Median(List<double> all) => all.Skip(2).Order().ElementAt((all.Count - 2) / 2);
    Console.WriteLine(
        string.Create(
            CultureInfo.InvariantCulture,
            $"| three totals over the filtered million | {Median(ours):0.0} | {Median(theirs):0.0} | {Median(ours) / Median(theirs):0.00} |"
        )
    );
}

if (args.Contains("--explain"))
{
    foreach (var (name, request, byHand) in cases)
    {
        var explained = (ExplainResult.Plan)await gate.ExplainAsync(catalogue, request, grants, run: true, default);
        Console.WriteLine(
            $"\n### {name}\n\nRostrum:\n\n```\n{explained.Statement}\n\n{explained.ServerPlan}\n```\n\nBy hand:\n\n```\n{byHand}\n"
        );
        await using var command = source.CreateCommand($"EXPLAIN (ANALYZE, TIMING OFF, COSTS OFF) {byHand}");
        await using var reader = await command.ExecuteReaderAsync();
        while (await reader.ReadAsync())
        {
            Console.WriteLine(reader.GetString(0));
        }

        Console.WriteLine("```");
    }
}

internal sealed class One(SourceId id, SourceSettings settings) : ISourceDirectory
{
    public ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation) =>
        ValueTask.FromResult(source == id ? settings : null);
}
