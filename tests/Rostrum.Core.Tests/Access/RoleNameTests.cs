using Rostrum.Core.Access;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Tests.Access;

/// <summary>A condition that asks for a role that nobody can have is a slip, and would often let everybody through.</summary>
public sealed class RoleNameTests
{
    private static readonly SignedIn Anybody = new("", null, [])
    {
        AllRoles = new FormulaType.Choice(["clerk", "port-agent"]) { Labels = ["Clerk", "Harbour hand"], IsClosed = true },
    };

    private static CheckedFormula Check(string formula, SignedIn? user) =>
        SignedIn.Names(user).Check(new FormulaShape("vessel", []), formula);

    [Theory]
    [InlineData("CONTAINS(user.roles, \"clerk\")", null)]
    [InlineData("NOT(CONTAINS(user.roles, \"Clerk\"))", "\"clerk\"")]
    [InlineData("CONTAINS(user.roles, \"harbour hand\")", "\"port-agent\"")]
    [InlineData("CONTAINS(user.roles, \"port-agnet\")", "\"port-agent\"")]
    public void A_role_is_called_by_its_name_and_what_is_none_is_a_problem_with_the_name_that_was_meant(string formula, string? correction)
    {
        var problem = Check(formula, Anybody).Problems.SingleOrDefault();
        Assert.Equal(correction, problem?.Correction);
        Assert.Equal(correction is null, problem is null);
    }

    [Fact]
    public void A_role_that_resembles_none_is_a_problem_too()
    {
        var problem = Assert.Single(Check("CONTAINS(user.roles, \"admiral of the fleet\")", Anybody).Problems);
        Assert.Null(problem.Correction);
        Assert.Contains("is not one of the choices", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Where_the_roles_are_not_known_any_text_may_be_one() =>
        Assert.Empty(Check("CONTAINS(user.roles, \"Clerk\")", null).Problems);
}
