using System.Globalization;
using Npgsql;
using Rostrum.Bench.Peer;

if (args is ["xlsx", var rows])
{
    var seconds = await Workbook.WriteAsync(int.Parse(rows, CultureInfo.InvariantCulture));
    Console.WriteLine(seconds.ToString(CultureInfo.InvariantCulture));
    return;
}

// The page that a developer would write by hand for the same list: one Razor Page, Dapper, no rights, no versions.
var builder = WebApplication.CreateBuilder(args);
builder.Logging.ClearProviders();
var connection = new NpgsqlConnectionStringBuilder(builder.Configuration["ROSTRUM_BENCH"])
{
    MaxPoolSize = 30,
    MaxAutoPrepare = 100,
    AutoPrepareMinUsages = 2,
};
builder.Services.AddSingleton(NpgsqlDataSource.Create(connection.ConnectionString));
builder.Services.AddRazorPages();
builder.Services.Configure<Microsoft.Extensions.WebEncoders.WebEncoderOptions>(encoder =>
    encoder.TextEncoderSettings = new(System.Text.Unicode.UnicodeRanges.All)
);
var application = builder.Build();
application.MapRazorPages();
await application.RunAsync();
