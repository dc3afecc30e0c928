using System.Collections.Frozen;
using Rostrum.Core;
using Rostrum.Core.Apps;

namespace Rostrum.Web.Live.Panels;

/// <summary>Reads what one kind of panel shows. A class that does is known by being there.</summary>
internal abstract class PanelReader
{
    private static readonly FrozenDictionary<Type, PanelReader> Known = FoundClasses
        .Of<PanelReader>()
        .ToFrozenDictionary(reader => reader.Kind);

    /// <summary>The class of panels.</summary>
    public abstract Type Kind { get; }

    /// <summary>The partial that shows them.</summary>
    public abstract string Partial { get; }

    /// <summary>What the partial shows.</summary>
    public abstract Task<object?> ReadAsync(PageRun run, Panel panel, CancellationToken cancellation);

    public static PanelReader Of(Panel panel) => Known[panel.GetType()];
}

/// <summary>The same for a known class of panels, in the folder of its name.</summary>
internal abstract class PanelReader<T>(string folder) : PanelReader
    where T : Panel
{
    public override Type Kind => typeof(T);

    public override string Partial => $"/Live/Panels/{folder}/_{folder}.cshtml";

    public override Task<object?> ReadAsync(PageRun run, Panel panel, CancellationToken cancellation) =>
        ReadAsync(run, (T)panel, cancellation);

    protected abstract Task<object?> ReadAsync(PageRun run, T panel, CancellationToken cancellation);
}
