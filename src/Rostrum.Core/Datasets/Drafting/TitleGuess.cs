using System.Collections.Immutable;

namespace Rostrum.Core.Datasets.Drafting;

/// <summary>What names a record to people, guessed from names, uniqueness and types.</summary>
/// <param name="Paths">The parts of the title.</param>
/// <param name="Because">The reason, for the builder.</param>
public sealed record TitleGuess(ImmutableArray<FieldPath> Paths, string Because)
{
    private static readonly string[] Naming = ["name", "title", "label", "subject", "headline", "full name", "display name"];

    /// <summary>Guesses for one table, given its drafted fields and relations, and the guesses for other tables.</summary>
    /// <param name="table">The table's structure.</param>
    /// <param name="fields">Its fields.</param>
    /// <param name="relations">Its relations.</param>
    /// <param name="simpleTitleOf">The one field that names a related record, or null where it takes more than one.</param>
    public static TitleGuess For(
        TableStructure table,
        ImmutableArray<Field> fields,
        ImmutableArray<Relation> relations,
        Func<DatasetId, FieldName?> simpleTitleOf)
    {
        ArgumentNullException.ThrowIfNull(table);
        ArgumentNullException.ThrowIfNull(simpleTitleOf);
        if (Simple(table, fields, relations) is { } named)
        {
            return new TitleGuess([FieldPath.Of(named.Name)], $"“{named.Label}” is the field whose name says so.");
        }

        var parts = new List<FieldPath>();
        var code = Code(table, fields, relations);
        if (code is not null)
        {
            parts.Add(FieldPath.Of(code.Name));
        }

        var required = relations.Where(relation => fields.Any(field => field.Name == relation.Field && field.Required)).ToArray();
        parts.AddRange(required
            .Where(relation => simpleTitleOf(relation.Target) is not null)
            .Take(code is null ? 1 : 2)
            .Select(relation => new FieldPath([relation.Name], simpleTitleOf(relation.Target)!.Value)));

        if (code is null && fields.FirstOrDefault(field => field is { Type.HasDay: true, Required: true }) is { } when)
        {
            parts.Add(FieldPath.Of(when.Name));
        }

        if (parts.Count > 0)
        {
            return new TitleGuess([.. parts], "No field is called a name, so it is put together from what tells the records apart.");
        }

        var first = fields.FirstOrDefault(field => field.Type is FieldType.Text { Long: false }) ?? fields.First();
        return new TitleGuess([FieldPath.Of(first.Name)], $"Nothing names a record; “{first.Label}” is the first field with text.");
    }

    /// <summary>The one field that tells a record from the others to people: its name, or else a code that is a text.</summary>
    public static Field? Single(TableStructure table, ImmutableArray<Field> fields, ImmutableArray<Relation> relations) =>
        Simple(table, fields, relations) ?? Code(table, fields, relations);

    private static Field? Code(TableStructure table, ImmutableArray<Field> fields, ImmutableArray<Relation> relations) =>
        fields.FirstOrDefault(field => field.Type is FieldType.Text
            && table.IsUnique(field.Column)
            && relations.All(relation => relation.Field != field.Name));

    private static Field? Simple(TableStructure table, ImmutableArray<Field> fields, ImmutableArray<Relation> relations)
    {
        var texts =
            fields
                .Where(field => field.Type is FieldType.Text { Long: false } && relations.All(relation => relation.Field != field.Name))
                .ToArray();
        return texts.FirstOrDefault(field => Naming.Contains(field.Label, StringComparer.OrdinalIgnoreCase))
            ?? texts.FirstOrDefault(field => field.Required
                && (field.Label.EndsWith(" name", StringComparison.OrdinalIgnoreCase)
                    || field.Label.EndsWith(" title", StringComparison.OrdinalIgnoreCase)));
    }
}
