// Sources against what one would write by hand, in turn, in one run:
// a list page over a million rows in MariaDB and in SQLite against Dapper; a page over an API against HttpClient and System.Text.Json;
// titles of another source against the same rows without; a page within somebody's rights against the same page without.
// ROSTRUM_BENCH_MARIADB names a server; ROSTRUM_BENCH_POSTGRES another.
using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Headers;
using System.Text.Json;
using Dapper;
using Microsoft.Data.Sqlite;
using MySqlConnector;
using Npgsql;
using Rostrum.Core.Access;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources;
using Rostrum.Sources.Http;
using Rostrum.StandIns.Harbour;

const int Rows = 1_000_000;
var rounds = int.Parse(Environment.GetEnvironmentVariable("BENCH_ROUNDS") ?? "300", CultureInfo.InvariantCulture);
var format = new RecordFormat(CultureInfo.InvariantCulture, TimeZoneInfo.Utc);
const string Table =
    "CREATE TABLE calls (id int PRIMARY KEY, ship varchar(10) NOT NULL, berthed datetime NOT NULL, "
    + "state varchar(10) NOT NULL, fee int NOT NULL)";

const string Listed = "SELECT id, ship, berthed, state, fee FROM calls ORDER BY berthed DESC, id DESC LIMIT 51";
(string Name, Func<Task> RunAsync)[] parts =
[
    ("sqlite", async () => await ListsAsync("SQLite", await SqliteAsync(), text => new SqliteConnection(text), Listed)),
    ("mariadb", async () => await ListsAsync("MariaDB", await MariaAsync(), text => new MySqlConnection(text), Listed)),
    ("api", ApiAsync),
    ("titles", TitlesAsync),
    ("rights", RightsAsync),
];
foreach (var part in parts.Where(part => Environment.GetEnvironmentVariable("BENCH_ONLY") is not { } only || only == part.Name))
{
    await part.RunAsync();
}

async Task ListsAsync(
    string name,
    (SourceSettings Settings, string Text) database,
    Func<string, System.Data.Common.DbConnection> open,
    string byHand
)
{
    var (directory, catalogue) = await DraftAsync(database.Settings);
    await using var gate = new RecordGate(directory, format);
    var calls = catalogue.All.Single(dataset => dataset.Table.Name == "calls");
    var request = new ReadRequest(calls.Id)
    {
        Fields = [.. calls.Fields.Select(field => field.Name)],
        Sort = [new SortBy(new FieldName("berthed"), Descending: true)],
        Window = new PageWindow.FromStart(0, 50),
    };
    async Task<int> OursAsync() =>
        ((ReadResult.Rows)await gate.ReadAsync(catalogue, request, Grants.ViewEverything, default)).Records.Length;
    async Task<int> TheirsAsync()
    {
        await using var connection = open(database.Text);
        return (await connection.QueryAsync<Call>(byHand)).Count() - 1;
    }

    await CompareAsync($"first page of {Rows:#,##0} in {name}", OursAsync, TheirsAsync);
    var far = request;
    for (var page = 0; page < 5; page++)
    {
        far = far with
        {
            Window = new PageWindow.After(
                ((ReadResult.Rows)await gate.ReadAsync(catalogue, far, Grants.ViewEverything, default)).Last!,
                50
            ),
        };
    }

    await CompareAsync(
        $"a later page of {name}, by hand with OFFSET",
        async () => ((ReadResult.Rows)await gate.ReadAsync(catalogue, far, Grants.ViewEverything, default)).Records.Length,
        async () =>
        {
            await using var connection = open(database.Text);
            return (await connection.QueryAsync<Call>(byHand + " OFFSET 250")).Count() - 1;
        }
    );
}

