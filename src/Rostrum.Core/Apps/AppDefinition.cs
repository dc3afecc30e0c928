using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps;

/// <summary>What a builder makes: pages of panels.</summary>
public sealed record AppDefinition(string Name, ImmutableArray<Page> Pages)
{
    /// <summary>The address of the page with which the app opens; its first one where null.</summary>
    public string? Home { get; init; }

    /// <summary>How it looks; as Rostrum itself where null.</summary>
    public AppLook? Look { get; init; }

    /// <summary>A page by its address, or null.</summary>
    public Page? Find(string address) => Pages.FirstOrDefault(page => page.Address == address);

    /// <summary>The datasets to which its panels refer.</summary>
    public IEnumerable<DatasetId> Datasets =>
        Pages
            .SelectMany(page => page.All)
            .SelectMany(panel => panel.Datasets)
            .Concat(Pages.SelectMany(page => page.Parameters).Select(parameter => parameter.Dataset).OfType<DatasetId>())
            .Distinct();
}
