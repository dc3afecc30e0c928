using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Datasets;

/// <summary>Makes datasets of queries, and of two others.</summary>
public static class DatasetMaking
{
    /// <summary>A dataset of a query's rows; what people said of its fields before stays.</summary>
    /// <param name="source">The source.</param>
    /// <param name="id">Its identity.</param>
    /// <param name="name">Its name, for people.</param>
    /// <param name="query">The query.</param>
    /// <param name="columns">The columns that it gives.</param>
    /// <param name="key">The columns that name a row.</param>
    /// <param name="before">The dataset as it was; null for a new one.</param>
    /// <param name="format">How the workspace writes values.</param>
    public static Dataset OfQuery(
        SourceId source,
        DatasetId id,
        string name,
        DatasetQuery query,
        ImmutableArray<ColumnStructure> columns,
        ImmutableArray<string> key,
        Dataset? before,
        RecordFormat format
    ) =>
        Made(source, id, name, columns, key, before, format) with
        {
            Query = query,
            ReadOnlyBecause = "These are the rows of a query: they are changed in its tables.",
        };

    /// <summary>A statement that changes data, as a dataset whose fields are its parameters.</summary>
    /// <param name="source">The source.</param>
    /// <param name="id">Its identity.</param>
    /// <param name="name">Its name, for people.</param>
    /// <param name="statement">The statement.</param>
    public static Dataset OfStatement(SourceId source, DatasetId id, string name, DatasetQuery statement)
    {
        ArgumentNullException.ThrowIfNull(statement);
        var named = Wording.FieldName(name, []);
        return new Dataset
        {
            Id = id,
            Source = source,
            Table = new TableName("", named.Value),
            Name = named,
            Label = name,
            RecordLabel = Wording.Uncapitalised(name),
            Fields = [.. statement.Parameters.Select(parameter => parameter.AsField)],
            Key = [],
            Title = [],
            TitleBecause = "",
            Query = statement,
            Takes = Verbs.Update,
        };
    }

    /// <summary>Whether a dataset is another, or is made of it by joins.</summary>
    public static bool IsMadeOf(DatasetCatalogue catalogue, DatasetId dataset, DatasetId other)
    {
        ArgumentNullException.ThrowIfNull(catalogue);
        return dataset == other
            || catalogue.Find(dataset)?.Join is { } join
                && (IsMadeOf(catalogue, join.Left, other) || IsMadeOf(catalogue, join.Right, other));
    }

    /// <summary>
    /// Datasets of which each join knows again whether one database can join its two, after one of them has become another: a join may be
    /// of joins.
    /// </summary>
    public static ImmutableArray<Dataset> WithJoins(IEnumerable<Dataset> datasets)
    {
        var all = datasets.ToDictionary(dataset => dataset.Id);
        return
        [
            .. all.Values.Select(dataset =>
                dataset.Join is not null && IsFetched(dataset) is var fetched && fetched != dataset.IsFetched
                    ? dataset with
                    {
                        IsFetched = fetched,
                    }
                    : dataset
            ),
        ];

        bool IsFetched(Dataset dataset) =>
            dataset.Join is { } join
                ? !all.TryGetValue(join.Left, out var left)
                    || !all.TryGetValue(join.Right, out var right)
                    || AreApart(left, IsFetched(left), right, IsFetched(right))
                : dataset.IsFetched;
    }

    // No one database joins them.
    private static bool AreApart(Dataset left, bool isLeftFetched, Dataset right, bool isRightFetched) =>
        left.Source != right.Source || isLeftFetched || isRightFetched;

