using System.Collections.Immutable;

namespace Rostrum.Core.Apps;

/// <summary>Who sees a page once a draft is published, and did not before; and the other way round.</summary>
/// <param name="Page">What the page is called.</param>
/// <param name="Gains">Who sees it then, by name.</param>
/// <param name="Loses">Who sees it no longer.</param>
public sealed record AudienceChange(string Page, ImmutableArray<string> Gains, ImmutableArray<string> Loses)
{
    /// <summary>The pages of which somebody gains or loses the sight, in the draft's order; those that are removed last.</summary>
    /// <param name="live">What is live; null where nothing is.</param>
    /// <param name="draft">What would be published.</param>
    /// <param name="people">Who may sign in, with their roles.</param>
    public static ImmutableArray<AudienceChange> Between(
        AppDefinition? live,
        AppDefinition draft,
        IReadOnlyCollection<(string Name, IReadOnlySet<string> Roles)> people
    )
    {
        ArgumentNullException.ThrowIfNull(draft);
        ArgumentNullException.ThrowIfNull(people);
        var removed = live?.Pages.Where(page => draft.Find(page.Address) is null) ?? [];
        return
        [
            .. from page in draft.Pages.Concat(removed)
            let before = Seeing(live?.Find(page.Address), people)
            let after = Seeing(draft.Find(page.Address), people)
            let change = new AudienceChange(page.Name, [.. after.Except(before)], [.. before.Except(after)])
            where !change.Gains.IsEmpty || !change.Loses.IsEmpty
            select change,
        ];
    }

    private static string[] Seeing(Page? page, IEnumerable<(string Name, IReadOnlySet<string> Roles)> people) =>
        page is null
            ? []
            : [.. people.Where(person => page.IsFor(person.Roles)).Select(person => person.Name).Order(StringComparer.Ordinal)];
}
