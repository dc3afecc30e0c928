using System.Collections.Immutable;
using System.Globalization;
using System.Text.RegularExpressions;

namespace Rostrum.Core.Datasets.Drafting;

/// <summary>Drafts the datasets of a source from its structure. Every guess carries its reason and can be corrected.</summary>
public static partial class DatasetDrafting
{
    private static readonly string[] TechnicalEndings = ["_hash", "_token", "_salt", "_checksum", "_tsv", "_vector"];

    // What people write at length, whatever the values are so far.
    private static readonly HashSet<string> ProseNames = new(StringComparer.OrdinalIgnoreCase)
    {
        "body",
        "comment",
        "comments",
        "content",
        "description",
        "details",
        "instructions",
        "message",
        "note",
        "notes",
        "remark",
        "remarks",
    };

    private static readonly string[] PictureNames = ["picture", "photo", "image", "logo", "avatar", "thumbnail"];

    [GeneratedRegex(
        @"^'(?<text>[^']+)'(::[\w .]+(\(\d+\))?)?$",
        RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex QuotedText { get; }

    /// <summary>One dataset for each table.</summary>
    /// <param name="source">The source.</param>
    /// <param name="structure">What it says of itself.</param>
    /// <param name="evidence">What its values say of relations that no key declares.</param>
    /// <param name="format">How the workspace writes numbers, dates and money.</param>
    /// <param name="newId">Gives each dataset its identity.</param>
    public static ImmutableArray<Dataset> Draft(
        SourceId source,
        SourceStructure structure,
        IReadOnlyCollection<RelationEvidence> evidence,
        RecordFormat format,
        Func<TableName, DatasetId> newId
    )
    {
        ArgumentNullException.ThrowIfNull(structure);
        ArgumentNullException.ThrowIfNull(format);
        ArgumentNullException.ThrowIfNull(newId);
        var ids = structure.Tables.ToDictionary(table => table.Name, table => newId(table.Name));
        var fields = structure.Tables.ToDictionary(table => table.Name, table => Fields(table, format));
        var relations = structure.Tables.ToDictionary(table => table.Name, table => Relations(table, evidence, ids, fields));
        var names = new List<FieldName>();
        var areApart = structure.Tables.Select(table => table.Name.Schema).Distinct().Skip(1).Any();
        var simpleTitles = structure.Tables.ToDictionary(
            table => ids[table.Name],
            table => TitleGuess.Single(table, fields[table.Name], relations[table.Name])?.Name
        );

        var datasets = ImmutableArray.CreateBuilder<Dataset>();
        foreach (var table in structure.Tables)
        {
            var name = Wording.FieldName(areApart ? table.Name.ToString() : table.Name.Name, names);
            names.Add(name);
            var label = Wording.Label(table.Name.Name);
            var title = TitleGuess.For(table, fields[table.Name], relations[table.Name], id => simpleTitles.GetValueOrDefault(id));
            var key = KeyOf(table, fields[table.Name]);
            datasets.Add(
                new Dataset
                {
                    Id = ids[table.Name],
                    Source = source,
                    Table = table.Name,
                    Name = name,
                    Label = label,
                    RecordLabel = Wording.Singular(label),
                    Fields = fields[table.Name],
                    Key = key,
                    Title = title.Paths,
                    TitleBecause = title.Because,
                    Relations = relations[table.Name],
                    DeletionCascades = Reached(structure, table).Any(),
                    DeletionReaches = [.. Reached(structure, table)],
                    ReadOnlyBecause = ReadOnlyReason(table, key),
                    Inputs = table.Inputs,
                    Rules = CheckRules.Of(table.Checks, fields[table.Name], format),
                }
            );
        }

        return [.. datasets.Select(dataset => dataset with { Linked = Linked(dataset, structure, datasets) })];
    }

    private static IEnumerable<ReachedColumns> Reached(SourceStructure structure, TableStructure table) =>
        from other in structure.Tables
        from foreign in other.ForeignKeys
        where foreign.Cascades && foreign.Target == table.Name
        select new ReachedColumns(other.Name, foreign.Columns);

    // A table whose key is two references and nothing else links two others.
    private static ImmutableArray<LinkedRelation> Linked(Dataset dataset, SourceStructure structure, IReadOnlyCollection<Dataset> all)
    {
        var linked = new List<LinkedRelation>();
        foreach (
            var link in all.Where(other =>
                structure.Find(other.Table)?.PrimaryKey is { Length: 2 } key
                && key.All(column => other.Relations.Any(relation => other[relation.Field].Column == column))
            )
        )
        {
            var key = structure.Find(link.Table)!.PrimaryKey;
            var ends = link.Relations.Where(relation => key.Contains(link[relation.Field].Column)).ToArray();
            foreach (var (near, far) in new[] { (ends[0], ends[^1]), (ends[^1], ends[0]) }.Where(pair => pair.Item1.Target == dataset.Id))
            {
                var target = all.First(other => other.Id == far.Target);
                var name = target.Id == dataset.Id ? far.Name.Value : target.Name.Value;
                linked.Add(
                    new LinkedRelation(
                        Wording.FieldName(
                            name,
                            dataset
                                .Fields.Select(field => field.Name)
                                .Concat(dataset.Relations.Select(relation => relation.Name))
                                .Concat(linked.Select(other => other.Name))
                                .Append(near.InverseName)
                        ),
                        target.Id == dataset.Id ? far.Label : target.Label,
                        near.InverseName,
                        far.Name
                    )
                );
            }
        }

        return [.. linked];
    }

    private static string? ReadOnlyReason(TableStructure table, ImmutableArray<FieldName> key) =>
        table.IsView ? "This is a view: its rows are put together from tables, and changed there."
        : key.IsEmpty ? "This table has no primary key, so no row can be told from another, and none can be changed."
        : null;

    private static ImmutableArray<FieldName> KeyOf(TableStructure table, ImmutableArray<Field> fields)
    {
        var key = !table.PrimaryKey.IsEmpty
            ? table.PrimaryKey
            : table.UniqueKeys.FirstOrDefault(
                unique => unique.All(column => !table.Columns.First(other => other.Name == column).Nullable),
                []
            );
        return [.. key.Select(column => fields.First(field => field.Column == column).Name)];
    }

    private static ImmutableArray<Field> Fields(TableStructure table, RecordFormat format)
    {
        var fields = new List<Field>();
        foreach (var column in table.Columns)
        {
            var type = Refine(column);
            var hidden = HiddenReason(table, column, type);
            var kept = Bookkeeping.Of(table, column, type);
            fields.Add(
                new Field
                {
                    Name = Wording.FieldName(column.Name, fields.Select(field => field.Name)),
                    Column = column.Name,
                    NativeType = column.NativeType,
                    Label = Wording.Label(column.Name),
                    Description =
                        column.Comment is { Length: > 0 } comment && !comment.Equals("markdown", StringComparison.OrdinalIgnoreCase)
                            ? comment
                            : null,
                    Type = type,
                    Format = FormatGuess.For(column, type, format.Currency),
                    Required = !column.Nullable,
                    HasDefault = column.Default is not null || column.Generation is not ColumnGeneration.None,
                    UsualValue = Literal(column.Default),
                    Generation = column.Generation,
                    Default = kept?.Default,
                    IsRenewed = kept is { WithEachChange: true },
                    ReadOnly = kept is not null,
                    Hidden = hidden is not null,
                    HiddenBecause = hidden,
                }
            );
        }

        return [.. fields];
    }

    // A default is an expression of the source's; a quoted text (with a cast after it), a number or a truth value needs no source to be
    // understood.
    private static string? Literal(string? expression) =>
        expression switch
        {
            null => null,
            "true" => "Yes",
            "false" => "No",
            _ when QuotedText.Match(expression) is { Success: true } quoted => quoted.Groups["text"].Value,
            _ => decimal.TryParse(
                expression,
                NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint,
                CultureInfo.InvariantCulture,
                out _
            )
                ? expression
                : null,
        };

    private static FieldType Refine(ColumnStructure column) =>
        column.Type switch
        {
            FieldType.Bytes when PictureNames.Any(name => column.Name.Contains(name, StringComparison.OrdinalIgnoreCase)) =>
                new FieldType.Image(),
            FieldType.Text { MaxLength: > 255 } text => text with { Long = true },
            FieldType.Text { MaxLength: null } text when IsProse(column) => text with { Long = true },
            FieldType.Text when column.Values is { Few: { IsEmpty: false } few } && FormatGuess.MayBeChoice(column) => new FieldType.Choice(
                few
            ),
            var type => type,
        };

    // What is called a description may be no more than the name of a code.
    private static bool IsProse(ColumnStructure column) =>
        LastWord(column.Name) is var word
        && ProseNames.Contains(word)
        && !(word.Equals("description", StringComparison.OrdinalIgnoreCase) && column.Values is { IsShort: true });

    private static string LastWord(string name) => Wording.Label(name).Split(' ')[^1];

    private static string? HiddenReason(TableStructure table, ColumnStructure column, FieldType type) =>
        type switch
        {
            _ when table.PrimaryKey.Contains(column.Name)
                    && type is FieldType.Integer or FieldType.Uuid
                    && column.Default is not null | column.Generation is not ColumnGeneration.None =>
                "A number that only the database needs.",
            FieldType.Bytes => "Bytes that nobody can read.",
            _ when TechnicalEndings.Any(ending => column.Name.EndsWith(ending, StringComparison.OrdinalIgnoreCase)) =>
                "By its name, for programs only.",
            _ => null,
        };

    private static ImmutableArray<Relation> Relations(
        TableStructure table,
        IReadOnlyCollection<RelationEvidence> evidence,
        Dictionary<TableName, DatasetId> ids,
        Dictionary<TableName, ImmutableArray<Field>> fields
    )
    {
        var links = table
            .ForeignKeys.Where(key => key.Columns.Length == 1 && ids.ContainsKey(key.Target))
            .Select(key =>
                (
                    Column: key.Columns[0],
                    key.Target,
                    TargetColumn: key.TargetColumns[0],
                    Declared: true,
                    Because: "The database declares it as a foreign key."
                )
            )
            .Concat(
                evidence
                    .Where(found => found.Candidate.From == table.Name && found.Convinces)
                    .Select(found =>
                        (
                            found.Candidate.Column,
                            found.Candidate.Target,
                            found.Candidate.TargetColumn,
                            Declared: false,
                            Because: Evidence(found)
                        )
                    )
            )
            .DistinctBy(link => link.Column)
            .OrderBy(link => table.Columns.FindIndex(column => column.Name == link.Column))
            .ToArray();

        var relations = new List<Relation>();
        foreach (var link in links)
        {
            var alone = links.Count(other => other.Target == link.Target) == 1;
            var bare = Wording.WithoutReferenceEnding(link.Column);
            var name = Wording.FieldName(bare, relations.Select(relation => relation.Name));
            var oneToOne = table.IsUnique(link.Column);
            var called = oneToOne ? Wording.Singular(table.Name.Name) : table.Name.Name;
            var inverse = alone ? called : $"{called}_as_{bare}";
            relations.Add(
                new Relation
                {
                    Name = name,
                    Label = Wording.Label(bare),
                    Field = fields[table.Name].First(field => field.Column == link.Column).Name,
                    Target = ids[link.Target],
                    TargetField = fields[link.Target].First(field => field.Column == link.TargetColumn).Name,
                    InverseName = Wording.FieldName(inverse, []),
                    InverseLabel = Wording.Label(inverse),
                    Because = link.Because,
                    Declared = link.Declared,
                    OnDelete = link.Declared
                        ? table.ForeignKeys.FirstOrDefault(key => key.Columns is [var column] && column == link.Column)?.OnDelete
                        : null,
                    OneToOne = oneToOne,
                }
            );
        }

        return [.. relations];
    }

    private static int FindIndex(this ImmutableArray<ColumnStructure> columns, Predicate<ColumnStructure> match) =>
        Array.FindIndex([.. columns], match);

    private static string Evidence(RelationEvidence found)
    {
        var key = $"{found.Candidate.Target}.{found.Candidate.TargetColumn}";
        var lost = found.Distinct - found.Found;
        return lost == 0
            ? string.Create(
                CultureInfo.InvariantCulture,
                $"No key declares it, but all {found.Distinct:#,##0} values of “{found.Candidate.Column}” stand in {key}."
            )
            : string.Create(
                CultureInfo.InvariantCulture,
                $"No key declares it, but {found.Found:#,##0} of {found.Distinct:#,##0} values of “{found.Candidate.Column}” "
                    + $"stand in {key}; {lost:#,##0} {(lost == 1 ? "does" : "do")} not."
            );
    }
}
