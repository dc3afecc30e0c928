using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Diagnostics;
using Rostrum.Core.Apps;
using Rostrum.Core.Formulas;
using Rostrum.Web.Operation;

namespace Rostrum.Web.Live.Panels;

/// <summary>Reads panels of a page, side by side, each once, and each after those whose content it needs.</summary>
internal sealed class PageReading(PageRun run)
{
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(2);
    private static readonly TimeSpan LongestEnd = TimeSpan.FromMilliseconds(200);

    private readonly ConcurrentDictionary<string, Lazy<Task<PanelView>>> _panels = [];

    public Task<PanelView> ReadAsync(Panel panel, CancellationToken cancellation) =>
        _panels.GetOrAdd(panel.Name, _ => new Lazy<Task<PanelView>>(() => ReadOnceAsync(panel, cancellation))).Value;

    /// <summary>
    /// What panels show, but of those alone that are read in the time for which people wait for a page. The others are no longer read: they
    /// come by themselves, each with a request of its own.
    /// </summary>
    /// <param name="panels">The panels, and their reading.</param>
    /// <param name="late">Ends the reading.</param>
    public static async Task<ImmutableArray<PanelView>> InTimeAsync(
        IReadOnlyCollection<(Panel Panel, PageRun Run, Task<PanelView> Reading)> panels,
        CancellationTokenSource late
    )
    {
        Task all = Task.WhenAll(panels.Select(panel => panel.Reading));

        // The timer ends with the wait: hundreds of pages a second would otherwise leave theirs behind.
        await all.WaitAsync(LongestWait, late.Token).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        if (!all.IsCompleted)
        {
            await late.CancelAsync();
            await Task.WhenAny(all, Task.Delay(LongestEnd));
        }

        return
        [
            .. panels.Select(panel =>
                panel.Reading.IsCompletedSuccessfully ? panel.Reading.Result : new PanelView(panel.Panel, panel.Run) { IsLate = true }
            ),
        ];
    }

    /// <summary>Whether a panel is there for whoever looks: it and all in which it stands are visible, and open where they open.</summary>
    public async Task<bool> IsThereAsync(Panel panel, CancellationToken cancellation)
    {
        await WaitAsync(panel, cancellation);
        return (!panel.Opens || run.State.Open.Contains(panel.Name))
            && run.Truth(panel, panel.Visible)
            && await HasPlaceAsync(panel, cancellation);
    }

    /// <summary>Whether there is a place for a panel: that in which it stands is there, and shows it.</summary>
    public async Task<bool> HasPlaceAsync(Panel panel, CancellationToken cancellation) =>
        run.Page.ParentOf(panel.Name) is not { } parent
        || ((!parent.ShowsOneAtATime || run.ShownAlone(parent) == panel) && await IsThereAsync(parent, cancellation));

    private async Task<PanelView> ReadOnceAsync(Panel panel, CancellationToken cancellation)
    {
        var kind = panel.Kind.Label;
        using var trace = Telemetry.Panel(kind, panel.Name);
        var start = Stopwatch.GetTimestamp();
        var view = await ReadContainedAsync(panel, cancellation);
        Telemetry.PanelRead(kind, start, view.Problem is not null);
        return view;
    }

    // A panel that fails says so itself; the rest of the page stands.
    private async Task<PanelView> ReadContainedAsync(Panel panel, CancellationToken cancellation)
    {
        var reader = PanelReader.Of(panel);
        var view = new PanelView(panel, run) { Partial = reader.Partial };
        if (run.Graph.IsInCycle(panel.Name))
        {
            return view with { Problem = "It depends on itself, so it cannot be shown." };
        }

        try
        {
            if (!await IsThereAsync(panel, cancellation))
            {
                return view with { IsThere = false };
            }

            var computed = run.Computed(panel);
            view = view with { Panel = computed };
            var content = await reader.ReadAsync(run, computed, cancellation);
            return content is ICanBeAway { IsAway: true }
                ? view with
                {
                    IsThere = false,
                }
                : view with
                {
                    Heading = run.Text(panel, panel.Heading),
                    Content = content,
                    Inner = [.. await Task.WhenAll(panel.Panels.Select(inner => ReadAsync(inner, cancellation)))],
                };
        }
        catch (FormulaBudgetException exception)
        {
            return view with { Problem = exception.Message };
        }
        catch (Exception exception) when (exception is not OperationCanceledException)
        {
            return view with { Problem = run.Fault(panel, exception) };
        }
    }

    private Task WaitAsync(Panel panel, CancellationToken cancellation) =>
        run.Graph.IsInCycle(panel.Name) || run.Graph.WaitsFor(panel.Name).Count == 0
            ? Task.CompletedTask
            : Task.WhenAll(
                run.Graph.WaitsFor(panel.Name)
                    .Select(run.Page.Find)
                    .OfType<Panel>()
                    .Where(other => !panel.All.Contains(other))
                    .Select(other => ReadAsync(other, cancellation))
            );
}
