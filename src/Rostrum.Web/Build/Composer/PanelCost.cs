using System.Collections.Immutable;
using System.Diagnostics;
using Rostrum.Core.Apps;
using Rostrum.Sources;
using Rostrum.Web.Live;
using Rostrum.Web.Live.Panels;

namespace Rostrum.Web.Build.Composer;

/// <summary>What one panel asked of its sources, and how long that took: for builders alone.</summary>
/// <param name="Panel">The panel.</param>
/// <param name="Calls">What was asked, in the order in which it ended.</param>
/// <param name="Took">From the first question until all was there.</param>
internal sealed record PanelCost(Panel Panel, ImmutableArray<SourceCall> Calls, TimeSpan Took)
{
    private const int ManyRows = 2_000;
    private static readonly TimeSpan Slow = TimeSpan.FromMilliseconds(300);

    /// <summary>It is slow, or asks for much.</summary>
    public bool IsSlow => Took >= Slow;

    /// <summary>It stands among the problems of the page.</summary>
    public bool IsProblem => IsSlow || Advice.Any() || Indexes.Any();

    /// <summary>What would help; empty where nothing need be done.</summary>
    public IEnumerable<string> Advice
    {
        get
        {
            if (Calls.Any(call => call.Rows >= ManyRows))
            {
                yield return "Many rows were read to show few: narrow the panel by something that the source can decide.";
            }

            foreach (var note in Calls.Select(call => call.Note).OfType<string>().Distinct(StringComparer.Ordinal))
            {
                yield return $"{note} Name a filter parameter in the API's requests, if it has one.";
            }

            if (IsSlow && Calls.MaxBy(call => call.Took) is { } slowest && slowest.Took >= Slow && slowest is { Index: null, Note: null })
            {
                yield return "The slowest question is slow in its source: ask for fewer records, or for fewer computed fields.";
            }
        }
    }

    /// <summary>Indexes that would help, as statements to copy.</summary>
    public IEnumerable<string> Indexes => Calls.Select(call => call.Index).OfType<string>().Distinct(StringComparer.Ordinal);

    /// <summary>Reads some panels through a gate that is watched.</summary>
    public static async Task<ImmutableArray<PanelCost>> OfAsync(
        PageRun run,
        RecordGate gate,
        IEnumerable<Panel> panels,
        CancellationToken cancellation
    )
    {
        var costs = ImmutableArray.CreateBuilder<PanelCost>();
        foreach (var panel in panels.Where(panel => panel.Of is not null || panel.Datasets.Any()))
        {
            var calls = new List<SourceCall>();
            void Told(SourceCall call)
            {
                lock (calls)
                {
                    calls.Add(call);
                }
            }

            var watched = run.Through(gate.Watched(Told));
            await watched.PrepareAsync(cancellation);
            calls.Clear();
            var began = Stopwatch.GetTimestamp();
            await PanelReader.Of(panel).ReadAsync(watched, panel, cancellation);
            costs.Add(new PanelCost(panel, [.. calls], Stopwatch.GetElapsedTime(began)));
        }

        return costs.ToImmutable();
    }
}
