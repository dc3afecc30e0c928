using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Access;

/// <summary>Who is signed in, as formulas see that person under the name <c>user</c>.</summary>
/// <param name="Name">The person's name.</param>
/// <param name="Email">The address; blank where there is none.</param>
/// <param name="Roles">The names of the person's roles.</param>
public sealed record SignedIn(string Name, string? Email, ImmutableArray<string> Roles)
{
    /// <summary>What the workspace keeps of each person beside that, with this person's values.</summary>
    public ImmutableArray<PersonAttribute> Attributes { get; init; } = [];

    /// <summary>The names that a formula may use beside those of its record, and what they stand for: <c>user</c>, a blank record where nobody is signed in.</summary>
    public static ImmutableDictionary<string, Typed.Constant> Names(SignedIn? user)
    {
        FormulaShape shape = new("person",
        [
            new("name", new FormulaType.Text()), new("email", new FormulaType.Text()), new("roles", new FormulaType.List(new FormulaType.Text())),
            .. (user?.Attributes ?? []).Select(attribute => KeyValuePair.Create(attribute.Name, attribute.FormulaType)),
        ]);
        return ImmutableDictionary<string, Typed.Constant>.Empty.WithComparers(StringComparer.OrdinalIgnoreCase).Add("user", new Typed.Constant(
            new FormulaType.Record(shape),
            user is null ? null : new FormulaRecord(shape, [user.Name, user.Email, user.Roles.Cast<object?>().ToArray(), .. user.Attributes.Select(attribute => attribute.Value is long number ? (decimal)number : attribute.Value)])));
    }
}

/// <summary>Something that the workspace keeps of each person.</summary>
/// <param name="Name">The name in formulas, after <c>user.</c></param>
/// <param name="Type">Text, a number, yes or no, or a date.</param>
/// <param name="Value">One person's value; blank where null.</param>
public sealed record PersonAttribute(string Name, FieldType Type, object? Value)
{
    internal FormulaType FormulaType => DatasetShapes.TypeOf(Type) ?? new FormulaType.Text();
}
