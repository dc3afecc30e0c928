using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

/// <summary>What stands behind a name that a dataset's records have for formulas.</summary>
public abstract record ShapeMember
{
    private ShapeMember() { }

    /// <summary>A field.</summary>
    public sealed record Value(Field Field) : ShapeMember;

    /// <summary>The record that a relation leads to.</summary>
    public sealed record ToOne(Relation Relation, DatasetShape Target) : ShapeMember;

    /// <summary>The records whose relation leads here.</summary>
    public sealed record ToMany(Relation Relation, DatasetShape From) : ShapeMember;
}

/// <summary>A dataset as formulas see it.</summary>
public sealed class DatasetShape
{
    private readonly Lazy<ImmutableArray<(string Name, FormulaType Type, ShapeMember Member)>> _members;
    private readonly Dictionary<int, ComputedMember> _computed = [];
    private readonly List<string> _underWay = [];

    internal DatasetShape(Dataset dataset, Func<ImmutableArray<(string Name, FormulaType Type, ShapeMember Member)>> members, ImmutableArray<ImmutableArray<string>> title)
    {
        Dataset = dataset;
        _members = new(members);
        Shape = new FormulaShape(dataset.RecordLabel, () => _members.Value.Select(member => KeyValuePair.Create(member.Name, member.Type))) { Title = title, Computed = Computed };
    }

    /// <summary>The dataset.</summary>
    public Dataset Dataset { get; }

    /// <summary>The names and their types.</summary>
    public FormulaShape Shape { get; }

    private ComputedMember? Computed(int index)
    {
        if (this[index] is not ShapeMember.Value { Field: { Formula: { } text } field })
        {
            return null;
        }

        if (_computed.TryGetValue(index, out var known))
        {
            return known;
        }

        if (_underWay.Contains(field.Name.Value))
        {
            return new ComputedMember(null, $"it depends on itself, by way of {string.Join(" → ", _underWay.SkipWhile(name => name != field.Name.Value).Append(field.Name.Value))}.");
        }

        _underWay.Add(field.Name.Value);
        var formula = Checker.Check(Parser.Parse(text), Shape);
        _underWay.Remove(field.Name.Value);
        var computed = formula.Tree is { Type: FormulaType.Record or FormulaType.List or FormulaType.Json } whole
            ? new ComputedMember(null, $"it gives a {whole.Type.Word}, and a field holds single values.")
            : new ComputedMember(formula.Tree, formula.Tree is null ? formula.Problems[0].Message : null);
        if (_underWay.Count == 0)
        {
            _computed[index] = computed;
        }

        return computed;
    }

    /// <summary>What stands behind the name at a place.</summary>
    public ShapeMember this[int index] => _members.Value[index].Member;
}

/// <summary>The names that formulas may use of each dataset, as far as one person's grants reach: what may not be read has no name.</summary>
public sealed class DatasetShapes(DatasetCatalogue catalogue, Grants grants)
{
    private readonly Dictionary<DatasetId, DatasetShape> _shapes = [];

    /// <summary>A dataset's shape.</summary>
    public DatasetShape Of(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        if (!_shapes.TryGetValue(dataset.Id, out var shape))
        {
            shape = new DatasetShape(dataset, () => [.. Members(dataset).DistinctBy(member => member.Name, StringComparer.OrdinalIgnoreCase)], Title(dataset));
            _shapes.Add(dataset.Id, shape);
        }

        return shape;
    }

    /// <summary>The dataset shape to which a formula's shape belongs.</summary>
    public DatasetShape Of(FormulaShape shape) => _shapes.Values.Single(known => ReferenceEquals(known.Shape, shape));

    /// <summary>What a field's values are in formulas; null where formulas know no such values.</summary>
    public static FormulaType? TypeOf(Field field)
    {
        ArgumentNullException.ThrowIfNull(field);
        return field.Type switch
        {
            FieldType.Text or FieldType.Uuid => new FormulaType.Text(),
            FieldType.Integer or FieldType.Number or FieldType.Floating => new FormulaType.Number(),
            FieldType.YesNo => new FormulaType.Boolean(),
            FieldType.Date => new FormulaType.Date(),
            FieldType.Time => new FormulaType.Time(),
            FieldType.Instant or FieldType.LocalDateTime => new FormulaType.DateTime(),
            FieldType.Choice choice => new FormulaType.Choice(choice.Options),
            FieldType.Native when field.NativeType is "json" or "jsonb" => new FormulaType.Json(),
            _ => null,
        };
    }

    /// <summary>The type of a field that holds a formula's values: what <see cref="TypeOf"/> turns round.</summary>
    public static FieldType FieldTypeOf(FormulaType type) => type switch
    {
        FormulaType.Number => new FieldType.Number(),
        FormulaType.Boolean => new FieldType.YesNo(),
        FormulaType.Date => new FieldType.Date(),
        FormulaType.Time => new FieldType.Time(),
        FormulaType.DateTime => new FieldType.Instant(),
        _ => new FieldType.Text(),
    };

    private IEnumerable<(string Name, FormulaType Type, ShapeMember Member)> Members(Dataset dataset)
    {
        var readable = grants.For(dataset.Id).Readable;
        foreach (var field in dataset.Fields.Where(field => readable.Has(field.Name)))
        {
            if (TypeOf(field) is { } type && dataset.RelationOf(field.Name)?.Name != field.Name)
            {
                yield return (field.Name.Value, type, new ShapeMember.Value(field));
            }
        }

        foreach (var relation in dataset.Relations.Where(relation => readable.Has(relation.Field)))
        {
            if (catalogue.Find(relation.Target) is { } target && grants.For(target.Id).Allows(Verbs.View))
            {
                yield return (relation.Name.Value, new FormulaType.Record(Of(target).Shape), new ShapeMember.ToOne(relation, Of(target)));
            }
        }

        foreach (var (from, relation) in catalogue.RelationsTo(dataset.Id))
        {
            if (grants.For(from.Id) is var grant && grant.Allows(Verbs.View) && grant.Readable.Has(relation.Field) && from.Source == dataset.Source && readable.Has(relation.TargetField))
            {
                yield return (relation.InverseName.Value, new FormulaType.List(new FormulaType.Record(Of(from).Shape)), new ShapeMember.ToMany(relation, Of(from)));
            }
        }
    }

    // The parts of the title that the person may read, by the names that formulas have for them.
    private ImmutableArray<ImmutableArray<string>> Title(Dataset dataset) => [.. dataset.Title.Where(path => Reaches(dataset, path)).Select(path => path.Relations.Append(path.Field).Select(name => name.Value).ToImmutableArray())];

    private bool Reaches(Dataset dataset, FieldPath path)
    {
        foreach (var step in path.Relations)
        {
            var relation = dataset.Relations.FirstOrDefault(candidate => candidate.Name == step);
            if (relation is null || !grants.For(dataset.Id).Readable.Has(relation.Field) || catalogue.Find(relation.Target) is not { } target || !grants.For(target.Id).Allows(Verbs.View))
            {
                return false;
            }

            dataset = target;
        }

        return dataset.Find(path.Field) is { } field && TypeOf(field) is not null && dataset.Relations.All(relation => relation.Name != path.Field) && grants.For(dataset.Id).Readable.Has(path.Field);
    }
}
