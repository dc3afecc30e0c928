using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>What comes of pointing a source's datasets at another source of the same structure: at production in place of a test.</summary>
/// <param name="Changed">The datasets that change: those that are pointed elsewhere, and those that refer to them.</param>
/// <param name="Replaced">Datasets of the other source over the same tables, which go.</param>
/// <param name="Missing">What the other source does not have, as sentences. Nothing can be moved while there is any.</param>
public sealed record DatasetMove(ImmutableArray<Dataset> Changed, ImmutableArray<DatasetId> Replaced, ImmutableArray<string> Missing)
{
    /// <summary>Works it out.</summary>
    /// <param name="catalogue">All datasets of the workspace.</param>
    /// <param name="from">The source whose datasets are moved.</param>
    /// <param name="to">The source at which they are pointed.</param>
    /// <param name="structure">What that source has.</param>
    /// <param name="used">The datasets that apps show: they are not replaced.</param>
    public static DatasetMove Of(
        DatasetCatalogue catalogue,
        SourceId from,
        SourceId to,
        SourceStructure structure,
        IReadOnlySet<DatasetId> used
    )
    {
        ArgumentNullException.ThrowIfNull(catalogue);
        ArgumentNullException.ThrowIfNull(structure);
        var moved = catalogue.All.Where(dataset => dataset.Source == from).ToArray();
        var tables = moved.Where(dataset => dataset is { Query: null, Join: null, GoneBecause: null }).ToArray();
        var twins = tables
            .Select(dataset => (dataset.Id, Twin: Twin(catalogue, to, dataset.Table)))
            .Where(pair => pair.Twin is { } twin && !used.Contains(twin))
            .ToDictionary(pair => pair.Twin!.Value, pair => pair.Id);
        DatasetId Now(DatasetId id) => twins.GetValueOrDefault(id, id);
        var after = catalogue
            .All.Where(dataset => !twins.ContainsKey(dataset.Id))
            .Select(dataset => Pointed(dataset, from, to, Now))
            .ToArray();
        return new DatasetMove(
            [.. DatasetMaking.WithJoins(after).Where(dataset => !ReferenceEquals(dataset, catalogue.Find(dataset.Id)))],
            [.. twins.Keys],
            [.. tables.OrderBy(dataset => dataset.Label, StringComparer.CurrentCulture).SelectMany(dataset => Lacking(dataset, structure))]
        );
    }

    private static DatasetId? Twin(DatasetCatalogue catalogue, SourceId source, TableName table) =>
        catalogue.All.FirstOrDefault(other => other is { Query: null, Join: null } && other.Source == source && other.Table == table)?.Id;

    private static Dataset Pointed(Dataset dataset, SourceId from, SourceId to, Func<DatasetId, DatasetId> now)
    {
        var pointed = dataset.Source == from ? dataset with { Source = to } : dataset;
        if (dataset.Join is { } join && (now(join.Left) != join.Left || now(join.Right) != join.Right))
        {
            pointed = pointed with { Join = join with { Left = now(join.Left), Right = now(join.Right) } };
        }

        return dataset.Relations.Any(relation => now(relation.Target) != relation.Target)
            ? pointed with
            {
                Relations = [.. dataset.Relations.Select(relation => relation with { Target = now(relation.Target) })],
            }
            : pointed;
    }

    private static IEnumerable<string> Lacking(Dataset dataset, SourceStructure structure)
    {
        if (structure.Find(dataset.Table) is not { } table)
        {
            yield return $"The table “{dataset.Table}” is not there.";
            yield break;
        }

        foreach (var field in dataset.StoredFields)
        {
            switch (table.Columns.FirstOrDefault(column => column.Name == field.Column))
            {
                case null:
                    yield return $"“{dataset.Table}” has no column “{field.Column}” there.";
                    break;
                case { NativeType: var native } when native != field.NativeType:
                    yield return $"“{dataset.Table}.{field.Column}” is {native} there, and {field.NativeType} here.";
                    break;
            }
        }
    }
}
