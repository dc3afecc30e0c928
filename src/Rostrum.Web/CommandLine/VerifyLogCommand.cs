using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.CommandLine;

/// <summary><c>verify-log</c>: says whether each entry of the logbook follows the one before it, and where that breaks.</summary>
internal static class VerifyLogCommand
{
    public static async Task<int> RunAsync(IServiceProvider services)
    {
        await using var store = await services.GetRequiredService<IDbContextFactory<RostrumStore>>().CreateDbContextAsync();
        var (holds, breaks) = await RecordLog.VerifyAsync(store, CancellationToken.None);
        var entries = holds == 1 ? "1 entry" : $"{holds:N0} entries";
        await Console.Out.WriteLineAsync(
            breaks is { } entry
                ? $"The logbook was altered: {entries} before it hold, and entry {entry.Id} does not: {entry.Says}."
                : $"The logbook holds: {entries}, each follows the one before it."
        );
        return breaks is null ? 0 : 1;
    }
}
