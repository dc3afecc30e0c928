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
        var grant = Decide(
            ["agent"],
            Policy.On("auditor", Sailings, Verbs.All),
            Policy.On("agent", new DatasetId(Guid.NewGuid()), Verbs.All)
        );
        Assert.Equal(Verbs.None, grant.Verbs);
        Assert.False(grant.Readable.Has(new("fare")));
    }

    [Fact]
    public void Roles_add_up() =>
        Assert.Equal(
            Verbs.View | Verbs.Update,
            Decide(["a", "b"], Policy.On("a", Sailings, Verbs.View), Policy.On("b", Sailings, Verbs.Update)).Verbs
        );

    [Fact]
    public void Files_hold_the_records_of_the_roles_that_may_download_and_no_others()
    {
        var seen = Policy.On("a", Sailings, Verbs.View);
        var own = Policy.On("b", Sailings, Verbs.View | Verbs.Download) with { Condition = OwnPort };
        Assert.Null(Grants.Of(ImmutableHashSet.Create("a"), [seen, own]).ForDownload(Sailings));
        var both = Grants.Of(ImmutableHashSet.Create("a", "b"), [seen, own]);
        Assert.IsType<Filter.Everything>(both.For(Sailings).Condition);
        Assert.Equal(OwnPort, both.ForDownload(Sailings)!.For(Sailings).Condition);
        Assert.Null(Grants.ViewEverything.ForDownload(Sailings));
    }

    [Fact]
    public void Fields_add_up_where_every_record_is_meant()
    {
        var grant = Decide(
            ["a", "b"],
            Policy.On("a", Sailings, Verbs.View) with
            {
                Readable = new FieldSet.Only([new("route")]),
            },
            Policy.On("b", Sailings, Verbs.View) with
            {
                Readable = new FieldSet.Only([new("cars")]),
            }
        );
        Assert.True(grant.Readable.Has(new("route")) && grant.Readable.Has(new("cars")));
        Assert.False(grant.Readable.Has(new("fare")));
    }

    [Fact]
    public void A_condition_of_one_role_never_widens_what_the_other_shows_of_a_record()
    {
        var grant = Decide(
            ["a", "b"],
            Policy.On("a", Sailings, Verbs.View) with
            {
                Readable = new FieldSet.Only([new("route")]),
            },
            Policy.On("b", Sailings, Verbs.View | Verbs.Update) with
            {
                Condition = OwnPort,
            }
        );
        Assert.Equal(Verbs.View | Verbs.Update, grant.Verbs);
        Assert.Equal(OwnPort, grant.WhereReadable(new("fare")));
        Assert.Null(grant.WhereReadable(new("route")));
        Assert.True(grant.IsReadableInAll(new("route")) && !grant.IsReadableInAll(new("fare")));
        Assert.True(grant.Of(condition => condition is Filter.Everything || condition == OwnPort).Readable.Has(new("fare")));
        Assert.False(grant.Of(condition => condition is Filter.Everything).Readable.Has(new("fare")));
    }

    /// <summary>
    /// The law of several roles: of each record one may do with each field what one of the roles may do alone, and nothing else. So it is
    /// when the rights are narrowed by others, too.
    /// </summary>
    [Property]
    public void Of_a_record_a_person_may_what_one_of_the_roles_may_do_with_it(byte[] allowed, byte holding, byte narrowed)
    {
        var fields = Enumerable.Range(0, 3).Select(at => new FieldName($"f{at}")).ToArray();
        Filter Condition(int at) => at == 0 ? new Filter.Everything() : new Filter.Holds($"c{at}");
        FieldSet Set(int bits) =>
            (bits & 8) == 0
                ? new FieldSet.Only([.. fields.Where((_, at) => (bits & (1 << at)) != 0)])
                : new FieldSet.But([.. fields.Where((_, at) => (bits & (1 << at)) == 0)]);
        Policy[] policies =
        [
            .. allowed
                .Take(4)
                .Select(
                    (bits, at) =>
                        Policy.On("a", Sailings, Verbs.View | Verbs.Update) with
                        {
                            Condition = Condition(bits % 3),
                            Readable = Set(bits >> 2),
                            Writable = Set(bits >> 3),
                        }
                ),
        ];
        var others = Policy.On("b", Sailings, Verbs.All) with { Condition = Condition(narrowed % 3), Readable = Set(narrowed >> 2) };
        bool Holds(Filter filter) =>
            filter switch
            {
                Filter.And and => and.Parts.All(Holds),
                Filter.Holds { Formula: var formula } => (holding & (formula == "c1" ? 1 : 2)) != 0,
                _ => filter is Filter.Everything,
            };
        var here = policies.Where(policy => Holds(policy.Condition)).ToArray();
        var grant = Decide(["a"], policies);
        var both = Rights.Of(new HashSet<string> { "a" }, policies).And(Rights.Of(new HashSet<string> { "b" }, [others])).For(Sailings);
        foreach (var field in here.Length == 0 ? [] : fields)
        {
            Assert.Equal(here.Any(policy => policy.Readable.Has(field)), grant.Of(Holds).Readable.Has(field));
            Assert.Equal(here.Any(policy => policy.Writable.Has(field)), grant.Of(Holds).Writable.Has(field));
            Assert.Equal(
                grant.Of(Holds).Readable.Has(field),
                grant.Readable.Has(field)
                    && (grant.WhereReadable(field) is not { } where || (where is Filter.Or or ? or.Parts.Any(Holds) : Holds(where)))
            );
            if (Holds(others.Condition))
            {
                Assert.Equal(
                    here.Any(policy => policy.Readable.Has(field)) && others.Readable.Has(field),
                    both.Of(Holds).Readable.Has(field)
                );
            }
        }
    }

    [Fact]
    public void A_verb_applies_to_the_records_of_each_policy_that_has_it()
    {
        var grant = Decide(
            ["a", "b", "c"],
            Policy.On("a", Sailings, Verbs.View),
            Policy.On("b", Sailings, Verbs.View | Verbs.Update) with
            {
                Condition = OwnPort,
            },
            Policy.On("c", Sailings, Verbs.Update | Verbs.Delete).WritingWhere(new Filter.Holds("cars = 0"))
        );
        Assert.IsType<Filter.Everything>(grant.For(Verbs.View));
        Assert.True(Assert.IsType<Filter.Or>(grant.For(Verbs.Update)).Parts.SequenceEqual([OwnPort, new Filter.Holds("cars = 0")]));
        Assert.Equal(new Filter.Holds("cars = 0"), grant.For(Verbs.Delete));
        Assert.IsType<Filter.Nothing>(grant.For(Verbs.Create));
    }

    [Fact]
    public void A_decision_names_each_policy_that_speaks_to_it_and_is_denied_without_one()
    {
        Policy[] policies =
        [
            Policy.On("a", Sailings, Verbs.View),
            (Policy.On("b", Sailings, Verbs.View | Verbs.Update) with { Condition = OwnPort }).WritingWhere(new Filter.Holds("cars = 0")),
            Policy.On("c", Sailings, Verbs.All),
            Policy.On("a", new DatasetId(Guid.NewGuid()), Verbs.Delete),
        ];
        (string, Filter)[] About(Verbs verb) =>
            [
                .. Decision
                    .About(verb, new HashSet<string> { "a", "b" }, policies, Sailings)
                    .Select(pair => (pair.Policy.Role, pair.Condition)),
            ];
        Assert.Equal([("a", new Filter.Everything()), ("b", OwnPort)], About(Verbs.View));
        Assert.Equal("b", Assert.Single(About(Verbs.Update)).Item1);
        Assert.Empty(About(Verbs.Delete));

        bool? Allowed(params bool?[] holds) =>
            new Decision(Verbs.View, [.. holds.Select(held => new DecisionReason("a", null, held))]).Allowed;
        Assert.Equal(
            [false, true, null, false, true],
            new[] { Allowed(), Allowed(false, true), Allowed(false, null), Allowed(false), Allowed(null, true) }
        );
    }

    [Property]
    public void Field_sets_add_up_and_narrow_field_by_field(bool but, bool otherBut, string[] names, string[] others)
    {
        FieldSet Set(bool without, string[] of) =>
            without
                ? new FieldSet.But([.. of.Select(name => new FieldName(name ?? ""))])
                : new FieldSet.Only([.. of.Select(name => new FieldName(name ?? ""))]);
        var (one, other) = (Set(but, names), Set(otherBut, others));
        foreach (var name in names.Concat(others).Append("unheard of").Select(name => new FieldName(name ?? "")))
        {
            Assert.Equal(one.Has(name) && other.Has(name), one.And(other).Has(name));
            Assert.Equal(one.Has(name) || other.Has(name), one.Or(other).Has(name));
        }
    }

    [Property]
    public void A_role_more_never_takes_a_verb_away_where_every_record_is_meant(Verbs one, Verbs other)
    {
        var first = Policy.On("a", Sailings, one & Verbs.All);
        var alone = Decide(["a"], first).Verbs;
        Assert.Equal(alone, Decide(["a", "b"], first, Policy.On("b", Sailings, other & Verbs.All)).Verbs & alone);
    }
}
