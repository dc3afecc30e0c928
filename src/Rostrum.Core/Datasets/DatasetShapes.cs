using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Runtime.CompilerServices;
using System.Text.Json;
using Rostrum.Core.Access;
using Rostrum.Core.Files;
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

    /// <summary>The records to which linking ones lead.</summary>
    public sealed record Through(LinkedRelation Relation, DatasetShape Target) : ShapeMember;
}

/// <summary>A dataset as formulas see it.</summary>
public sealed class DatasetShape
{
    private readonly Lazy<ImmutableArray<(string Name, FormulaType Type, ShapeMember Member)>> _members;
    private readonly ConcurrentDictionary<int, ComputedMember?> _computed = [];
    private readonly List<string> _underWay = [];

    private readonly Lock _turn;

    internal DatasetShape(
        Dataset dataset,
        Lock turn,
        Func<ImmutableArray<(string Name, FormulaType Type, ShapeMember Member)>> members,
        ImmutableArray<ImmutableArray<string>> title
    )
    {
        Dataset = dataset;
        _turn = turn;
        _members = new(members);
        Shape = new FormulaShape(dataset.RecordLabel, () => _members.Value.Select(member => KeyValuePair.Create(member.Name, member.Type)))
        {
            Title = title,
            Computed = Computed,
        };
    }

    /// <summary>The dataset.</summary>
    public Dataset Dataset { get; }

    /// <summary>The names and their types.</summary>
    public FormulaShape Shape { get; }

    // Requests that are answered side by side share the shapes.
    private ComputedMember? Computed(int index)
    {
        if (_computed.TryGetValue(index, out var known))
        {
            return known;
        }

        lock (_turn)
        {
            return ComputedInTurn(index);
        }
    }

