using System.Diagnostics;
using System.Diagnostics.Metrics;
using Microsoft.Extensions.Logging;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>What operators see of calls to sources: a trace and a duration of each, and a log entry of each that failed.</summary>
public static partial class SourceTelemetry
{
    /// <summary>The name of the traces and of the metrics.</summary>
    public const string Name = "Rostrum.Sources";

    private static readonly ActivitySource Traces = new(Name);
    private static readonly Meter Meter = new(Name);
    private static readonly Histogram<double> Durations = Meter.CreateHistogram<double>(
        "rostrum.source.duration",
        "s",
        "How long sources took for what was asked of them."
    );

    /// <summary>One call: ended by <see cref="Call.Dispose"/>.</summary>
    internal static Call Begin(ILogger log, Dataset dataset) => new(log, dataset);

    /// <summary>The number by which an operator finds what happened: the trace's.</summary>
    public static string Number => Activity.Current?.TraceId.ToString() ?? "none";

    internal sealed class Call(ILogger log, Dataset dataset) : IDisposable
    {
        private readonly long _start = Stopwatch.GetTimestamp();
        private readonly Activity? _trace = Traces.StartActivity("source", ActivityKind.Client)?.AddTag("dataset", dataset.Name.Value);
        private string _outcome = "answered";

        /// <summary>Writes down that it failed.</summary>
        public SourceFailure Failed(SourceFailure failure)
        {
            _outcome = failure.Reason.ToString();
            _trace?.SetStatus(ActivityStatusCode.Error, _outcome);
            LogFailure(log, dataset.Name.Value, dataset.Source, failure.Reason, failure.Message, Number);
            return failure;
        }

        public void Dispose()
        {
            Durations.Record(
                Stopwatch.GetElapsedTime(_start).TotalSeconds,
                new KeyValuePair<string, object?>("dataset", dataset.Name.Value),
                new KeyValuePair<string, object?>("outcome", _outcome)
            );
            _trace?.Dispose();
        }
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "Source {Source} failed for {Dataset}: {Reason}: {Text}; number {Number}")]
    private static partial void LogFailure(ILogger log, string dataset, SourceId source, FailureReason reason, string text, string number);
}
