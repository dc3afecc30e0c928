using System.Diagnostics;
using System.Diagnostics.Metrics;
using OpenTelemetry.Metrics;
using OpenTelemetry.Trace;
using Rostrum.Sources;

namespace Rostrum.Web.Operation;

/// <summary>
/// What operators see of the application, by OpenTelemetry: requests, calls to sources, panels, the cache of versions, the store's
/// connections. Traces and metrics go to a collector where <c>OTEL_EXPORTER_OTLP_ENDPOINT</c> names one.
/// </summary>
internal static class Telemetry
{
    private const string Name = "Rostrum.Web";

    private static readonly ActivitySource Traces = new(Name);
    private static readonly Meter Meter = new(Name);
    private static readonly Histogram<double> Panels = Meter.CreateHistogram<double>(
        "rostrum.panel.duration",
        "s",
        "How long panels took to be read."
    );

    private static readonly Counter<long> Versions = Meter.CreateCounter<long>(
        "rostrum.versions.asked",
        null,
        "How often a published version was asked for, and whether it was at hand."
    );

    public static void AddTelemetry(this WebApplicationBuilder builder)
    {
        var telemetry = builder
            .Services.AddOpenTelemetry()
            .WithMetrics(metrics =>
                metrics
                    .AddMeter(
                        Name,
                        SourceTelemetry.Name,
                        "System.Runtime",
                        "Microsoft.AspNetCore.Hosting",
                        "Microsoft.AspNetCore.Server.Kestrel",
                        "Npgsql"
                    )
                    .AddPrometheusExporter()
            );
        if (builder.Configuration["OTEL_EXPORTER_OTLP_ENDPOINT"] is not { Length: > 0 })
        {
            return;
        }

        telemetry
            .WithMetrics(metrics => metrics.AddOtlpExporter())
            .WithTracing(traces => traces.AddSource(Name, SourceTelemetry.Name).AddAspNetCoreInstrumentation().AddOtlpExporter());
    }

    /// <summary>A panel is read.</summary>
    public static Activity? Panel(string kind, string name) => Traces.StartActivity("panel")?.AddTag("kind", kind).AddTag("panel", name);

    /// <summary>A panel was read.</summary>
    public static void PanelRead(string kind, long start, bool failed) =>
        Panels.Record(
            Stopwatch.GetElapsedTime(start).TotalSeconds,
            new KeyValuePair<string, object?>("kind", kind),
            new KeyValuePair<string, object?>("outcome", failed ? "failed" : "shown")
        );

    /// <summary>A published version was asked for.</summary>
    public static void VersionAsked(bool atHand) => Versions.Add(1, new KeyValuePair<string, object?>("at_hand", atHand));
}
