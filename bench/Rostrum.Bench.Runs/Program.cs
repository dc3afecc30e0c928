// What somebody would write by hand over Hangfire and HttpClient: for each of so many jobs a record is read, something is decided, and the
// signal room is told, each in a job of its own that sets the next one off, as a workflow's steps are.
// Rostrum.Bench.Runs STORE FLEET SIGNAL HOW_MANY
using System.Diagnostics;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using Dapper;
using Hangfire;
using Hangfire.PostgreSql;
using Npgsql;

var (store, fleet, signal, count) = (args[0], args[1], args[2], int.Parse(args[3]));
Steps.Fleet = NpgsqlDataSource.Create(fleet);
Steps.Client = new HttpClient { BaseAddress = new Uri(signal) };
Steps.Client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", "flag-and-lamp-5");
GlobalConfiguration.Configuration.UsePostgreSqlStorage(
    options => options.UseNpgsqlConnection(store),
    new PostgreSqlStorageOptions { QueuePollInterval = TimeSpan.FromMilliseconds(50) }
);
for (var number = 1; number <= count; number++)
{
    var key = number;
    BackgroundJob.Enqueue(() => Steps.ReadAsync(key));
}

var began = Stopwatch.GetTimestamp();
using (new BackgroundJobServer(new BackgroundJobServerOptions { WorkerCount = 8 }))
{
    while (Volatile.Read(ref Steps.Done) < count)
    {
        await Task.Delay(20);
    }
}

var took = Stopwatch.GetElapsedTime(began).TotalSeconds;
Console.WriteLine(FormattableString.Invariant($"{took:0.00}"));

public static class Steps
{
    public static NpgsqlDataSource Fleet = null!;
    public static HttpClient Client = null!;
    public static int Done;

    public static async Task ReadAsync(int number)
    {
        await using var connection = await Fleet.OpenConnectionAsync();
        var title = await connection.QuerySingleAsync<string>("SELECT title FROM defects WHERE id = @number", new { number });
        BackgroundJob.Enqueue(() => Decide(number, title));
    }

    public static void Decide(int number, string title)
    {
        if (title.Length > 0)
        {
            BackgroundJob.Enqueue(() => TellAsync(number, title));
        }
    }

    public static async Task TellAsync(int number, string title)
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, "/rooms/bench") { Content = JsonContent.Create(new { text = title }) };
        request.Headers.Add("Idempotency-Key", $"by-hand-{number}");
        using var answer = await Client.SendAsync(request);
        answer.EnsureSuccessStatusCode();
        Interlocked.Increment(ref Done);
    }
}