async Task ApiAsync()
{
    await using var harbour = HarbourOffice.At("http://127.0.0.1:0", new DateOnly(2026, 3, 14));
    await harbour.StartAsync();
    var settings = new SourceSettings("", 0, "", HarbourOffice.User, HarbourOffice.Password, Encrypted: false)
    {
        Kind = "http",
        Options = JsonSerializer.Serialize(
            new Dictionary<string, string>
            {
                ["Address"] = harbour.Urls.Single(),
                ["SignIn"] = "token",
                ["TokenPath"] = "/sign-in",
                ["TokenBody"] = """{"user": "${user}", "password": "${password}"}""",
                ["TokenPointer"] = "/token",
                ["LifetimePointer"] = "/expires_in",
            }
        ),
    };
    var asked = new ApiRequest { Method = "GET", Path = "/bookings" };
    var found = ApiTrying.Described("bookings", asked, await ApiTrying.SendAsync(settings, asked, default))!;
    settings = settings with { Requests = Rostrum.Core.KindJson.Write<ApiResource[]>([found]) };
    var (directory, catalogue) = await DraftAsync(settings);
    await using var gate = new RecordGate(directory, format);
    var bookings = catalogue.All.Single();
    var request = new ReadRequest(bookings.Id)
    {
        Fields = [.. bookings.Fields.Select(field => field.Name)],
        Counted = true,
        Window = new PageWindow.FromStart(0, 24),
    };
    using var client = new HttpClient { BaseAddress = new Uri(harbour.Urls.Single()) };
    using var signedIn = await client.PostAsync(
        "/sign-in",
        new StringContent(
            $$"""{"user": "{{HarbourOffice.User}}", "password": "{{HarbourOffice.Password}}"}""",
            new MediaTypeHeaderValue("application/json")
        )
    );
    using var token = JsonDocument.Parse(await signedIn.Content.ReadAsStringAsync());
    client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
        "Bearer",
        token.RootElement.GetProperty("token").GetString()
    );
    await CompareAsync(
        "a page of 24 over an API",
        async () => ((ReadResult.Rows)await gate.ReadAsync(catalogue, request, Grants.ViewEverything, default)).Records.Length,
        async () =>
        {
            await using var stream = await client.GetStreamAsync("/bookings?page=1&per_page=25");
            using var document = await JsonDocument.ParseAsync(stream);
            return document
                    .RootElement.GetProperty("data")
                    .GetProperty("bookings")
                    .EnumerateArray()
                    .Select(booking => booking.Deserialize<Dictionary<string, JsonElement>>()!)
                    .Count() - 1;
        }
    );
}

async Task TitlesAsync()
{
    var (mariaSettings, _) = await MariaAsync();
    var text = new NpgsqlConnectionStringBuilder(Environment.GetEnvironmentVariable("ROSTRUM_BENCH_POSTGRES")!);
    await using (var source = NpgsqlDataSource.Create(text.ConnectionString))
    {
        await using var make = source.CreateCommand(
            "DROP TABLE IF EXISTS bench_ships; CREATE TABLE bench_ships (code varchar(10) PRIMARY KEY, name text NOT NULL); "
                + "INSERT INTO bench_ships SELECT 'S-' || n, 'Ship ' || n FROM generate_series(0, 199) n"
        );
        await make.ExecuteNonQueryAsync();
    }

    var settings = new SourceSettings(text.Host!, text.Port, text.Database!, text.Username!, text.Password!, Encrypted: false);
    var (calls, ships) = (await DraftAsync(mariaSettings), await DraftAsync(settings));
    var ship = ships.Catalogue.All.Single(dataset => dataset.Table.Name == "bench_ships") with { Title = [FieldPath.Of(new("name"))] };
    var call = calls.Catalogue.All.Single(dataset => dataset.Table.Name == "calls") with
    {
        Relations =
        [
            new Relation
            {
                Name = new("vessel"),
                Label = "Vessel",
                Field = new("ship"),
                Target = ship.Id,
                TargetField = new("code"),
                InverseName = new("calls"),
                InverseLabel = "Calls",
                Because = "",
            },
        ],
    };
    var catalogue = new DatasetCatalogue([call, ship]);
    await using var gate = new RecordGate(new Both(calls.Directory, ships.Directory), format);
    var request = new ReadRequest(call.Id)
    {
        Fields = [.. call.Fields.Select(field => field.Name)],
        Sort = [new SortBy(new("berthed"), Descending: true)],
        Window = new PageWindow.FromStart(0, 50),
    };
    async Task<int> ReadAsync(ReadRequest asked) =>
        ((ReadResult.Rows)await gate.ReadAsync(catalogue, asked, Grants.ViewEverything, default)).Records.Length;
    await CompareAsync(
        "50 rows with titles of another source, against those without",
        () => ReadAsync(request with { Titles = [new("vessel")] }),
        () => ReadAsync(request)
    );
}

