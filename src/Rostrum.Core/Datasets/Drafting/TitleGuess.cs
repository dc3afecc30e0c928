using System.Collections.Immutable;

namespace Rostrum.Core.Datasets.Drafting;

/// <summary>What names a record to people, guessed from names, uniqueness and types.</summary>
/// <param name="Paths">The parts of the title.</param>
/// <param name="Because">The reason, for the builder.</param>
public sealed record TitleGuess(ImmutableArray<FieldPath> Paths, string Because)
{
    // What a field that names a record is called, the surest first; the parts of a person's name stand between the two.
    private static readonly string[] Names = ["full name", "display name", "name"];
    private static readonly string[] Titles =
    [
        "title",
        "subject",
        "headline",
        "label",
        "company",
        "company name",
        "organisation",
        "organization",
        "description",
    ];

    /// <summary>Guesses for one table, given its drafted fields and relations, and the guesses for other tables.</summary>
    /// <param name="table">The table's structure.</param>
    /// <param name="fields">Its fields.</param>
    /// <param name="relations">Its relations.</param>
    /// <param name="simpleTitleOf">The one field that names a related record, or null where it takes more than one.</param>
    public static TitleGuess For(
        TableStructure table,
        ImmutableArray<Field> fields,
        ImmutableArray<Relation> relations,
        Func<DatasetId, FieldName?> simpleTitleOf
    )
    {
        ArgumentNullException.ThrowIfNull(table);
        ArgumentNullException.ThrowIfNull(simpleTitleOf);
        var texts = Texts(fields, relations);
        switch (Named(table, texts))
        {
            case [var named]:
                return new TitleGuess([FieldPath.Of(named.Name)], $"“{named.Label}” is what a field that names a record is called.");
            case [var first, var last]:
                return new TitleGuess(
                    [FieldPath.Of(first.Name), FieldPath.Of(last.Name)],
                    $"“{first.Label}” and “{last.Label}” together name a person."
                );
        }

        var code = Code(table, fields, relations);
        if (code is null && Group(table, fields, relations, simpleTitleOf) is { } group)
        {
            var labels = string.Join(" and ", group.Select(part => $"“{part.Label}”"));
            return new TitleGuess(
                [.. group.Select(part => part.Path)],
                $"No field is called a name, and {labels} together are different in each record."
            );
        }

        var parts = new List<FieldPath>();
        if (code is not null)
        {
            parts.Add(FieldPath.Of(code.Name));
        }

        var required = relations.Where(relation => fields.Any(field => field.Name == relation.Field && field.Required)).ToArray();
        parts.AddRange(
            required
                .Where(relation => simpleTitleOf(relation.Target) is not null)
                .Take(code is null ? 1 : 2)
                .Select(relation => new FieldPath([relation.Name], simpleTitleOf(relation.Target)!.Value))
        );

        if (code is null && fields.FirstOrDefault(field => field is { Type.HasDay: true, Required: true }) is { } when)
        {
            parts.Add(FieldPath.Of(when.Name));
        }

        if (code is not null && parts.Count == 1)
        {
            return new TitleGuess([.. parts], $"No field is called a name, and “{code.Label}” is different in each record.");
        }

        if (parts.Count > 0)
        {
            return new TitleGuess([.. parts], "No field is called a name, so it is put together from what tells the records apart.");
        }

        var any = texts.FirstOrDefault() ?? fields.FirstOrDefault(field => !field.Hidden) ?? fields.First();
        return new TitleGuess(
            [FieldPath.Of(any.Name)],
            $"Nothing names a record; “{any.Label}” is the first field {(texts.Length > 0 ? "with text" : "that people see")}."
        );
    }

    /// <summary>The one field that tells a record from the others to people: its name, or else a code that is a text.</summary>
    public static Field? Single(TableStructure table, ImmutableArray<Field> fields, ImmutableArray<Relation> relations) =>
        Named(table, Texts(fields, relations)).LastOrDefault() ?? Code(table, fields, relations);

    private static Field? Code(TableStructure table, ImmutableArray<Field> fields, ImmutableArray<Relation> relations) =>
        fields.FirstOrDefault(field =>
            field.Type is FieldType.Text && table.IsUnique(field.Column) && relations.All(relation => relation.Field != field.Name)
        );

    // What tells the records apart together, where each part says something to people: the row of a theatre and the number of a seat.
    private static (FieldPath Path, string Label)[]? Group(
        TableStructure table,
        ImmutableArray<Field> fields,
        ImmutableArray<Relation> relations,
        Func<DatasetId, FieldName?> simpleTitleOf
    )
    {
        return table
            .UniqueKeys.Add(table.PrimaryKey)
            .Where(key => key.Length is 2 or 3)
            .Select(key => key.Select(Part).ToArray())
            .FirstOrDefault(key => key.All(part => part is not null))
            ?.Select(part => part!.Value)
            .ToArray();

        (FieldPath, string)? Part(string column)
        {
            var field = fields.FirstOrDefault(field => field.Column == column);
            if (field is null || relations.FirstOrDefault(relation => relation.Field == field.Name) is not { } relation)
            {
                return
                    field is { Required: true, Type: FieldType.Text { Long: false } or FieldType.Choice or FieldType.Integer }
                    || field is { Required: true, Type.HasDay: true }
                    ? (FieldPath.Of(field.Name), field.Label)
                    : null;
            }

            return field.Required && simpleTitleOf(relation.Target) is { } title
                ? (new FieldPath([relation.Name], title), relation.Label)
                : null;
        }
    }

    private static Field[] Texts(ImmutableArray<Field> fields, ImmutableArray<Relation> relations) =>
        [.. fields.Where(field => field.Type is FieldType.Text { Long: false } && relations.All(relation => relation.Field != field.Name))];

    // The field that names a record, or the two parts of a person's name, or none. The name of the record itself comes before the name of
    // something else in it: products have a product name, and perhaps a bank name.
    private static Field[] Named(TableStructure table, Field[] texts)
    {
        var record = Wording.Singular(Wording.Label(table.Name.Name));
        if (Called(texts, Names) is { } name)
        {
            return [name];
        }

        if (
            Called(texts, "first name", "given name", "forename") is { } first
            && Called(texts, "last name", "family name", "surname") is { } last
        )
        {
            return [first, last];
        }

        var titled = Called(texts, [.. Titles, $"{record} name", $"{record} title"])
            ?? Array.Find(texts, field =>
                field.Required
                && (
                    field.Label.EndsWith(" name", StringComparison.OrdinalIgnoreCase)
                    || field.Label.EndsWith(" title", StringComparison.OrdinalIgnoreCase)
                )
            );
        return titled is null ? [] : [titled];
    }

    private static Field? Called(Field[] texts, params string[] names) =>
        names
            .Select(name => Array.Find(texts, field => field.Label.Equals(name, StringComparison.OrdinalIgnoreCase)))
            .FirstOrDefault(field => field is not null);
}
