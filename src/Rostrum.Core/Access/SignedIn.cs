using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Runtime.CompilerServices;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Access;

/// <summary>Who is signed in, as formulas see that person under the name <c>user</c>.</summary>
/// <param name="Name">The person's name.</param>
/// <param name="Email">The address; blank where there is none.</param>
/// <param name="Roles">The names of the person's roles.</param>
public sealed record SignedIn(string Name, string? Email, ImmutableArray<string> Roles)
{
    /// <summary>The person's name in formulas.</summary>
    public const string InFormulas = "user";

    /// <summary>The person's identity, by which records refer to people; null where nobody in particular is meant.</summary>
    public Guid? Id { get; init; }

    /// <summary>The names of the person's groups.</summary>
    public ImmutableArray<string> Groups { get; init; } = [];

    /// <summary>What the workspace keeps of each person beside that, with this person's values.</summary>
    public ImmutableArray<PersonAttribute> Attributes { get; init; } = [];

    /// <summary>All roles that there are, so that a formula cannot ask for one that is not; null where that is not known.</summary>
    public FormulaType.Choice? AllRoles { get; init; }

    /// <summary>All groups that there are, likewise.</summary>
    public FormulaType.Choice? AllGroups { get; init; }

    private static readonly ConcurrentDictionary<string, FormulaNames> Known = new(StringComparer.Ordinal);
    private static readonly ConditionalWeakTable<SignedIn, FormulaNames> KnownOf = [];

    /// <summary>The names that a formula may use beside those of its record: <c>user</c>.</summary>
    public static FormulaNames Names(SignedIn? user) => KnownOf.GetValue(user ?? Nobody, Alike);

    // Where the workspace keeps something of that name of people, the formulas there mean that.
    private bool HasId => Attributes.All(attribute => !attribute.Name.Equals("id", StringComparison.OrdinalIgnoreCase));

    private static SignedIn Nobody { get; } = new("", null, []);

    // People of one workspace share them, and with them what was found out about formulas.
    private static FormulaNames Alike(SignedIn user) =>
        Known.GetOrAdd(
            string.Join(
                '\n',
                [
                    .. user.Attributes.Select(attribute => $"{attribute.Name}: {attribute.TypeText}"),
                    .. user.AllRoles?.Options ?? [],
                    .. user.AllRoles?.Labels ?? [],
                    "",
                    .. user.AllGroups?.Options ?? [],
                    .. user.AllGroups?.Labels ?? [],
                ]
            ),
            _ => new FormulaNames(
                ImmutableDictionary<string, FormulaType>
                    .Empty.WithComparers(StringComparer.OrdinalIgnoreCase)
                    .Add(
                        InFormulas,
                        new FormulaType.Record(
                            new FormulaShape(
                                "person",
                                [
                                    .. user.HasId ? [new("id", new FormulaType.Text())] : (KeyValuePair<string, FormulaType>[])[],
                                    new("name", new FormulaType.Text()),
                                    new("email", new FormulaType.Text()),
                                    new("roles", new FormulaType.List(user.AllRoles ?? (FormulaType)new FormulaType.Text())),
                                    new("groups", new FormulaType.List(user.AllGroups ?? (FormulaType)new FormulaType.Text())),
                                    .. user.Attributes.Select(attribute => KeyValuePair.Create(attribute.Name, attribute.FormulaType)),
                                ]
                            )
                        )
                    )
            )
        );

    /// <summary>What they stand for: a blank record where nobody is signed in.</summary>
    public static ImmutableDictionary<string, object?> Given(SignedIn? user) =>
        ImmutableDictionary<string, object?>
            .Empty.WithComparers(StringComparer.OrdinalIgnoreCase)
            .Add(InFormulas, user is null ? null : AsRecord(user));

    private static FormulaRecord AsRecord(SignedIn user)
    {
        var shape = ((FormulaType.Record)Names(user).Types[InFormulas]).Shape;
        return new FormulaRecord(
            shape,
            [
                .. user.HasId ? [user.Id?.ToString()] : (object?[])[],
                user.Name,
                user.Email,
                user.Roles.Cast<object?>().ToArray(),
                user.Groups.Cast<object?>().ToArray(),
                .. user.Attributes.Select(attribute => attribute.ValueIn(shape.Members[shape.IndexOf(attribute.Name)].Value)),
            ]
        );
    }
}

/// <summary>Something that the workspace keeps of each person.</summary>
/// <param name="Name">The name in formulas, after <c>user.</c></param>
/// <param name="Type">Text, a number, yes or no, or a date.</param>
/// <param name="Value">One person's value; blank where null.</param>
public sealed record PersonAttribute(string Name, FieldType Type, object? Value)
{
    /// <summary>
    /// The records of which one is meant, where it is one: the value is its key as text, until <see cref="RecordValue"/> is read.
    /// </summary>
    public RecordAttribute? Record { get; init; }

    /// <summary>
    /// The values of the record's fields, in the order of <see cref="RecordAttribute.Fields"/>; null where it was not read.
    /// </summary>
    public ImmutableArray<object?>? RecordValue { get; init; }

    internal FormulaType FormulaType => Record is null ? DatasetShapes.TypeOf(Type) ?? new FormulaType.Text() : Record.FormulaType;

    // The same text stands for the same type.
    internal string TypeText =>
        Record is null ? $"{Type}" : $"{Record.Label} ({string.Join(", ", Record.Fields.Select(part => $"{part.Name} {part.Type.Word}"))})";

    internal object? ValueIn(FormulaType type) =>
        type is FormulaType.Record record
            ? RecordValue is { } values
                ? new FormulaRecord(record.Shape, [.. values])
                : null
            : DatasetShapes.Carried(Value);
}

/// <summary>The records of which an attribute means one: <c>user.staff.depot</c> is then a field of it.</summary>
/// <param name="Dataset">Their dataset.</param>
/// <param name="Label">What people call one of them.</param>
/// <param name="Fields">The fields that formulas may use, with their types.</param>
public sealed record RecordAttribute(DatasetId Dataset, string Label, ImmutableArray<(FieldName Name, FormulaType Type)> Fields)
{
    /// <summary>Those of a dataset: its own fields with single values. Choices are texts here.</summary>
    public static RecordAttribute Of(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return new RecordAttribute(
            dataset.Id,
            dataset.RecordLabel,
            [
                .. from field in dataset.Fields
                where field.Formula is null
                let type = DatasetShapes.TypeOf(field)
                where type is not null and not (FormulaType.Record or FormulaType.List or FormulaType.Json)
                select (field.Name, type is FormulaType.Choice ? new FormulaType.Text() : type),
            ]
        );
    }

    internal FormulaType FormulaType =>
        new FormulaType.Record(new FormulaShape(Label, Fields.Select(part => KeyValuePair.Create(part.Name.Value, part.Type))));
}
