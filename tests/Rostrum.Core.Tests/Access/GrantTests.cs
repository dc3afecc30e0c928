using System.Collections.Immutable;
using FsCheck.Xunit;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Access;

public sealed class GrantTests
{
    private static readonly DatasetId Sailings = new(Guid.NewGuid());
    private static readonly Filter OwnPort = new Filter.OneOf(new("port"), ["BRW"]);

    private static Grant Decide(string[] roles, params Policy[] policies) => Grants.Of(roles.ToImmutableHashSet(), policies).For(Sailings);

    [Fact]
    public void What_no_policy_allows_is_denied()
    {
        var grant = Decide(["agent"], Policy.On("auditor", Sailings, Verbs.All), Policy.On("agent", new DatasetId(Guid.NewGuid()), Verbs.All));
        Assert.Equal(Verbs.None, grant.Verbs);
        Assert.False(grant.Readable.Has(new("fare")));
    }

    [Fact]
    public void Roles_add_up() =>
        Assert.Equal(Verbs.View | Verbs.Update, Decide(["a", "b"], Policy.On("a", Sailings, Verbs.View), Policy.On("b", Sailings, Verbs.Update)).Verbs);

    [Fact]
    public void Fields_add_up_where_every_record_is_meant()
    {
        var grant = Decide(["a", "b"], Policy.On("a", Sailings, Verbs.View) with { Readable = new FieldSet.Only([new("route")]) }, Policy.On("b", Sailings, Verbs.View) with { Readable = new FieldSet.Only([new("cars")]) });
        Assert.True(grant.Readable.Has(new("route")) && grant.Readable.Has(new("cars")));
        Assert.False(grant.Readable.Has(new("fare")));
    }

    [Fact]
    public void A_condition_of_one_role_never_widens_what_the_other_shows_of_a_record()
    {
        var grant = Decide(["a", "b"],
            Policy.On("a", Sailings, Verbs.View) with { Readable = new FieldSet.Only([new("route")]) },
            Policy.On("b", Sailings, Verbs.View | Verbs.Update) with { Condition = OwnPort });
        Assert.Equal(Verbs.View, grant.Verbs);
        Assert.False(grant.Readable.Has(new("fare")));
    }

    [Property]
    public void A_role_more_never_takes_a_verb_away_where_every_record_is_meant(Verbs one, Verbs other)
    {
        var first = Policy.On("a", Sailings, one & Verbs.All);
        var alone = Decide(["a"], first).Verbs;
        Assert.Equal(alone, Decide(["a", "b"], first, Policy.On("b", Sailings, other & Verbs.All)).Verbs & alone);
    }
}
