using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.Builder;
using Rostrum.Core;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Http;

namespace Rostrum.Sources.Tests.Http;

/// <summary>A service on this machine, as a source.</summary>
internal sealed class ApiSource : IAsyncDisposable, ISourceDirectory
{
    private readonly WebApplication _service;
    private readonly List<(SourceId Source, SourceSettings Settings)> _others = [];

    private ApiSource(WebApplication service) => (_service, Gate) = (service, Gates.For(this));

    public SourceId Source { get; } = new(Guid.NewGuid());

    public SourceSettings Settings { get; private set; } = null!;

    public RecordGate Gate { get; }

    public string Address => _service.Urls.Single();

    public static async Task<ApiSource> StartAsync(
        WebApplication service,
        Dictionary<string, string> options,
        string user = "",
        string password = ""
    )
    {
        await service.StartAsync();
        var source = new ApiSource(service);
        source.Settings = new SourceSettings("", 0, "", user, password, Encrypted: false)
        {
            Kind = "http",
            Options = JsonSerializer.Serialize(
                new Dictionary<string, string>(options) { ["Address"] = options.GetValueOrDefault("Address", source.Address) }
            ),
        };
        return source;
    }

    public void With(params ImmutableArray<ApiResource> resources) => Settings = Settings with { Requests = KindJson.Write(resources) };

    public void With(SecretValues secrets) => Settings = Settings with { Secrets = secrets };

    public void Add(SourceId source, SourceSettings settings) => _others.Add((source, settings));

    public async Task<ApiAnswer> SendAsync(ApiRequest request)
    {
        return await ApiTrying.SendAsync(Settings, request, CancellationToken.None);
    }

    public async Task<DatasetCatalogue> DraftAsync()
    {
        var read = Assert.IsType<StructureResult.Read>(await SourceConnector.ReadStructureAsync(Settings, CancellationToken.None));
        return new DatasetCatalogue(
            DatasetDrafting
                .Draft(Source, read.Structure, read.Evidence, Gates.Format, _ => new DatasetId(Guid.NewGuid()))
                .Select(dataset => SourceConnector.Drafted(dataset, Settings))
        );
    }

    public ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation) =>
        ValueTask.FromResult(
            source == Source ? Settings : _others.Where(one => one.Source == source).Select(one => one.Settings).FirstOrDefault()
        );

    public async ValueTask DisposeAsync()
    {
        await Gate.DisposeAsync();
        await _service.DisposeAsync();
    }
}
