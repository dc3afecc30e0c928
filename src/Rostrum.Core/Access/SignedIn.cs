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

    private static SignedIn Nobody { get; } = new("", null, []);

    // People of one workspace share them, and with them what was found out about formulas.
    private static FormulaNames Alike(SignedIn user) =>
        Known.GetOrAdd(
            string.Join(
                '\n',
                [
                    .. user.Attributes.Select(attribute => $"{attribute.Name}: {attribute.Type}"),
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
            .Add(
                InFormulas,
                user is null
                    ? null
                    : new FormulaRecord(
                        ((FormulaType.Record)Names(user).Types[InFormulas]).Shape,
                        [
                            user.Name,
                            user.Email,
                            user.Roles.Cast<object?>().ToArray(),
                            user.Groups.Cast<object?>().ToArray(),
                            .. user.Attributes.Select(attribute => attribute.Value is long number ? (decimal)number : attribute.Value),
                        ]
                    )
            );
}

/// <summary>Something that the workspace keeps of each person.</summary>
/// <param name="Name">The name in formulas, after <c>user.</c></param>
/// <param name="Type">Text, a number, yes or no, or a date.</param>
/// <param name="Value">One person's value; blank where null.</param>
public sealed record PersonAttribute(string Name, FieldType Type, object? Value)
{
    internal FormulaType FormulaType => DatasetShapes.TypeOf(Type) ?? new FormulaType.Text();
}
