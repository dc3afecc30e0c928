using System.Collections.Immutable;
using Microsoft.Extensions.Caching.Memory;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.People;

/// <summary>
/// Reads the records that people's attributes mean, so that conditions can ask for their fields. A record is kept for some seconds: so
/// long a change of it may go unseen. One that cannot be read is blank, and conditions that ask for it let nothing through.
/// </summary>
internal sealed partial class PersonRecords(RecordGate gate, WorkspaceCache workspaces, IMemoryCache kept, ILogger<PersonRecords> log)
{
    private const int MostOffered = 200;
    private static readonly TimeSpan Kept = TimeSpan.FromSeconds(5);

    /// <summary>What somebody may do, with what their attributes mean.</summary>
    public async ValueTask<Grants> GrantsOfAsync(
        Workspace workspace,
        IReadOnlySet<string> roles,
        SignedIn? user,
        CancellationToken cancellation
    ) => workspace.GrantsOf(roles, user is null ? null : await ReadAsync(user, cancellation));

    /// <summary>The same person, with the records of their attributes.</summary>
    public async ValueTask<SignedIn> ReadAsync(SignedIn user, CancellationToken cancellation) =>
        user.Attributes.Any(attribute => attribute is { Record: not null, Value: string })
            ? user with
            {
                Attributes = [.. await Task.WhenAll(user.Attributes.Select(attribute => ReadAsync(attribute, cancellation)))],
            }
            : user;

    /// <summary>The titles of some records, the first by name, for people to choose from.</summary>
    public async Task<ImmutableArray<string>> TitlesAsync(DatasetId id, CancellationToken cancellation) =>
        [.. (await FindAsync(id, "", cancellation)).Select(record => record.Title).Distinct()];

    /// <summary>What names the record of a key to people; the key itself where there is no such record.</summary>
    public async Task<string> TitleAsync(DatasetId id, string key, CancellationToken cancellation)
    {
        var datasets = (await workspaces.GetAsync(cancellation)).Datasets;
        return
            datasets.Find(id) is { } dataset
            && RecordKey.Parse(dataset, key) is { } parsed
            && await gate.ReadAsync(datasets, ReadRequest.Of(dataset, parsed), Grants.ViewEverything, cancellation)
                is ReadResult.Rows { Records: [var record] }
            ? record.Title
            : key;
    }

    /// <summary>The key of the record that a title, or a key, names.</summary>
    /// <returns>The key, or what is wrong.</returns>
    public async Task<(string? Key, string? Problem)> KeyAsync(DatasetId id, string typed, CancellationToken cancellation)
    {
        if ((await workspaces.GetAsync(cancellation)).Datasets.Find(id) is not { } dataset)
        {
            return (null, "its records are gone.");
        }

        var called = (await FindAsync(id, typed, cancellation)).Where(record => record.Title == typed && record.Key is not null).ToArray();
        return called switch
        {
            [var one] => (one.Key!.ToText(dataset), null),
            [] when RecordKey.Parse(dataset, typed) is { } key && await TitleAsync(id, typed, cancellation) != typed => (
                key.ToText(dataset),
                null
            ),
            [] => (null, $"no {dataset.RecordLabel} is called “{typed}”."),
            _ => (null, $"{called.Length} {dataset.LabelInSentence} are called “{typed}”. Write the key of the one that is meant."),
        };
    }

    private async Task<ImmutableArray<Record>> FindAsync(DatasetId id, string typed, CancellationToken cancellation)
    {
        var datasets = (await workspaces.GetAsync(cancellation)).Datasets;
        if (datasets.Find(id) is not { } dataset)
        {
            return [];
        }

        var request = new ReadRequest(id)
        {
            Search = typed,
            Sort = dataset.Title is [{ Relations: [] } first, ..] ? [new SortBy(first.Field)] : [],
            Window = new PageWindow.FromStart(0, MostOffered),
        };
        return await gate.ReadAsync(datasets, request, Grants.ViewEverything, cancellation) is ReadResult.Rows rows ? rows.Records : [];
    }

    private async Task<PersonAttribute> ReadAsync(PersonAttribute attribute, CancellationToken cancellation)
    {
        if (attribute is not { Record: { } record, Value: string text })
        {
            return attribute;
        }

        if (!kept.TryGetValue((record, text), out ImmutableArray<object?>? values))
        {
            values = await ReadAsync(record, text, cancellation);
            kept.Set((record, text), values, Kept);
        }

        return attribute with
        {
            RecordValue = values,
        };
    }

    private async Task<ImmutableArray<object?>?> ReadAsync(RecordAttribute attribute, string text, CancellationToken cancellation)
    {
        var datasets = (await workspaces.GetAsync(cancellation)).Datasets;
        if (datasets.Find(attribute.Dataset) is not { } dataset || RecordKey.Parse(dataset, text) is not { } key)
        {
            return null;
        }

        var request = ReadRequest.Of(dataset, key) with { Fields = [.. attribute.Fields.Select(field => field.Name)] };
        var read = await gate.ReadAsync(datasets, request, Grants.ViewEverything, cancellation);
        if (read is ReadResult.Rows { Records: [var record] })
        {
            return
            [
                .. attribute.Fields.Select(field => record[field.Name] is Unreadable ? null : DatasetShapes.Carried(record[field.Name])),
            ];
        }

        LogUnread(dataset.Label, read.GetType().Name);
        return null;
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "A person’s record among {Dataset} was not read: {Reason}")]
    private partial void LogUnread(string dataset, string reason);
}
