using System.Diagnostics;
using System.Globalization;
using MiniExcelLibs;

namespace Rostrum.Bench.Peer;

/// <summary>A workbook of rows that stand in memory, by the library alone.</summary>
internal static class Workbook
{
    private sealed record Part(string Code, string Name, decimal Amount, DateTime MadeOn, string State, string Remark);

    /// <summary>Writes one, after a small one to be warm; gives the seconds that it took.</summary>
    public static async Task<double> WriteAsync(int rows)
    {
        await SaveAsync(20_000);
        var began = Stopwatch.GetTimestamp();
        await SaveAsync(rows);
        return Stopwatch.GetElapsedTime(began).TotalSeconds;
    }

    private static async Task SaveAsync(int rows)
    {
        var parts = Enumerable
            .Range(1, rows)
            .Select(n => new Part(
                string.Create(CultureInfo.InvariantCulture, $"P-{n:0000000}"),
                string.Create(CultureInfo.InvariantCulture, $"Part number {n}"),
                n * 7919L % 100_000 / 100m,
                new DateTime(2026, 1 + n % 9, 10 + n % 9, 0, 0, 0, DateTimeKind.Unspecified),
                n % 2 == 0 ? "new" : "used",
                string.Create(CultureInfo.InvariantCulture, $"shelf {n % 500}")
            ));
        await using var file = File.Create(Path.Combine(Path.GetTempPath(), "rostrum-bench-peer.xlsx"));
        await MiniExcel.SaveAsAsync(file, parts);
    }
}
