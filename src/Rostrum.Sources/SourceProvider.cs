using System.Collections.Frozen;
using Rostrum.Core;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>Reaches the sources of one kind. A class that derives from it is found by being there.</summary>
internal abstract class SourceProvider
{
    private static readonly FrozenDictionary<string, SourceProvider> Known = FoundClasses
        .Of<SourceProvider>()
        .ToFrozenDictionary(provider => provider.Describes.Name, StringComparer.Ordinal);

    /// <summary>All of them.</summary>
    public static IEnumerable<SourceProvider> All => Known.Values;

    /// <summary>That of a kind by its name in settings.</summary>
    public static SourceProvider Of(string kind) => Known[kind];

    /// <summary>The kind of source, for builders.</summary>
    public abstract SourceKind Describes { get; }

    /// <summary>The language in which its records are decided upon.</summary>
    public abstract SqlEngine Language { get; }

    /// <summary>A dataset that was drafted of its structure, with what the source can do.</summary>
    public virtual Dataset Drafted(Dataset dataset, SourceSettings settings) => dataset;

    /// <summary>A dataset whose records are fetched and can only be read; a join of them stays as it is.</summary>
    protected static Dataset OnlyRead(Dataset dataset, string because) =>
        dataset.Join is not null
            ? dataset
            : dataset with
            {
                IsFetched = true,
                Takes = Verbs.View,
                ReadOnlyBecause = dataset.GoneBecause ?? because,
            };

    /// <summary>A source that is reached as its settings say.</summary>
    /// <param name="settings">The settings.</param>
    /// <param name="services">What the workspace around it gives.</param>
    public abstract ISource Reach(SourceSettings settings, SourceServices services);
}
