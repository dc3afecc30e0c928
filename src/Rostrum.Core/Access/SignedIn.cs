using System.Collections.Immutable;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Access;

/// <summary>Who is signed in, as formulas see that person under the name <c>user</c>.</summary>
/// <param name="Name">The person's name.</param>
/// <param name="Email">The address; blank where there is none.</param>
/// <param name="Roles">The names of the person's roles.</param>
public sealed record SignedIn(string Name, string? Email, ImmutableArray<string> Roles)
{
    private static readonly FormulaShape Shape = new("person", [new("name", new FormulaType.Text()), new("email", new FormulaType.Text()), new("roles", new FormulaType.List(new FormulaType.Text()))]);

    /// <summary>The names that a formula may use beside those of its record, and what they stand for: <c>user</c>, a blank record where nobody is signed in.</summary>
    public static ImmutableDictionary<string, Typed.Constant> Names(SignedIn? user) => ImmutableDictionary<string, Typed.Constant>.Empty.WithComparers(StringComparer.OrdinalIgnoreCase)
        .Add("user", new Typed.Constant(new FormulaType.Record(Shape), user is null ? null : new FormulaRecord(Shape, [user.Name, user.Email, user.Roles.Cast<object?>().ToArray()])));
}
