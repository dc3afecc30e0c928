using System.Collections.Concurrent;
using Microsoft.AspNetCore.Hosting;
using Microsoft.Extensions.Logging;

namespace Rostrum.Web.Tests;

/// <summary>The demo's application, with everything kept that it writes into its log.</summary>
public sealed class LoggedApplication : DemoApplication
{
    private readonly KeptLog _log = new();

    public IReadOnlyCollection<string> Logged => _log.Lines;

    protected override void ConfigureWebHost(IWebHostBuilder builder)
    {
        base.ConfigureWebHost(builder);
        builder.ConfigureLogging(logging => logging.AddFilter<KeptLog>(null, LogLevel.Debug).AddProvider(_log));
    }

    private sealed class KeptLog : ILoggerProvider, ILogger
    {
        public ConcurrentQueue<string> Lines { get; } = new();

        public ILogger CreateLogger(string categoryName) => this;

        public IDisposable? BeginScope<TState>(TState state)
            where TState : notnull => null;

        public bool IsEnabled(LogLevel logLevel) => true;

        public void Log<TState>(
            LogLevel logLevel,
            EventId eventId,
            TState state,
            Exception? exception,
            Func<TState, Exception?, string> formatter
        ) => Lines.Enqueue($"{formatter(state, exception)} {exception}");

        public void Dispose() { }
    }
}
