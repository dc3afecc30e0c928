using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Files;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live.Panels.Text;
using Rostrum.Web.People;
using Rostrum.Web.Together;

namespace Rostrum.Web.Notes;

/// <summary>A note as whoever may read it sees it.</summary>
/// <param name="Note">The note.</param>
/// <param name="Files">Its files.</param>
/// <param name="IsOwn">Whoever looks wrote it.</param>
internal sealed record ShownNote(RecordNote Note, ImmutableArray<FileReference> Files, bool IsOwn)
{
    private readonly Lazy<IReadOnlySet<string>> _inText = new(() => Markdown.PicturesIn(Note.Text));

    /// <summary>The files that stand below the text: all but the pictures that stand in it.</summary>
    public ImmutableArray<FileReference> FilesBelow => [.. Files.Where(file => !IsPicture(file) || !_inText.Value.Contains(file.Name))];

    /// <summary>The address of a picture that the text names; null where it names none of the note's.</summary>
    /// <param name="name">The name.</param>
    /// <param name="files">The address of the note's files, up to a file's hash.</param>
    public string? PictureOf(string name, string files) =>
        Files.FirstOrDefault(file => IsPicture(file) && file.Name == name) is { } picture ? files + picture.Hash : null;

    private static bool IsPicture(FileReference file) => MediaTypes.IsPicture(file.Type);

    public static ShownNote Of(RecordNote note, Guid? person) =>
        new(note, [.. JsonSerializer.Deserialize<FileReference[]>(note.Files, JsonSerializerOptions.Web) ?? []], note.PersonId == person);
}

/// <summary>Somebody who may be mentioned.</summary>
internal sealed record Colleague(Guid Id, PersonEntry Entry)
{
    public string Name => Entry.Name;
}

/// <summary>A note that is to be written.</summary>
/// <param name="Text">Markdown.</param>
/// <param name="Files">The files of it, as the form has them.</param>
/// <param name="ReplyTo">The note that it answers.</param>
/// <param name="From">Where the record is seen.</param>
internal sealed record NoteToWrite(string Text, string Files, long? ReplyTo, string From);