    private ComputedMember? ComputedInTurn(int index)
    {
        var (text, name) = this[index] switch
        {
            ShapeMember.Value { Field: { Formula: { } formulaOfField } field } => (formulaOfField, field.Name.Value),
            ShapeMember.Through through => (through.Relation.Formula, through.Relation.Name.Value),
            _ => (null, ""),
        };
        if (text is null)
        {
            return _computed[index] = null;
        }

        if (_computed.TryGetValue(index, out var known))
        {
            return known;
        }

        if (_underWay.Contains(name))
        {
            return new ComputedMember(
                null,
                $"it depends on itself, by way of {string.Join(" → ", _underWay.SkipWhile(other => other != name).Append(name))}."
            );
        }

        _underWay.Add(name);
        var formula = Checker.Check(Parser.Parse(text), Shape);
        _underWay.Remove(name);
        var computed =
            this[index] is ShapeMember.Value && formula.Tree is { Type: FormulaType.Record or FormulaType.List or FormulaType.Json } whole
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

/// <summary>The names that formulas may use of each dataset, as far as certain rights reach: what may not be read has no name.</summary>
public sealed class DatasetShapes
{
    // Those of the same datasets within the same rights are the same, and what was found out about formulas over them stays true.
    private static readonly ConditionalWeakTable<Rights, ConditionalWeakTable<DatasetCatalogue, DatasetShapes>> Known = [];

    private readonly DatasetCatalogue _catalogue;

    // A dataset that is about to be changed has the identity of what it was, and names of its own.
    private readonly ConcurrentDictionary<Dataset, DatasetShape> _shapes = new(ReferenceEqualityComparer.Instance);
    private readonly ConcurrentDictionary<FormulaShape, DatasetShape> _byShape = [];
    private readonly Lock _turn = new();

    private DatasetShapes(DatasetCatalogue catalogue, Rights rights) => (_catalogue, Rights) = (catalogue, rights);

    /// <summary>The names within one person's rights.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="grants">The person's grants.</param>
    public static DatasetShapes Of(DatasetCatalogue catalogue, Grants grants)
    {
        ArgumentNullException.ThrowIfNull(grants);
        return Known.GetOrCreateValue(grants.Rights).GetValue(catalogue, known => new DatasetShapes(known, grants.Rights));
    }

    /// <summary>The rights within which the names are.</summary>
    public Rights Rights { get; }

    /// <summary>A dataset's shape.</summary>
    public DatasetShape Of(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return _shapes.TryGetValue(dataset, out var known) ? known : _shapes.GetOrAdd(dataset, _ =>
            {
                var made = new DatasetShape(
                    dataset,
                    _turn,
                    () => [.. Members(dataset).DistinctBy(member => member.Name, StringComparer.OrdinalIgnoreCase)],
                    Title(dataset)
                );
                _byShape[made.Shape] = made;
                return made;
            });
    }

    /// <summary>The dataset shape to which a formula's shape belongs.</summary>
    public DatasetShape Of(FormulaShape shape) => _byShape[shape];

    /// <summary>Whether a formula's shape is a dataset's.</summary>
    public bool Knows(FormulaShape shape) => _byShape.ContainsKey(shape);

    /// <summary>What a field's values are in formulas; null where formulas know no such values.</summary>
    public static FormulaType? TypeOf(Field field)
    {
        ArgumentNullException.ThrowIfNull(field);
        return field.Type.InFormulasOf(field);
    }

    /// <summary>What values of a type are in formulas; null where formulas know none, or where the type alone does not tell.</summary>
    public static FormulaType? TypeOf(FieldType type)
    {
        ArgumentNullException.ThrowIfNull(type);
        return type.InFormulas;
    }

    /// <summary>A field's value as formulas carry it: whole numbers as decimals, UUIDs as texts, durations as days.</summary>
    public static object? Carried(object? value) =>
        value switch
        {
            long whole => (decimal)whole,
            Guid id => id.ToString("D"),
            TimeSpan span => (decimal)span.Ticks / TimeSpan.TicksPerDay,
            _ => value,
        };

    /// <summary>A field's value as formulas carry it; blank where they know no such value.</summary>
    public static object? Carried(Field field, object? value)
    {
        ArgumentNullException.ThrowIfNull(field);
        return value switch
        {
            null or Unreadable or byte[] => null,
            string text when field.Type is FieldType.Json || field.NativeType is "json" or "jsonb" => Json(text),
            ListValue list when field.Type is FieldType.List type => type.ValuesOf(list).Select(Carried).ToArray(),
            FileList list => list.Files.Select(file => (object?)file.Name).ToArray(),
            _ => Carried(value),
        };
    }

    private static JsonElement? Json(string text)
    {
        try
        {
            using var document = JsonDocument.Parse(text);
            return document.RootElement.Clone();
        }
        catch (JsonException)
        {
            return null;
        }
    }

    /// <summary>The type of a field that holds a formula's values: what <see cref="TypeOf(FieldType)"/> turns round.</summary>
    public static FieldType FieldTypeOf(FormulaType type) =>
        type switch
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
        var seen = Rights.For(dataset.Id);
        var readable = seen.Readable;

        // A stored field that is not to be read of every record is blank in the others; what is computed is read of all or of none.
        bool IsHad(Field field) => field.Formula is null ? readable.Has(field.Name) : seen.IsReadableInAll(field.Name);
        foreach (var field in dataset.Fields.Where(IsHad))
        {
            if (TypeOf(field) is { } type && dataset.RelationOf(field.Name)?.Name != field.Name)
            {
                yield return (field.Name.Value, type, new ShapeMember.Value(field));
            }
        }

        foreach (var relation in dataset.Relations.Where(relation => readable.Has(relation.Field)))
        {
            if (_catalogue.Find(relation.Target) is { } target && Rights.For(target.Id).Allows(Verbs.View))
            {
                yield return (relation.Name.Value, new FormulaType.Record(Of(target).Shape), new ShapeMember.ToOne(relation, Of(target)));
            }
        }

        foreach (var (from, relation) in _catalogue.RelationsTo(dataset.Id))
        {
            if (
                Rights.For(from.Id) is var grant
                && grant.Allows(Verbs.View)
                && grant.Readable.Has(relation.Field)
                && readable.Has(relation.TargetField)
            )
            {
                yield return relation.OneToOne
                    ? (
                        relation.InverseName.Value,
                        new FormulaType.Record(Of(from).Shape),
                        new ShapeMember.ToOne(relation.Turned(from.Id), Of(from))
                    )
                    : (
                        relation.InverseName.Value,
                        new FormulaType.List(new FormulaType.Record(Of(from).Shape)),
                        new ShapeMember.ToMany(relation, Of(from))
                    );
            }
        }

        foreach (var linked in dataset.Linked)
        {
            if (LinkTarget(dataset, linked) is { } target)
            {
                yield return (
                    linked.Name.Value,
                    new FormulaType.List(new FormulaType.Record(Of(target).Shape)),
                    new ShapeMember.Through(linked, Of(target))
                );
            }
        }
    }

    // The dataset beyond the linking records, where the person may go that way.
    private Dataset? LinkTarget(Dataset dataset, LinkedRelation linked) =>
        (
            from pair in _catalogue.RelationsTo(dataset.Id)
            where pair.Relation.InverseName == linked.By && Rights.For(dataset.Id).Readable.Has(pair.Relation.TargetField)
            let link = Rights.For(pair.From.Id)
            where link.Allows(Verbs.View) && link.Readable.Has(pair.Relation.Field)
            from onwards in pair.From.Relations
            where onwards.Name == linked.To && link.Readable.Has(onwards.Field) && Rights.For(onwards.Target).Allows(Verbs.View)
            select _catalogue.Find(onwards.Target)
        ).FirstOrDefault();

    // The parts of the title that the person may read, by the names that formulas have for them.
    private ImmutableArray<ImmutableArray<string>> Title(Dataset dataset) =>
        [
            .. dataset
                .Title.Where(path => Reaches(dataset, path))
                .Select(path => path.Relations.Append(path.Field).Select(name => name.Value).ToImmutableArray()),
        ];

    private bool Reaches(Dataset dataset, FieldPath path)
    {
        foreach (var step in path.Relations)
        {
            var relation = dataset.Relations.FirstOrDefault(candidate => candidate.Name == step);
            if (
                relation is null
                || !Rights.For(dataset.Id).Readable.Has(relation.Field)
                || _catalogue.Find(relation.Target) is not { } target
                || !Rights.For(target.Id).Allows(Verbs.View)
            )
            {
                return false;
            }

            dataset = target;
        }

        return dataset.Find(path.Field) is { } field
            && TypeOf(field) is not null
            && dataset.Relations.All(relation => relation.Name != path.Field)
            && Rights.For(dataset.Id).Readable.Has(path.Field);
    }
}
