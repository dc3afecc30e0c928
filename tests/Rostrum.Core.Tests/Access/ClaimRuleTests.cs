using Rostrum.Core.Access.SignIn;

namespace Rostrum.Core.Tests.Access;

public sealed class ClaimRuleTests
{
    private static readonly ClaimRule[] Rules =
    [
        new("groups", "deck", ClaimGift.Role, "engineer"),
        new("groups", "night", ClaimGift.Group, "watch"),
        new("port", "", ClaimGift.Attribute, "port"),
    ];

    [Fact]
    public void A_claim_gives_what_its_rules_say_whatever_the_case_of_its_value()
    {
        var gifts = ClaimGifts.Of(Rules, [new("groups", "Deck"), new("groups", "night"), new("port", "BRW")]);
        Assert.Equal(["engineer"], gifts.Roles);
        Assert.Equal(["watch"], gifts.Groups);
        Assert.Equal("BRW", gifts.Attributes["port"]);
    }

    [Theory]
    [InlineData("Groups", "deck")]
    [InlineData("groups", "decks")]
    [InlineData("group", "deck")]
    public void Another_claim_gives_nothing(string type, string value)
    {
        var gifts = ClaimGifts.Of(Rules, [new(type, value)]);
        Assert.Empty(gifts.Roles);
        Assert.Empty(gifts.Groups);
        Assert.Empty(gifts.Attributes);
    }

    [Fact]
    public void What_rules_can_give_is_taken_with_the_claim_and_what_they_do_not_speak_of_stays() =>
        Assert.Equal(["clerk"], ClaimGifts.After(["engineer", "clerk"], Rules, ClaimGift.Role, []));

    [Fact]
    public void The_same_claims_twice_change_nothing_more()
    {
        var given = ClaimGifts.Of(Rules, [new("groups", "deck")]).Roles;
        var once = ClaimGifts.After(["clerk"], Rules, ClaimGift.Role, given);
        Assert.True(once.SetEquals(ClaimGifts.After(once, Rules, ClaimGift.Role, given)));
        Assert.True(once.SetEquals(["clerk", "engineer"]));
    }
}
