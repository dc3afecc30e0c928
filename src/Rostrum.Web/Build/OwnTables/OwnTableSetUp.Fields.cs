using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Drift;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Imports;
using Rostrum.Core.OwnTables;
using Rostrum.Sources.Own;
using Rostrum.Store;

namespace Rostrum.Web.Build.OwnTables;

/// <content>Adds fields to a table, and renames, changes and removes them.</content>
internal sealed partial class OwnTableSetUp
{
    /// <summary>One more field; or why not.</summary>
    public async Task<string?> AddAsync(Dataset dataset, OwnField field, CancellationToken cancellation)
    {
        (field, var wrong) = field.Kept(format);
        if ((field.Problem ?? wrong) is { } problem)
        {
            return problem;
        }

        var column = OwnName.Of(field.Label, "field", [OwnTableStore.Key, .. dataset.Fields.Select(known => known.Column)]);
        var refused = await AlterAsync(
            async tables =>
            {
                await tables.AddAsync(dataset.Table.Name, column, field, cancellation);
                await NoteAsync(dataset, $"“{field.Label}” was added.", new TableAlteration.FieldAdded(column), cancellation);
            },
            cancellation
        );
        return await AlteredAsync(dataset, column, field, refused, cancellation);
    }

    /// <summary>A field goes, with all that stands in it; or why not.</summary>
    public async Task<string?> RemoveAsync(Dataset dataset, Field field, OwnField was, CancellationToken cancellation)
    {
        var refused = await AlterAsync(tables => RemoveAsync(tables, dataset, field, was.Kept(format).Field, cancellation), cancellation);
        return await AlteredAsync(dataset, "", null, refused, cancellation);
    }

    private async Task RemoveAsync(
        OwnTableStore tables,
        Dataset dataset,
        Field field,
        OwnField was,
        CancellationToken cancellation,
        Guid? undoes = null
    )
    {
        var undo = new TableAlteration.FieldRemoved(was, dataset, field.Name);
        var noted = await NoteAsync(dataset, $"“{field.Label}” was removed.", undo, cancellation, undoes: undoes);
        await tables.RemoveAsync(ColumnOf(dataset, field.Column), noted, cancellation);
    }

    /// <summary>A field is called otherwise; or why not.</summary>
    public async Task<string?> RenameAsync(Dataset dataset, Field field, string label, CancellationToken cancellation, Guid? undoes = null)
    {
        if (label.Length == 0)
        {
            return "A field has no label.";
        }

        var was = dataset.LabelOf(field.Name);
        await store.SaveOnNewestAsync(
            async () =>
            {
                var stored = await store.Datasets.FirstAsync(row => row.Id == dataset.Id.Value, cancellation);
                stored.Definition = Called(stored.Definition, field.Column, label);
                var undo = new TableAlteration.FieldRenamed(field.Column, was);
                await NoteAsync(dataset, $"“{was}” was renamed to “{label}”.", undo, cancellation, undoes: undoes);
            },
            cancellation
        );
        return null;
    }

    private static Dataset Called(Dataset dataset, string column, string label) =>
        dataset.Fields.FirstOrDefault(field => field.Column == column) is not { } field
            ? dataset
            : dataset with
            {
                Fields = dataset.Fields.Replace(field, field with { Label = label }),
                Relations =
                [
                    .. dataset.Relations.Select(relation => relation.Field == field.Name ? relation with { Label = label } : relation),
                ],
            };

    /// <summary>A field holds something else; or what of it would be lost by that, where it is only tried.</summary>
    /// <param name="dataset">The table.</param>
    /// <param name="field">The field.</param>
    /// <param name="was">What it holds.</param>
    /// <param name="wanted">What it is to hold.</param>
    /// <param name="tries">Nothing is changed.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<(ImmutableArray<(string Text, long Records)> Lost, string? Problem)> RetypeAsync(
        Dataset dataset,
        Field field,
        OwnField was,
        OwnField wanted,
        bool tries,
        CancellationToken cancellation
    )
    {
        (wanted, var wrong) = wanted.Kept(format);
        if ((wanted.Problem ?? wrong) is { } problem)
        {
            return ([], problem);
        }

        var lost = ImmutableArray<(string Text, long Records)>.Empty;
        var refused = await AlterAsync(
            async tables => lost = await RetypeAsync(tables, dataset, field, was.Kept(format).Field, wanted, undone: null, cancellation),
            cancellation,
            tries
        );
        return tries ? (lost, refused) : (lost, await AlteredAsync(dataset, field.Column, wanted, refused, cancellation));
    }

    private async Task<ImmutableArray<(string Text, long Records)>> RetypeAsync(
        OwnTableStore tables,
        Dataset dataset,
        Field field,
        OwnField was,
        OwnField wanted,
        Guid? undone,
        CancellationToken cancellation
    )
    {
        var undo = new TableAlteration.FieldRetyped(was, dataset, field.Name);
        var noted = await NoteAsync(dataset, $"“{field.Label}” was changed to {WordsOf(wanted)}.", undo, cancellation, undoes: undone);
        return await tables.RetypeAsync(ColumnOf(dataset, field.Column), wanted, Taking(wanted), noted, undone, cancellation);
    }

    private static string WordsOf(OwnField field) =>
        string.Join(
            ", ",
            new[]
            {
                field.Kind.Label.ToLowerInvariant(),
                field.Required ? "required" : null,
                field.Unique ? "unique" : null,
            }.OfType<string>()
        );

    // What a text that stands in a table is as a value of a field.
    private Func<string, object?> Taking(OwnField field)
    {
        var cells = new CellForm(false, DateOrder.YearMonthDay);
        return text => field.Read(cells, text, format) is Parsed.Value { Is: { } value } ? value : null;
    }

    private static OwnColumn ColumnOf(Dataset dataset, string column) =>
        new(dataset.Table.Name, column, [.. dataset.Key.Select(name => dataset[name].Column)]);

    private async Task<string?> AlteredAsync(
        Dataset dataset,
        string column,
        OwnField? field,
        string? refused,
        CancellationToken cancellation
    )
    {
        if (refused is not null)
        {
            return refused;
        }

        var datasets = await RefreshAsync(dataset.Source.Value, cancellation);
        if (
            field is not null
            && datasets.FirstOrDefault(known => known.Id == dataset.Id) is { } now
            && now.Fields.FirstOrDefault(known => known.Column == column) is { } made
        )
        {
            now = now with { Fields = now.Fields.Replace(made, Labelled(made, field)) };
            now = field.Type is OwnType.Person ? await people.ReferringAsync(now, made.Name, cancellation) : now;
            await KeepAsync(await WithLimitsAsync(now, made.Name, cancellation), cancellation);
        }

        return null;
    }

    // What the table demands of a field is said before it is asked, as where a source is drafted.
    private async Task<Dataset> WithLimitsAsync(Dataset dataset, FieldName field, CancellationToken cancellation)
    {
        var source = await store.Sources.AsNoTracking().FirstAsync(row => row.Id == dataset.Source.Value, cancellation);
        var checks = source.Structure.Find(dataset.Table)?.Checks ?? [];
        var others = dataset.Rules.Where(rule =>
            rule is not Rule.Holds { Field: { } at } || at != field || !rule.Name.StartsWith($"{field}_check", StringComparison.Ordinal)
        );
        var demanded = CheckRules.Of(checks, dataset.Fields, format).Where(rule => rule is Rule.Holds { Field: { } at } && at == field);
        return dataset with { Rules = [.. others, .. demanded] };
    }

    private Field Labelled(Field field, OwnField wanted) => OwnKind.Applied(field, wanted, format.Currency);
}
