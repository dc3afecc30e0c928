using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.OwnTables;
using Rostrum.Sources.Own;
using Rostrum.Store;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>Undoes what was altered, while nothing that came later depends on it.</summary>
internal sealed partial class OwnTableSetUp
{
    /// <summary>The alterations of a table, or of all, the last first.</summary>
    public Task<List<StoredAlteration>> AlterationsAsync(Guid? table, int most, CancellationToken cancellation) =>
        store
            .Alterations.AsNoTracking()
            .Where(row => table == null || row.DatasetId == table)
            .OrderByDescending(row => row.At)
            .Take(most)
            .ToListAsync(cancellation);

    /// <summary>Undoes one; or why not.</summary>
    public async Task<string?> UndoAsync(Guid id, CancellationToken cancellation)
    {
        const string Gone = "There is nothing to undo any more.";
        if (
            await store.Alterations.AsNoTracking().FirstOrDefaultAsync(row => row.Id == id, cancellation)
                is not { UndoneBy: null, Undo: { } undo } alteration
            || await store.Datasets.AsNoTracking().FirstOrDefaultAsync(row => row.Id == alteration.DatasetId, cancellation)
                is not { Definition: var dataset }
        )
        {
            return Gone;
        }

        var later = await store
            .Alterations.AsNoTracking()
            .Where(row => row.DatasetId == alteration.DatasetId && row.At > alteration.At && row.UndoneBy == null && row.Undoes == null)
            .ToListAsync(cancellation);
        if (later.FirstOrDefault(row => row.Undo is null or TableAlteration.TableRemoved || row.Undo.Column == undo.Column) is { } blocking)
        {
            return $"Undo what came later first: {blocking.Words}";
        }

        var refused = await AlterAsync(
            async tables =>
            {
                // Asked twice at once, it is undone once.
                var row = await store
                    .Alterations.FromSql($"SELECT * FROM alterations WHERE id = {id} FOR UPDATE")
                    .SingleAsync(cancellation);
                if (row.UndoneBy is not null)
                {
                    return Gone;
                }

                row.UndoneBy = await person.NameAsync(cancellation);
                // What undid another is undone: the other holds again.
                if (
                    row.Undoes is { } other
                    && await store.Alterations.FirstOrDefaultAsync(known => known.Id == other, cancellation) is { } first
                )
                {
                    first.UndoneBy = null;
                }

                return await UndoAsync(tables, dataset, row.Id, undo, cancellation);
            },
            cancellation
        );
        return refused ?? await RestoredAsync(dataset, id, undo, cancellation);
    }

    // What takes something away, though it undoes, can be undone as well: it is noted anew.
    private async Task<string?> UndoAsync(
        OwnTableStore tables,
        Dataset dataset,
        Guid id,
        TableAlteration undo,
        CancellationToken cancellation
    )
    {
        switch (undo)
        {
            case TableAlteration.FieldAdded added when dataset.Fields.FirstOrDefault(field => field.Column == added.Name) is { } field:
                await RemoveAsync(tables, dataset, field, await WasAsync(dataset, field, cancellation), cancellation, id);
                return null;
            case TableAlteration.FieldRemoved removed:
                await tables.RestoreAsync(ColumnOf(removed.Before, removed.Column!), removed.Was, id, cancellation);
                return null;
            case TableAlteration.FieldRetyped retyped
                when dataset.Fields.FirstOrDefault(known => known.Column == retyped.Column) is { } now:
                var was = await WasAsync(dataset, now, cancellation);
                var lost = await RetypeAsync(tables, dataset, now, was, retyped.Was, id, cancellation);
                return lost.IsEmpty
                    ? null
                    : $"“{lost[0].Text}” was typed since, and is nothing that “{now.Label}” held before: change it first.";
            case TableAlteration.FieldRenamed:
                return null;
            case TableAlteration.TableRemoved removed:
                await tables.RestoreAsync(removed.Before.Table.Name, removed.References, id, cancellation);
                return null;
            default:
                return "It is no longer there.";
        }
    }

    private async Task<OwnField> WasAsync(Dataset dataset, Field field, CancellationToken cancellation)
    {
        var source = await store.Sources.AsNoTracking().FirstAsync(row => row.Id == dataset.Source.Value, cancellation);
        var catalogue = await store.DatasetsAsync(cancellation);
        return new OwnFieldReading(catalogue, dataset, source.Structure.Find(dataset.Table), format).Of(field).Kept(format).Field;
    }

    private async Task<string?> RestoredAsync(Dataset dataset, Guid id, TableAlteration undo, CancellationToken cancellation)
    {
        if (undo is TableAlteration.FieldRenamed renamed)
        {
            return dataset.Fields.FirstOrDefault(field => field.Column == renamed.Name) is { } field
                ? await RenameAsync(dataset, field, renamed.Was, cancellation, id)
                : null;
        }

        var datasets = await RefreshAsync(dataset.Source.Value, cancellation);
        var (before, name) = undo switch
        {
            TableAlteration.FieldRemoved removed => (removed.Before, removed.Field),
            TableAlteration.FieldRetyped retyped => (retyped.Before, retyped.Field),
            _ => (null, default(FieldName)),
        };
        if (before is not null && datasets.FirstOrDefault(known => known.Id == dataset.Id) is { } now)
        {
            var restored = AsBefore(now, before, name);
            await KeepAsync(
                await WithLimitsAsync(restored, restored.Fields.First(field => field.Column == before[name].Column).Name, cancellation),
                cancellation
            );
        }

        return null;
    }

    // All that was said of the field is said again: its place, label, colours, relation and rules, and that titles are made of it.
    private static Dataset AsBefore(Dataset now, Dataset before, FieldName name)
    {
        var was = before[name];
        var made = now.Fields.First(field => field.Column == was.Column);
        var isFree = now.Fields.All(field => field == made || field.Name != name);
        var field = was with
        {
            Name = isFree ? name : made.Name,
            Required = made.Required,
            HasDefault = made.HasDefault,
            UsualValue = made.UsualValue,
        };
        var others = now.Fields.Remove(made);
        var elsewhere = now.Relations.Where(one => one.Field != made.Name).ToArray();
        var relation =
            before.RelationOf(name) is { } known && Array.TrueForAll(elsewhere, one => one.Name != known.Name)
                ? known
                : now.RelationOf(made.Name);
        return now with
        {
            Fields = others.Insert(Math.Min(before.Fields.IndexOf(was), others.Length), field),
            Relations = relation is null ? [.. elsewhere] : [.. elsewhere, relation with { Field = field.Name }],
            Title =
                isFree && before.Title.Any(path => path.Relations.IsEmpty && path.Field == name) && before.Title.All(path => IsThere(path))
                    ? before.Title
                    : now.Title,
            Rules =
            [
                .. now.Rules,
                .. before.Rules.Where(rule =>
                    rule is Rule.Holds { Field: { } at } && at == name && isFree && now.Rules.All(other => other.Name != rule.Name)
                ),
            ],
        };

        bool IsThere(FieldPath path) =>
            path.Relations.IsEmpty
                ? path.Field == name || others.Any(other => other.Name == path.Field)
                : elsewhere.Append(relation).Any(one => one?.Name == path.Relations[0]);
    }
}
