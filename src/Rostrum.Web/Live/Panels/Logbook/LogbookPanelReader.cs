using Microsoft.AspNetCore.WebUtilities;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live.Panels.Logbook;

/// <summary>Where the entries of a logbook are read, or why there are none.</summary>
internal sealed record LogbookView(string? Address, string? Because);

internal sealed class LogbookPanelReader() : PanelReader<LogbookPanel>("Logbook")
{
    protected override Task<object?> ReadAsync(PageRun run, LogbookPanel panel, CancellationToken cancellation) =>
        Task.FromResult<object?>(Of(run, panel));

    private static LogbookView Of(PageRun run, LogbookPanel panel)
    {
        if (run.App.Datasets.Find(panel.Dataset) is not { } dataset)
        {
            return new LogbookView(null, "These records are no longer there.");
        }

        if (run.IsPublic || !run.Grants.For(dataset.Id).Allows(Verbs.View))
        {
            return new LogbookView(null, $"You may not see {dataset.LabelInSentence}.");
        }

        if (panel.Record is null)
        {
            var asked = (run.State.Of(panel.Name) as LogbookState)?.Asked.Select(pair =>
                KeyValuePair.Create(pair.Key, (string?)pair.Value)
            );
            var all = $"/logbook/all?dataset={dataset.Id}&panel={Uri.EscapeDataString(panel.Name)}";
            return new LogbookView(QueryHelpers.AddQueryString(all, asked ?? []), null);
        }

        return run.Record(panel, panel.Record) is { } one
            ? new LogbookView($"/logbook?dataset={dataset.Id}&record={Uri.EscapeDataString(one.Key.ToText(dataset))}", null)
            : new LogbookView(null, $"Choose a {dataset.RecordLabel} to see its changes.");
    }
}
