using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Live.Refreshing;

/// <summary>
/// Tells a page that records were saved which it shows: server-sent events (HTML Living Standard, 9.2), on whichever node they were saved.
/// </summary>
/// <remarks>It says that, and not what: whoever hears it reads again, with their own rights. The browser comes back after a while, and is
/// asked again who it is.</remarks>
[Handles("GET", "Events")]
internal sealed class EventsHandler(RecordChanges changes, IHostApplicationLifetime lifetime) : LiveHandler
{
    public override Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation) =>
        Task.FromResult<IActionResult>(
            page.Current.RefreshOnChange ? new Stream(page.Run, changes, lifetime.ApplicationStopping) : new NoContentResult()
        );

    private sealed class Stream(PageRun run, RecordChanges changes, CancellationToken stopping) : IActionResult
    {
        private static readonly TimeSpan Longest = TimeSpan.FromMinutes(5);
        private static readonly TimeSpan Silence = TimeSpan.FromSeconds(20);

        public async Task ExecuteResultAsync(ActionContext context)
        {
            var http = context.HttpContext;
            http.Response.ContentType = "text/event-stream";
            http.Features.Get<IHttpResponseBodyFeature>()?.DisableBuffering();
            using var ends = CancellationTokenSource.CreateLinkedTokenSource(http.RequestAborted, stopping);
            ends.CancelAfter(Longest);
            using var listener = changes.Listen();
            try
            {
                await SayAsync(http, ": open\n\n", ends.Token);
                while (true)
                {
                    if (!await HeardAsync(listener, ends.Token))
                    {
                        // Whoever stands in between keeps what is silent for long from being cut.
                        await SayAsync(http, ": still here\n\n", ends.Token);
                        continue;
                    }

                    var matters = false;
                    while (listener.Saved.TryRead(out var saved))
                    {
                        matters |= Matters(new DatasetId(saved));
                    }

                    if (matters)
                    {
                        await SayAsync(http, "event: changed\ndata: \n\n", ends.Token);
                    }
                }
            }
            catch (OperationCanceledException)
            {
                // The page is gone, or it is time to come back.
            }
        }

        private static async Task<bool> HeardAsync(RecordChanges.Listener listener, CancellationToken cancellation)
        {
            using var silence = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
            silence.CancelAfter(Silence);
            try
            {
                return await listener.Saved.WaitToReadAsync(silence.Token);
            }
            catch (OperationCanceledException) when (!cancellation.IsCancellationRequested)
            {
                return false;
            }
        }

        private bool Matters(DatasetId dataset) =>
            run.Grants.For(dataset).Allows(Verbs.View) && !run.Graph.Affected(dataset, run.App.Datasets).IsEmpty;

        private static async Task SayAsync(HttpContext http, string text, CancellationToken cancellation)
        {
            await http.Response.WriteAsync(text, cancellation);
            await http.Response.Body.FlushAsync(cancellation);
        }
    }
}
