using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>An app: what there is to know of it without its pages. <see cref="Drafts"/> reads and writes it with them.</summary>
public sealed class StoredApp
{
    public Guid Id { get; init; }
    public required string Address { get; init; }
    public required string Name { get; set; }
    public required AppHead Head { get; set; }

    /// <summary>The draft's revision: each edit has the next.</summary>
    public int Revision { get; set; }
    public int? LiveVersion { get; set; }
}

/// <summary>What a draft says beside its name and its pages.</summary>
/// <param name="Pages">The pages' addresses, in order.</param>
/// <param name="Home">The address of the page with which the app opens; its first one where null.</param>
/// <param name="Look">How it looks; as Rostrum itself where null.</param>
public sealed record AppHead(ImmutableArray<string> Pages, string? Home, AppLook? Look)
{
    internal static AppHead Of(AppDefinition draft) => new([.. draft.Pages.Select(page => page.Address)], draft.Home, draft.Look);

    internal AppDefinition With(string name, IReadOnlyDictionary<string, Page> pages) =>
        new(name, [.. Pages.Select(address => pages[address])]) { Home = Home, Look = Look };
}

/// <summary>A page of a draft.</summary>
public sealed class StoredDraftPage
{
    public Guid AppId { get; init; }
    public required string Address { get; init; }
    public required Page Document { get; set; }
}