/// <summary>What people note about records: whoever is mentioned is told, as are those who watch the record.</summary>
internal sealed class RecordNotes(
    RostrumStore store,
    WorkspaceCache workspaces,
    PersonRecords records,
    RecordGate gate,
    CurrentPerson person,
    Notifier notifier,
    TimeProvider time
)
{
    private const int MostShown = 500;
    private const int LongestExcerpt = 120;
    private const int MostFound = 8;

    /// <summary>Which files may belong to a note.</summary>
    public static FieldType.Files Limits { get; } = new(Most: RecordNote.MostFiles);

    /// <summary>The notes of a record between two moments, in order.</summary>
    public async Task<ImmutableArray<ShownNote>> ReadAsync(
        Dataset dataset,
        string key,
        DateTimeOffset? from,
        DateTimeOffset? until,
        CancellationToken cancellation
    )
    {
        var notes = await store
            .RecordNotes.AsNoTracking()
            .Where(note => note.DatasetId == dataset.Id.Value && note.Key == key)
            .Where(note => (from == null || note.At >= from) && (until == null || note.At < until))
            .OrderByDescending(note => note.At)
            .Take(MostShown)
            .ToListAsync(cancellation);
        return [.. notes.Select(note => ShownNote.Of(note, person.Id))];
    }

    /// <summary>A note of a record; null where it is not there.</summary>
    public Task<RecordNote?> FindAsync(Dataset dataset, string key, long id, CancellationToken cancellation) =>
        store.RecordNotes.FirstOrDefaultAsync(note => note.Id == id && note.DatasetId == dataset.Id.Value && note.Key == key, cancellation);

    /// <summary>The versions of a note before it was edited, the newest first.</summary>
    public async Task<ImmutableArray<NoteVersion>> VersionsAsync(long note, CancellationToken cancellation) =>
        [
            .. await store
                .NoteVersions.AsNoTracking()
                .Where(version => version.NoteId == note)
                .OrderByDescending(version => version.Id)
                .ToListAsync(cancellation),
        ];

    /// <summary>Writes a note; or says why not.</summary>
    public async Task<string?> AddAsync(Dataset dataset, Record record, NoteToWrite wanted, CancellationToken cancellation)
    {
        if (Problem(wanted, out var files) is { } problem)
        {
            return problem;
        }

        var key = record.Key!.ToText(dataset);
        var (now, by) = (time.GetUtcNow(), await person.NameAsync(cancellation));
        var mentioned = await MentionedAsync(dataset, record.Key, wanted.Text, cancellation);
        store.RecordNotes.Add(
            new RecordNote
            {
                DatasetId = dataset.Id.Value,
                Key = key,
                PersonId = person.Id!.Value,
                By = by,
                Text = wanted.Text,
                Files = files,
                Mentions = [.. mentioned.Select(one => one.Name)],
                ReplyTo =
                    wanted.ReplyTo is { } other && await FindAsync(dataset, key, other, cancellation) is { DeletedAt: null } ? other : null,
                At = now,
            }
        );
        var told = Told.Of(dataset, record, by, wanted, now);
        await MentionAsync(mentioned, told, cancellation);
        store.RecordEvents.Add(
            new RecordEvent
            {
                DatasetId = told.Dataset,
                Key = told.Key,
                Title = told.Title,
                Kind = $"noted: {told.Excerpt}",
                Changes = "",
                ById = person.Id,
                ByName = by,
                IsNote = true,
                Told = [.. mentioned.Select(one => one.Id)],
                At = now,
            }
        );
        await store.SaveChangesAsync(cancellation);
        return null;
    }

    /// <summary>Writes one's own note anew, and keeps what it was; or says why not.</summary>
    public async Task<string?> EditAsync(
        Dataset dataset,
        Record record,
        RecordNote note,
        NoteToWrite wanted,
        CancellationToken cancellation
    )
    {
        if (Problem(wanted, out var files) is { } problem)
        {
            return problem;
        }

        if (note.Text == wanted.Text && note.Files == files)
        {
            return null;
        }

        var now = time.GetUtcNow();
        var mentioned = await MentionedAsync(dataset, record.Key!, wanted.Text, cancellation);
        var newly = mentioned.Where(one => !note.Mentions.Contains(one.Name));
        await MentionAsync(newly, Told.Of(dataset, record, note.By, wanted, now), cancellation);
        store.NoteVersions.Add(
            new NoteVersion
            {
                NoteId = note.Id,
                Text = note.Text,
                Until = now,
            }
        );
        (note.Text, note.Files, note.Mentions, note.EditedAt) = (wanted.Text, files, [.. mentioned.Select(one => one.Name)], now);
        await store.SaveChangesAsync(cancellation);
        return null;
    }

    /// <summary>Deletes one's own note, or brings it back.</summary>
    public async Task SetDeletedAsync(RecordNote note, bool isDeleted, CancellationToken cancellation)
    {
        note.DeletedAt = isDeleted ? time.GetUtcNow() : null;
        await store.SaveChangesAsync(cancellation);
    }

    /// <summary>Colleagues whose names begin so and who could read a note about a record.</summary>
    public async Task<ImmutableArray<string>> FindPeopleAsync(
        Dataset dataset,
        RecordKey key,
        string beginning,
        CancellationToken cancellation
    )
    {
        var found = ImmutableArray.CreateBuilder<string>();
        var workspace = await workspaces.GetAsync(cancellation);
        var named = workspace
            .People.Where(one => one.Value.IsActive && one.Key != person.Id && Begins(one.Value.Name, beginning))
            .Select(one => new Colleague(one.Key, one.Value))
            .OrderBy(one => one.Name, StringComparer.CurrentCulture);
        foreach (var one in named)
        {
            if (await MayReadAsync(workspace, one, dataset, key, cancellation))
            {
                found.Add(one.Name);
                if (found.Count == MostFound)
                {
                    break;
                }
            }
        }

        return found.ToImmutable();
    }

    // The name, or one of its words.
    private static bool Begins(string name, string beginning) =>
        name.StartsWith(beginning, StringComparison.CurrentCultureIgnoreCase)
        || name.Split(' ').Any(word => word.StartsWith(beginning, StringComparison.CurrentCultureIgnoreCase));

    private static string? Problem(NoteToWrite wanted, out string files)
    {
        files = "[]";
        if (FieldText.FromInput(Limits, wanted.Files, TimeZoneInfo.Utc) is not Parsed.Value { Is: var list })
        {
            return "The files could not be read. Attach them again.";
        }

        if (
            list is not null
            && ChangeChecks.Problem(
                new Field
                {
                    Name = new("files"),
                    Column = "",
                    NativeType = "",
                    Label = "",
                    Type = Limits,
                },
                list
            )
                is { } problem
        )
        {
            return problem;
        }

        files = list is null ? "[]" : FieldText.ToCanonical(Limits, list);
        return string.IsNullOrWhiteSpace(wanted.Text) && list is null ? "Write something, or attach a file."
            : wanted.Text.Length > RecordNote.Longest
                ? $"This is {wanted.Text.Length:#,##0} characters long; {RecordNote.Longest:#,##0} fit."
            : null;
    }

    private async Task<ImmutableArray<Colleague>> MentionedAsync(
        Dataset dataset,
        RecordKey key,
        string text,
        CancellationToken cancellation
    )
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var found = ImmutableArray.CreateBuilder<Colleague>();
        var named = workspace
            .People.Where(one => one.Value.IsActive && one.Key != person.Id && Mentions.Has(text, one.Value.Name))
            .Select(one => new Colleague(one.Key, one.Value));
        foreach (var one in named)
        {
            if (await MayReadAsync(workspace, one, dataset, key, cancellation))
            {
                found.Add(one);
            }
        }

        return found.ToImmutable();
    }

    private async Task<bool> MayReadAsync(
        Workspace workspace,
        Colleague one,
        Dataset dataset,
        RecordKey key,
        CancellationToken cancellation
    )
    {
        var grants = await records.GrantsOfAsync(workspace, one.Entry.RolesAtWork, one.Entry.AsUser, cancellation);
        return grants.For(dataset.Id).Allows(Verbs.ReadNotes)
            && (await gate.SeenAsync(workspace.Datasets, dataset, [key], grants, cancellation)).Count > 0;
    }

    private async Task MentionAsync(IEnumerable<Colleague> mentioned, Told told, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        foreach (var one in mentioned)
        {
            var item = new InboxItem
            {
                PersonId = one.Id,
                WatchId = Guid.Empty,
                DatasetId = told.Dataset,
                Key = told.Key,
                Title = told.Title,
                Text = $"mentioned you: {told.Excerpt}",
                By = told.By,
                Address = told.From,
                At = told.At,
            };
            await notifier.AddAsync(store, workspace, item, cancellation);
        }
    }

    // What is told of a note.
    private sealed record Told(Guid Dataset, string Key, string Title, string By, string Excerpt, string From, DateTimeOffset At)
    {
        public static Told Of(Dataset dataset, Record record, string by, NoteToWrite wanted, DateTimeOffset at)
        {
            var plain = Markdown.Plain(wanted.Text);
            var excerpt =
                plain.Length == 0 ? "attached a file"
                : plain.Length > LongestExcerpt ? $"“{plain[..LongestExcerpt]}…”"
                : $"“{plain}”";
            return new(dataset.Id.Value, record.Key!.ToText(dataset), record.Title, by, excerpt, wanted.From, at);
        }
    }
}
