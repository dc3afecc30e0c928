using Rostrum.StandIns.Dues;
using Rostrum.StandIns.Fleet;
using Rostrum.StandIns.Harbour;

namespace Rostrum.StandIns;

/// <summary>Loads the demo's databases, and runs the simulated services beside it.</summary>
internal static class Entry
{
    public static async Task<int> Main(string[] args)
    {
        if (args is ["fleet"])
        {
            var connection = Environment.GetEnvironmentVariable("ROSTRUM_FLEET")
                ?? throw new InvalidOperationException("ROSTRUM_FLEET names the database to load.");
            await FleetLoader.LoadAsync(
                connection,
                DateOnly.FromDateTime(TimeProvider.System.GetUtcNow().UtcDateTime),
                CancellationToken.None
            );
            return 0;
        }

        if (args is ["dues", var file])
        {
            await DuesLoader.LoadAsync(file, DateOnly.FromDateTime(TimeProvider.System.GetUtcNow().UtcDateTime), CancellationToken.None);
            return 0;
        }

        if (args is ["harbour", var address])
        {
            await HarbourOffice.At(address, DateOnly.FromDateTime(TimeProvider.System.GetUtcNow().UtcDateTime)).RunAsync();
            return 0;
        }

        await Console.Error.WriteLineAsync(
            "usage: Rostrum.StandIns fleet        loads the database that ROSTRUM_FLEET names\n"
                + "       Rostrum.StandIns dues FILE    writes the SQLite file of harbour dues\n"
                + "       Rostrum.StandIns harbour URL  runs the harbour office's service"
        );
        return 2;
    }
}
