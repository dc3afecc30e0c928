using System.Collections.Immutable;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Datasets.Drift;

/// <summary>Brings datasets in line with a source that has changed, and keeps all that a builder said of what is still there.</summary>
public static class DriftAcceptance
{
    /// <summary>
    /// The datasets as they are after the change. A table that is gone keeps its dataset, from which nothing can be read until it comes
    /// back.
    /// </summary>
    /// <param name="source">The source.</param>
    /// <param name="known">Its datasets so far.</param>
    /// <param name="was">The structure that they were made for.</param>
    /// <param name="now">The structure as it is.</param>
    /// <param name="evidence">What the values say of relations that no key declares.</param>
    /// <param name="format">How the workspace writes numbers, dates and money.</param>
    public static ImmutableArray<Dataset> Accept(
        SourceId source,
        IReadOnlyCollection<Dataset> known,
        SourceStructure was,
        SourceStructure now,
        IReadOnlyCollection<RelationEvidence> evidence,
        RecordFormat format
    )
    {
        ArgumentNullException.ThrowIfNull(known);
        ArgumentNullException.ThrowIfNull(was);
        ArgumentNullException.ThrowIfNull(now);
        // What is made of a query or of two others is no table of the source.
        var made = known.Where(dataset => dataset.Query is not null || dataset.Join is not null).ToArray();
        known = [.. known.Except(made)];
        var byTable = known.ToDictionary(dataset => dataset.Table);
        var drafted = DatasetDrafting.Draft(source, now, evidence, format, name =>
            byTable.TryGetValue(name, out var dataset) ? dataset.Id : new DatasetId(Guid.NewGuid())
        );
        var fields = drafted.ToDictionary(
            draft => draft.Id,
            draft => byTable.TryGetValue(draft.Table, out var dataset) ? draft with { Fields = Fields(dataset, draft) } : draft
        );
        return
        [
            .. drafted.Select(draft =>
                byTable.TryGetValue(draft.Table, out var dataset)
                    ? Merged(dataset, draft, fields, was.Find(draft.Table))
                    : draft with
                    {
                        Name = NameOf(draft, known),
                    }
            ),
            .. known.Where(dataset => now.Find(dataset.Table) is null).Select(Gone),
            .. made,
        ];
    }

    private static Dataset Gone(Dataset dataset)
    {
        var reason = $"The table “{dataset.Table}” is no longer in the source.";
        return dataset with { GoneBecause = reason, ReadOnlyBecause = reason };
    }

    private static FieldName NameOf(Dataset draft, IReadOnlyCollection<Dataset> known) =>
        Wording.FieldName(draft.Name.Value, known.Select(dataset => dataset.Name));

    private static ImmutableArray<Field> Fields(Dataset dataset, Dataset draft)
    {
        var fields = new List<Field>();
        foreach (var known in dataset.Fields)
        {
            if (known.Formula is not null)
            {
                fields.Add(known);
            }
            else if (draft.Fields.FirstOrDefault(candidate => candidate.Column == known.Column) is { } same)
            {
                fields.Add(
                    known with
                    {
                        Type = known.NativeType == same.NativeType && same.Type is not FieldType.Choice ? known.Type : same.Type,
                        NativeType = same.NativeType,
                        Required = same.Required,
                        HasDefault = same.HasDefault,
                        UsualValue = same.UsualValue,
                        Generation = same.Generation,
                    }
                );
            }
        }

        foreach (var added in draft.Fields.Where(candidate => dataset.Fields.All(known => known.Column != candidate.Column)))
        {
            fields.Add(
                added with
                {
                    Name = Wording.FieldName(
                        added.Name.Value,
                        dataset.Fields.Select(known => known.Name).Concat(fields.Select(field => field.Name))
                    ),
                }
            );
        }

        return [.. fields];
    }

    private static Dataset Merged(Dataset dataset, Dataset draft, Dictionary<DatasetId, Dataset> fields, TableStructure? was)
    {
        var now = fields[dataset.Id];
        FieldName Mapped(Dataset of, FieldName name) => fields[of.Id].Fields.First(field => field.Column == of[name].Column).Name;
        var kept = dataset
            .Relations.Where(relation =>
                now.Find(relation.Field) is not null
                && fields.TryGetValue(relation.Target, out var target)
                && target.Find(relation.TargetField) is not null
            )
            .ToArray();
        var found = draft
            .Relations.Where(relation =>
            {
                var column = draft[relation.Field].Column;
                var isNews =
                    was is null
                    || dataset.GoneBecause is not null
                    || was.Columns.All(known => known.Name != column)
                    || (relation.Declared && !was.ForeignKeys.Any(key => key.Columns is [var only] && only == column));
                return isNews && kept.All(known => now[known.Field].Column != column);
            })
            .Select(relation =>
                relation with
                {
                    Name = Wording.FieldName(relation.Name.Value, kept.Select(known => known.Name)),
                    Field = fields[dataset.Id].Fields.First(field => field.Column == draft[relation.Field].Column).Name,
                }
            );
        var relations = kept.Select(relation =>
                relation with
                {
                    OneToOne = draft
                        .Relations.FirstOrDefault(drafted => draft[drafted.Field].Column == now[relation.Field].Column)
                        ?.OneToOne
                        ?? relation.OneToOne,
                }
            )
            .Concat(found)
            .ToImmutableArray();
        ImmutableArray<FieldPath> title =
        [
            .. dataset.Title.Where(path =>
                path.Relations.IsEmpty ? now.Find(path.Field) is not null : relations.Any(relation => relation.Name == path.Relations[0])
            ),
        ];
        return dataset with
        {
            Inputs = draft.Inputs,
            Fields = now.Fields,
            Key = [.. draft.Key.Select(name => Mapped(draft, name))],
            Relations = relations,
            Title = title.IsEmpty
                ? [.. draft.Title.Select(path => path.Relations.IsEmpty ? FieldPath.Of(Mapped(draft, path.Field)) : path)]
                : title,
            Linked =
            [
                .. dataset.Linked,
                .. draft.Linked.Where(linked => dataset.Linked.All(known => known.By != linked.By || known.To != linked.To)),
            ],
            DeletionCascades = draft.DeletionCascades,
            DeletionReaches = draft.DeletionReaches,
            ReadOnlyBecause = draft.ReadOnlyBecause,
            GoneBecause = null,
        };
    }
}
