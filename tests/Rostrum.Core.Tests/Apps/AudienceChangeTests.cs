using Rostrum.Core.Apps;

namespace Rostrum.Core.Tests.Apps;

public sealed class AudienceChangeTests
{
    private static readonly (string Name, IReadOnlySet<string> Roles)[] People =
    [
        ("Ada", new HashSet<string> { "clerk" }),
        ("Bo", new HashSet<string> { "clerk", "engineer" }),
        ("Cy", new HashSet<string> { "engineer" }),
    ];

    private static Page Page(string address, params string[] audience) =>
        new()
        {
            Address = address,
            Name = address.ToUpperInvariant(),
            Panels = [],
            Audience = [.. audience],
        };

    [Fact]
    public void Whoever_sees_a_page_after_a_publication_and_not_before_gains_it()
    {
        var live = new AppDefinition("x", [Page("a", "clerk"), Page("b", "engineer"), Page("gone", "clerk")]);
        var draft = new AppDefinition("x", [Page("a", "clerk", "engineer"), Page("b", "clerk"), Page("same", "nobody")]);
        Assert.Equal(
            ["A: +Cy -", "B: +Ada -Cy", "GONE: + -Ada,Bo"],
            AudienceChange
                .Between(live, draft, People)
                .Select(change => $"{change.Page}: +{string.Join(',', change.Gains)} -{string.Join(',', change.Loses)}")
        );
        Assert.Empty(AudienceChange.Between(draft, draft, People));
        Assert.Equal(2, AudienceChange.Between(null, draft, People).Length);
    }
}