    /// <summary>A dataset of two others joined.</summary>
    /// <param name="id">Its identity.</param>
    /// <param name="name">Its name, for people.</param>
    /// <param name="join">How they are joined.</param>
    /// <param name="left">The left one.</param>
    /// <param name="right">The right one.</param>
    /// <param name="before">The dataset as it was; null for a new one.</param>
    /// <param name="format">How the workspace writes values.</param>
    public static Dataset OfJoin(
        DatasetId id,
        string name,
        DatasetJoin join,
        Dataset left,
        Dataset right,
        Dataset? before,
        RecordFormat format
    )
    {
        ArgumentNullException.ThrowIfNull(join);
        ArgumentNullException.ThrowIfNull(left);
        ArgumentNullException.ThrowIfNull(right);
        Field Of(JoinField field) => (field.FromRight ? right : left)[field.Field];
        var columns = join
            .Fields.Select(field => new ColumnStructure(field.Column, Of(field).Type, Of(field).NativeType, true))
            .ToImmutableArray();
        var unique = join.Pairs.Length == right.Key.Length && join.Pairs.All(pair => right.Key.Contains(pair.Right));
        var key = left
            .Key.Select(name => join.Fields.FirstOrDefault(field => !field.FromRight && field.Field == name)?.Column)
            .OfType<string>()
            .ToImmutableArray();
        var made = Made(left.Source, id, name, columns, unique && key.Length == left.Key.Length ? key : [], before, format);
        return made with
        {
            Join = join,
            IsFetched = AreApart(left, left.IsFetched, right, right.IsFetched),
            ReadOnlyBecause = "These records are made of two others: they are changed there.",
            Fields =
            [
                .. made.Fields.Select(field =>
                    before?.Find(field.Name) is null && join.Fields.FirstOrDefault(known => known.Column == field.Column) is { } known
                        ? field with
                        {
                            Format = Of(known).Format,
                            Label =
                                known.FromRight && left.Fields.Any(other => other.Label == Of(known).Label)
                                    ? $"{right.RecordLabel}: {Of(known).Label.ToLowerInvariant()}"
                                    : Of(known).Label,
                        }
                        : field
                ),
            ],
        };
    }

    /// <summary>The fields of two datasets as a join shows them, each under a name of its own.</summary>
    public static ImmutableArray<JoinField> Fields(Dataset left, Dataset right, IEnumerable<(bool FromRight, FieldName Field)> chosen)
    {
        ArgumentNullException.ThrowIfNull(right);
        var names = new List<FieldName>();
        var fields = ImmutableArray.CreateBuilder<JoinField>();
        foreach (var (fromRight, field) in chosen)
        {
            var name = Wording.FieldName(fromRight && names.Contains(field) ? $"{right.RecordLabel}_{field}" : field.Value, names);
            names.Add(name);
            fields.Add(new JoinField(name.Value, fromRight, field));
        }

        return fields.ToImmutable();
    }

    private static Dataset Made(
        SourceId source,
        DatasetId id,
        string name,
        ImmutableArray<ColumnStructure> columns,
        ImmutableArray<string> key,
        Dataset? before,
        RecordFormat format
    )
    {
        var table = new TableStructure
        {
            Name = new TableName("", Wording.FieldName(name, []).Value),
            IsView = true,
            Columns = columns,
            PrimaryKey = key,
        };
        var drafted = DatasetDrafting.Draft(source, new SourceStructure([table]), [], format, _ => id)[0];
        return drafted with
        {
            Name = before?.Name ?? drafted.Name,
            Label = name,
            RecordLabel = before?.RecordLabel ?? drafted.RecordLabel,
            Takes = Verbs.View,
            Fields =
            [
                .. drafted.Fields.Select(field =>
                    before?.Find(field.Name) is { } known && known.Type.GetType() == field.Type.GetType() ? known : field
                ),
                .. before?.Fields.Where(field => field.Formula is not null) ?? [],
            ],
            Relations = before is null ? [] : [.. before.Relations.Where(relation => drafted.Find(relation.Field) is not null)],
            Title =
                before is not null && before.Title.All(path => !path.Relations.IsEmpty || drafted.Find(path.Field) is not null)
                    ? before.Title
                    : drafted.Title,
        };
    }
}
