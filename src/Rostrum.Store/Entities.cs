using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>Someone who signs in.</summary>
public sealed class Person : IdentityUser<Guid>
{
    public required string Name { get; set; }

    /// <summary>The values of the workspace's attributes, each in canonical text; blank where there is none.</summary>
    public ImmutableDictionary<string, string> Attributes { get; set; } = ImmutableDictionary<string, string>.Empty;
}

/// <summary>Something that the workspace keeps of each person, for formulas to ask after.</summary>
public sealed class StoredAttribute
{
    /// <summary>The name in formulas, after <c>user.</c></summary>
    public required string Name { get; init; }
    public required string Label { get; set; }
    public required FieldType Type { get; set; }
}

/// <summary>What a person is in the workspace. Builders and owners are Rostrum's own; the rest is the company's.</summary>
public sealed class Role : IdentityRole<Guid>
{
    public const string Builder = "builder";
    public const string Owner = "owner";

    public required string Label { get; set; }
}

/// <summary>A database that the company has. Its password is kept encrypted.</summary>
public sealed class StoredSource
{
    public Guid Id { get; init; }
    public required string Name { get; set; }
    public required string Host { get; set; }
    public int Port { get; set; }
    public required string Database { get; set; }
    public required string UserName { get; set; }
    public required string ProtectedPassword { get; set; }
    public bool Encrypted { get; set; }
    public required SourceStructure Structure { get; set; }
    public DateTimeOffset ReadAt { get; set; }
}

/// <summary>A dataset as the workspace's builders have it now.</summary>
public sealed class StoredDataset
{
    public Guid Id { get; init; }
    public Guid SourceId { get; init; }
    public required Dataset Definition { get; set; }

    /// <summary>Each save has the next.</summary>
    public int Revision { get; set; }
}

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

    internal AppDefinition With(string name, IReadOnlyDictionary<string, Page> pages) => new(name, [.. Pages.Select(address => pages[address])]) { Home = Home, Look = Look };
}

/// <summary>A page of a draft.</summary>
public sealed class StoredDraftPage
{
    public Guid AppId { get; init; }
    public required string Address { get; init; }
    public required Page Document { get; set; }
}

/// <summary>An edit of an app's draft, in the order in which they were made.</summary>
public sealed class StoredEdit
{
    public Guid AppId { get; init; }

    /// <summary>The draft's revision that came of it.</summary>
    public int Revision { get; init; }
    public Guid PersonId { get; init; }
    public required string PersonName { get; init; }
    public DateTimeOffset At { get; init; }

    /// <summary>What it did; null once it is too old to be taken back: then its words alone are kept.</summary>
    public required AppEdit? Edit { get; init; }

    /// <summary>What takes it back; null once it is too old for that.</summary>
    public required AppEdit? Inverse { get; init; }

    /// <summary>What it did, in words.</summary>
    public required string Said { get; init; }

    /// <summary>It was taken back.</summary>
    public bool Undone { get; set; }

    /// <summary>It takes another back, or does that again: it is not itself taken back.</summary>
    public bool IsUndo { get; init; }
}

/// <summary>A published version. It is never changed: the database refuses that.</summary>
public sealed class StoredVersion
{
    public Guid AppId { get; init; }
    public int Number { get; init; }
    public required string Note { get; init; }
    public required FrozenApp Frozen { get; init; }

    /// <summary>The draft's revision that was published.</summary>
    public int DraftRevision { get; init; }
    public required string PublishedBy { get; init; }
    public DateTimeOffset PublishedAt { get; init; }
}

/// <summary>What a role may do with a dataset's records.</summary>
public sealed class StoredPolicy
{
    public required string Role { get; init; }
    public Guid DatasetId { get; init; }
    public Verbs Verbs { get; set; }

    /// <summary>A formula over the record and <c>user</c>: the records that are meant; all where null.</summary>
    public string? Condition { get; set; }

    /// <summary>The same for those that may be added, changed and deleted, among the ones that are meant.</summary>
    public string? WriteCondition { get; set; }

    /// <summary>Fields that are not there for the role.</summary>
    public string[] HiddenFields { get; set; } = [];

    /// <summary>Tells policies apart by what they say.</summary>
    internal static IEqualityComparer<StoredPolicy> Comparer { get; } = EqualityComparer<StoredPolicy>.Create(
        (one, other) => one is not null && other is not null && one.Said == other.Said && one.HiddenFields.AsSpan().SequenceEqual(other.HiddenFields),
        policy => policy.Said.GetHashCode());

    private (string, Guid, Verbs, string?, string?) Said => (Role, DatasetId, Verbs, Condition, WriteCondition);

    /// <summary>The policy as the gate knows it.</summary>
    public Policy AsPolicy()
    {
        FieldSet fields = HiddenFields.Length == 0 ? new FieldSet.All() : new FieldSet.But([.. HiddenFields.Select(field => new FieldName(field))]);
        return new Policy(Role, new DatasetId(DatasetId), Verbs, Condition is null ? new Filter.Everything() : new Filter.Holds(Condition), fields, fields)
        {
            WriteCondition = WriteCondition is null ? new Filter.Everything() : new Filter.Holds(WriteCondition),
        };
    }
}

/// <summary>Somebody tried to sign in.</summary>
public sealed class SignInAttempt
{
    public long Id { get; init; }
    public Guid? PersonId { get; init; }
    public required string UserName { get; init; }
    public required string Outcome { get; init; }
    public string? RemoteAddress { get; init; }
    public DateTimeOffset At { get; init; }
}

/// <summary>What takes back a change that somebody made.</summary>
public sealed class UndoEntry
{
    public Guid Id { get; init; }
    public Guid PersonId { get; init; }
    public Guid DatasetId { get; init; }
    public required string Inverse { get; init; }
    public required string Said { get; init; }
    public DateTimeOffset At { get; init; }
    public DateTimeOffset? UsedAt { get; set; }
}

/// <summary>How one person has one table: hidden columns, widths, filters kept by name.</summary>
public sealed class StoredPersonalTable
{
    public Guid PersonId { get; set; }

    /// <summary>The app's address.</summary>
    public required string App { get; set; }

    /// <summary>The page's address.</summary>
    public required string Page { get; set; }

    /// <summary>The table's name.</summary>
    public required string Panel { get; set; }

    public required PersonalTable View { get; set; }
}

/// <summary>What a person has otherwise in a table than its builder.</summary>
public sealed record PersonalTable
{
    public static PersonalTable AsBuilt { get; } = new();

    /// <summary>Columns that are not shown.</summary>
    public ImmutableArray<string> Hidden { get; init; } = [];

    /// <summary>How wide columns are, in characters.</summary>
    public ImmutableDictionary<string, int> Widths { get; init; } = ImmutableDictionary<string, int>.Empty;

    /// <summary>How high rows are; as built where blank.</summary>
    public string Rows { get; init; } = "";

    /// <summary>What was narrowed and ordered, by a name: a part of the page's address.</summary>
    public ImmutableArray<SavedFilter> Filters { get; init; } = [];
}

/// <summary>What a table was narrowed to and ordered by, kept under a name.</summary>
public sealed record SavedFilter(string Name, string Query);
