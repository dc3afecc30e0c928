using System.Collections.Frozen;
using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows;

/// <summary>What sets a workflow off.</summary>
public abstract record Trigger
{
    /// <summary>The name of what it gives, in formulas.</summary>
    public const string InFormulas = "trigger";

    /// <summary>The dataset of whose records it hears; null where it hears of none.</summary>
    public virtual DatasetId? Of => null;

    /// <summary>Somebody sets it off, so that it can run with that person's rights.</summary>
    public virtual bool HasPerson => true;

    /// <summary>It runs within a save, which waits for it: its steps are those that may.</summary>
    public virtual bool IsWithinSave => false;

    /// <summary>What it gives to formulas as <c>trigger.…</c>.</summary>
    public abstract IEnumerable<KeyValuePair<string, FormulaType>> Members(WorkflowTypes types);

    /// <summary>What is missing or no longer there, for the builder.</summary>
    public virtual IEnumerable<string> Lacking(WorkflowTypes types) => [];

    /// <summary>What sets it off, in a sentence without its stop.</summary>
    public abstract string Says(DatasetCatalogue datasets);

    /// <summary>What kind it is.</summary>
    public TriggerKind Kind => TriggerKind.Of(GetType());
}

/// <summary>A class of triggers says here what it is. That it does is all it takes to be known.</summary>
public interface ITriggerKind
{
    /// <summary>What the class is.</summary>
    static abstract TriggerKind Kind { get; }
}

/// <summary>What there is to know of one kind of trigger.</summary>
/// <param name="Label">What builders read.</param>
/// <param name="Icon">The name of its icon.</param>
/// <param name="Help">A sentence that says when it is chosen.</param>
/// <param name="Make">A new one.</param>
/// <param name="Settings">What can be said of it.</param>
public sealed record TriggerKind(string Label, string Icon, string Help, Func<Trigger> Make, ImmutableArray<Setting> Settings)
{
    private static readonly Lazy<FrozenDictionary<Type, TriggerKind>> Known = new(() =>
        DeclaredKinds.Of<TriggerKind>(typeof(ITriggerKind), (kind, name) => kind with { Name = name })
    );

    /// <summary>The name in documents.</summary>
    public string Name { get; private init; } = "";

    /// <summary>All kinds, in the order of their labels.</summary>
    public static IEnumerable<TriggerKind> All => Known.Value.Values.OrderBy(kind => kind.Label, StringComparer.Ordinal);

    /// <summary>The kind of a class of triggers.</summary>
    public static TriggerKind Of(Type trigger) => Known.Value[trigger];

    /// <summary>The kind of a name; null where there is none.</summary>
    public static TriggerKind? Find(string name) => Known.Value.Values.FirstOrDefault(kind => kind.Name == name);
}

/// <summary>The types of what triggers and steps give, as far as one person's rights reach.</summary>
/// <param name="Catalogue">The datasets.</param>
/// <param name="Shapes">The names of their records.</param>
public sealed record WorkflowTypes(DatasetCatalogue Catalogue, DatasetShapes Shapes)
{
    private readonly Dictionary<DatasetId, FormulaShape> _values = [];
    private readonly Dictionary<DatasetId, FormulaShape> _rows = [];

    /// <summary>The same as panels know it.</summary>
    public MemberTypes Members { get; } = new(Catalogue, Shapes);

    /// <summary>The values of a record as they were at one moment: its fields, and nothing to which they lead.</summary>
    public FormulaType.Record? ValuesOf(DatasetId? id)
    {
        if (Members.Dataset(id) is not { } dataset)
        {
            return null;
        }

        if (!_values.TryGetValue(dataset.Id, out var shape))
        {
            // A field by which records refer to others is its value here, and not the record to which it leads.
            var readable = Shapes.Rights.For(dataset.Id).Readable;
            shape = new FormulaShape(
                dataset.RecordLabel,
                from field in dataset.StoredFields
                let type = DatasetShapes.TypeOf(field)
                where type is not null && readable.Has(field.Name)
                select KeyValuePair.Create(field.Name.Value, type)
            );
            _values.Add(dataset.Id, shape);
        }

        return new FormulaType.Record(shape);
    }

    /// <summary>The same, with the record itself as <c>record</c>.</summary>
    public FormulaType.Record? RowOf(DatasetId? id)
    {
        if (id is not { } known || ValuesOf(id) is not { Shape: var values } || Members.Record(id) is not { } record)
        {
            return null;
        }

        if (!_rows.TryGetValue(known, out var shape))
        {
            shape = new FormulaShape(values.Name, [new("record", record), .. values.Members.Where(member => member.Key != "record")]);
            _rows.Add(known, shape);
        }

        return new FormulaType.Record(shape);
    }
}
