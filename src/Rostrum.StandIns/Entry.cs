using System.Globalization;
using Rostrum.StandIns.Crew;
using Rostrum.StandIns.Dues;
using Rostrum.StandIns.Fleet;
using Rostrum.StandIns.Harbour;
using Rostrum.StandIns.Post;
using Rostrum.StandIns.Signal;

namespace Rostrum.StandIns;

/// <summary>Loads the demo's databases, and runs the simulated services beside it.</summary>
internal static class Entry
{
    public static async Task<int> Main(string[] args)
    {
        var today = DateOnly.FromDateTime(TimeProvider.System.GetUtcNow().UtcDateTime);
        switch (args)
        {
            case ["fleet"]:
                await FleetLoader.LoadAsync(Named("ROSTRUM_FLEET"), today, CancellationToken.None);
                return 0;
            case ["crew"]:
                await CrewLoader.LoadAsync(Named("ROSTRUM_CREW"), today, CancellationToken.None);
                return 0;
            case ["dues", var file]:
                await DuesLoader.LoadAsync(file, today, CancellationToken.None);
                return 0;
            case ["post", var port, var page]:
                await using (var post = new PostRoom(int.Parse(port, CultureInfo.InvariantCulture)))
                {
                    await post.PageAt(page).RunAsync();
                }

                return 0;
            case ["gatehouse", var address]:
                await Gatehouse.Gatehouse.At(address).RunAsync();
                return 0;
            case ["signal", var address]:
                await new SignalRoom().At(address).RunAsync();
                return 0;
            case ["harbour", var address]:
                await HarbourOffice.At(address, today).RunAsync();
                return 0;
        }

        await Console.Error.WriteLineAsync(
            "usage: Rostrum.StandIns fleet        loads the database that ROSTRUM_FLEET names\n"
                + "       Rostrum.StandIns crew         loads the MariaDB database that ROSTRUM_CREW names\n"
                + "       Rostrum.StandIns dues FILE    writes the SQLite file of harbour dues\n"
                + "       Rostrum.StandIns post PORT URL takes mail at a port, and shows it at an address\n"
                + "       Rostrum.StandIns gatehouse URL runs the identity provider\n"
                + "       Rostrum.StandIns signal URL   takes chat messages, and shows them\n"
                + "       Rostrum.StandIns harbour URL  runs the harbour office's service"
        );
        return 2;
    }

    private static string Named(string variable) =>
        Environment.GetEnvironmentVariable(variable) ?? throw new InvalidOperationException($"{variable} names the database to load.");
}