// What deciding access adds to a page: the rights are at hand, as they are in the application, and the person is another each time.
async Task RightsAsync()
{
    var text = new NpgsqlConnectionStringBuilder(Environment.GetEnvironmentVariable("ROSTRUM_BENCH_POSTGRES")!);
    await using (var source = NpgsqlDataSource.Create(text.ConnectionString))
    {
        await using var make = source.CreateCommand(
            "DROP TABLE IF EXISTS bench_calls; "
                + "CREATE TABLE bench_calls (id int PRIMARY KEY, ship text NOT NULL, berthed timestamptz NOT NULL, "
                + "state text NOT NULL, fee int NOT NULL); "
                + "INSERT INTO bench_calls SELECT n, 'S-' || n % 200, now() - n * interval '1 minute', "
                + "CASE n % 3 WHEN 0 THEN 'closed' ELSE 'open' END, n % 500 FROM generate_series(1, 200000) n; "
                + "CREATE INDEX ON bench_calls (berthed); ANALYZE bench_calls"
        );
        await make.ExecuteNonQueryAsync();
    }

    var settings = new SourceSettings(text.Host!, text.Port, text.Database!, text.Username!, text.Password!, Encrypted: false);
    var (directory, drafted) = await DraftAsync(settings);
    var calls = drafted.All.Single(dataset => dataset.Table.Name == "bench_calls");
    var catalogue = new DatasetCatalogue([calls]);
    await using var gate = new RecordGate(directory, format);
    var request = new ReadRequest(calls.Id)
    {
        Fields = [.. calls.Fields.Select(field => field.Name)],
        Sort = [new SortBy(new("berthed"), Descending: true)],
        Window = new PageWindow.FromStart(0, 50),
    };
    var person = new SignedIn("Somebody", "somebody@example.com", ["a", "b", "c"]);
    var roles = new HashSet<string> { "a", "b", "c" };
    static Policy Seen(Policy policy, string? condition, params string[] hidden) =>
        policy with
        {
            Condition = condition is null ? new Filter.Everything() : new Filter.Holds(condition),
            Readable = new FieldSet.But([.. hidden.Select(name => new FieldName(name))]),
        };
    Rights Of(params (string Role, string? Condition, string[] Hidden)[] policies) =>
        Rights.Of(roles, policies.Select(one => Seen(Policy.On(one.Role, calls.Id, Verbs.All), one.Condition, one.Hidden)));
    async Task<int> ReadAsync(ReadRequest asked, Grants grants) =>
        ((ReadResult.Rows)await gate.ReadAsync(catalogue, asked, grants, default)).Records.Length;
    async Task RightsAsync(string name, Rights rights, Filter same) =>
        await CompareAsync(
            name,
            () => ReadAsync(request, new Grants(rights, person)),
            () => ReadAsync(request with { Filter = same }, Grants.ViewEverything)
        );
    await RightsAsync(
        "three roles that see all records, against no rights",
        Of(("a", null, ["fee"]), ("b", null, []), ("c", null, [])),
        new Filter.Everything()
    );
    await RightsAsync("a condition, against the same as a filter", Of(("a", "state = \"open\"", [])), new Filter.Holds("state = \"open\""));
    await RightsAsync(
        "two roles with different fields for different records",
        Of(("a", "state = \"open\"", ["fee"]), ("b", "state <> \"open\"", ["ship"])),
        new Filter.Everything()
    );
}

async Task CompareAsync(string name, Func<Task<int>> ours, Func<Task<int>> theirs)
{
    if (await ours() != await theirs())
    {
        throw new InvalidOperationException($"{name}: not the same rows");
    }

    var times = (Ours: new List<double>(), Theirs: new List<double>());
    for (var round = 0; round < rounds; round++)
    {
        foreach (
            var (ask, taken) in round % 2 == 0
                ? new[] { (ours, times.Ours), (theirs, times.Theirs) }
                : [(theirs, times.Theirs), (ours, times.Ours)]
        )
        {
            var began = Stopwatch.GetTimestamp();
            await ask();
            taken.Add(Stopwatch.GetElapsedTime(began).TotalMilliseconds);
        }
    }

    double Median(List<double> all) => all.Skip(rounds / 5).Order().ElementAt(rounds * 2 / 5);
    var (mine, other) = (Median(times.Ours), Median(times.Theirs));
    Console.WriteLine(
        string.Create(
            CultureInfo.InvariantCulture,
            $"{name, -62} {mine, 8:0.00} ms {other, 8:0.00} ms {mine / other, 6:0.00}× {mine - other, 6:0.00} ms more"
        )
    );
}

async Task<(One Directory, DatasetCatalogue Catalogue)> DraftAsync(SourceSettings settings)
{
    var id = new SourceId(Guid.NewGuid());
    var read = (StructureResult.Read)await SourceConnector.ReadStructureAsync(settings, default);
    var drafted = DatasetDrafting.Draft(id, read.Structure, read.Evidence, format, _ => new DatasetId(Guid.NewGuid()));
    return (new One(id, settings), new DatasetCatalogue(drafted.Select(dataset => SourceConnector.Drafted(dataset, settings))));
}

async Task<(SourceSettings, string)> SqliteAsync()
{
    var file = Path.Combine(Path.GetTempPath(), "rostrum_bench.db");
    var text = $"Data Source={file}";
    if (!File.Exists(file))
    {
        await using var connection = new SqliteConnection(text);
        await connection.ExecuteAsync(Table);
        await connection.ExecuteAsync(
            $"""
            WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < {Rows})
            INSERT INTO calls SELECT i, 'S-' || (i % 200), 
              datetime('2020-01-01', (i * 7919 % 3000000) || ' minutes'), 'open', i % 500 FROM n
            """
        );
        await connection.ExecuteAsync("CREATE INDEX calls_by_time ON calls (berthed, id)");
    }

    return (new SourceSettings("", 0, file, "", "", Encrypted: false) { Kind = "sqlite" }, text);
}

async Task<(SourceSettings, string)> MariaAsync()
{
    var text = new MySqlConnectionStringBuilder(Environment.GetEnvironmentVariable("ROSTRUM_BENCH_MARIADB")!);
    await using (var server = new MySqlConnection(text.ConnectionString))
    {
        await server.ExecuteAsync("CREATE DATABASE IF NOT EXISTS rostrum_bench CHARACTER SET utf8mb4");
    }

    text.Database = "rostrum_bench";
    await using var connection = new MySqlConnection(text.ConnectionString);
    if (
        await connection.ExecuteScalarAsync<long>("SELECT count(*) FROM information_schema.tables WHERE table_schema = 'rostrum_bench'")
        == 0
    )
    {
        await connection.ExecuteAsync(Table);
        await connection.ExecuteAsync(
            "INSERT INTO calls SELECT seq, concat('S-', seq % 200), '2020-01-01' + INTERVAL (seq * 7919 % 3000000) MINUTE, 'open', "
                + $"seq % 500 FROM seq_1_to_{Rows}",
            commandTimeout: 600
        );
        await connection.ExecuteAsync("CREATE INDEX calls_by_time ON calls (berthed, id)", commandTimeout: 600);
    }

    var settings = new SourceSettings(text.Server, (int)text.Port, "rostrum_bench", text.UserID, text.Password, Encrypted: false)
    {
        Kind = "mysql",
    };
    return (settings, text.ConnectionString);
}

internal sealed class Call
{
    public int Id { get; set; }
    public string Ship { get; set; } = "";
    public DateTime Berthed { get; set; }
    public string State { get; set; } = "";
    public int Fee { get; set; }
}

internal sealed class One(SourceId id, SourceSettings settings) : ISourceDirectory
{
    public ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation) =>
        ValueTask.FromResult(source == id ? settings : null);
}

internal sealed class Both(One one, One other) : ISourceDirectory
{
    public async ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation) =>
        await one.FindAsync(source, cancellation) ?? await other.FindAsync(source, cancellation);
}
