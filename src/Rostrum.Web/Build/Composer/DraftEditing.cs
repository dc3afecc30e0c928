using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Build.Composer;

/// <summary>What came of an edit of a draft.</summary>
internal abstract record DraftOutcome
{
    private DraftOutcome() { }

    /// <summary>It is done.</summary>
    public sealed record Done(AppDraft App, AppEdit Edit, string Said) : DraftOutcome;

    /// <summary>It cannot be.</summary>
    public sealed record Refused(string Reason) : DraftOutcome;

    /// <summary>Somebody else has touched the same thing since the builder saw it.</summary>
    public sealed record Overlap(StoredEdit Theirs) : DraftOutcome;
}

/// <summary>
/// Edits drafts: every edit is kept with what takes it back, so that nothing is lost with a browser, and each builder takes back the own
/// ones.
/// </summary>
internal sealed class DraftEditing(RostrumStore store, Drafts drafts, TimeProvider time)
{
    private const int Tries = 20;
    private static readonly TimeSpan OneGo = TimeSpan.FromSeconds(20);

    /// <summary>Makes an edit.</summary>
    /// <param name="app">The app's address.</param>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="seen">The draft's revision that the builder saw.</param>
    /// <param name="edit">The edit.</param>
    /// <param name="person">The builder.</param>
    /// <param name="name">The builder's name.</param>
    /// <param name="regardless">Also where somebody else touched the same thing meanwhile.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public Task<DraftOutcome> EditAsync(
        string app,
        DatasetCatalogue catalogue,
        int seen,
        AppEdit edit,
        Guid person,
        string name,
        bool regardless,
        CancellationToken cancellation
    ) =>
        TryAsync(async () =>
        {
            var stored = (await drafts.FindAsync(store, app, cancellation))!;
            var since = await store
                .Edits.Where(row => row.AppId == stored.Id && row.Revision > seen && row.PersonId != person)
                .OrderByDescending(row => row.Revision)
                .ToListAsync(cancellation);
            if (!regardless && since.FirstOrDefault(theirs => theirs.Edit?.IsAboutTheSameAs(edit) == true) is { } overlap)
            {
                return new DraftOutcome.Overlap(overlap);
            }

            var said = edit.Says(stored.Draft);
            var result = edit.Apply(stored.Draft, catalogue);
            if (result is not EditResult.Done done)
            {
                return new DraftOutcome.Refused(((EditResult.Refused)result).Reason);
            }

            // Words typed into one setting in one go are one edit.
            var last = await store
                .Edits.Where(row => row.AppId == stored.Id)
                .OrderByDescending(row => row.Revision)
                .FirstOrDefaultAsync(cancellation);
            var inverse = done.Inverse;
            if (
                last is { IsUndo: false, Undone: false, Edit: AppEdit.SetSetting before }
                && edit is AppEdit.SetSetting now
                && last.PersonId == person
                && time.GetUtcNow() - last.At < OneGo
                && before with { Value = "" } == now with { Value = "" }
            )
            {
                (inverse, said) = (
                    last.Inverse,
                    last.Inverse is AppEdit.SetSetting first
                    && stored.Draft.Find(now.Page)?.Find(now.Panel) is { } panel
                    && panel.Kind.Find(now.Key) is { } setting
                        ? AppWords.SettingChange(panel.Name, setting, first.Value, now.Value)
                        : said
                );
                store.Edits.Remove(last);
            }

            // What was taken back before belongs to a way that is not gone any more; the entries of its taking back stay.
            store.Edits.RemoveRange(
                await store
                    .Edits.Where(row => row.AppId == stored.Id && row.PersonId == person && row.Undone && !row.IsUndo)
                    .ToListAsync(cancellation)
            );
            var after = Replace(stored, done.App);
            store.Edits.Add(
                new StoredEdit
                {
                    AppId = stored.Id,
                    Revision = after.Revision,
                    PersonId = person,
                    PersonName = name,
                    At = time.GetUtcNow(),
                    Edit = edit,
                    Inverse = inverse,
                    Said = said,
                }
            );
            await SaveAsync(after, cancellation);
            return new DraftOutcome.Done(after, edit, said);
        });

    /// <summary>Takes the builder's last edit back.</summary>
    public Task<DraftOutcome> UndoAsync(string app, DatasetCatalogue catalogue, Guid person, string name, CancellationToken cancellation) =>
        AgainAsync(app, catalogue, person, name, undo: true, cancellation);

    /// <summary>Does again what the builder took back last.</summary>
    public Task<DraftOutcome> RedoAsync(string app, DatasetCatalogue catalogue, Guid person, string name, CancellationToken cancellation) =>
        AgainAsync(app, catalogue, person, name, undo: false, cancellation);

    /// <summary>What a builder can take back and do again, in words.</summary>
    public async Task<(string? Undo, string? Redo)> PossibleAsync(Guid app, Guid person, CancellationToken cancellation)
    {
        var (undo, redo) = await NextAsync(app, person, cancellation);
        return (undo?.Said, redo?.Said);
    }

    private Task<DraftOutcome> AgainAsync(
        string app,
        DatasetCatalogue catalogue,
        Guid person,
        string name,
        bool undo,
        CancellationToken cancellation
    ) =>
        TryAsync(async () =>
        {
            var stored = (await drafts.FindAsync(store, app, cancellation))!;
            var (last, taken) = await NextAsync(stored.Id, person, cancellation);
            if ((undo ? last : taken) is not { } entry)
            {
                return new DraftOutcome.Refused(undo ? "There is nothing of yours to undo." : "There is nothing to do again.");
            }

            if (
                await store
                    .Edits.Where(row =>
                        row.AppId == stored.Id && row.Revision > entry.Revision && row.PersonId != person && !row.IsUndo && !row.Undone
                    )
                    .ToListAsync(cancellation)
                    is var later
                && later.FirstOrDefault(theirs => theirs.Edit?.IsAboutTheSameAs(entry.Edit!) == true) is { } overlap
            )
            {
                return new DraftOutcome.Refused($"{overlap.PersonName} has changed the same thing since: {overlap.Said}.");
            }

            var edit = (undo ? entry.Inverse : entry.Edit)!;
            if (edit.Apply(stored.Draft, catalogue) is not EditResult.Done done)
            {
                return new DraftOutcome.Refused("Not undone: it has changed since.");
            }

            var said = $"{(undo ? "Undone" : "Done again")}: {entry.Said}";
            entry.Undone = undo;
            var after = Replace(stored, done.App);
            store.Edits.Add(
                new StoredEdit
                {
                    AppId = stored.Id,
                    Revision = after.Revision,
                    PersonId = person,
                    PersonName = name,
                    At = time.GetUtcNow(),
                    Edit = edit,
                    Inverse = done.Inverse,
                    Said = said,
                    IsUndo = true,
                }
            );
            await SaveAsync(after, cancellation);
            return new DraftOutcome.Done(after, edit, said);
        });

    // A new edit ends what could be done again.
    private async Task<(StoredEdit? Undo, StoredEdit? Redo)> NextAsync(Guid app, Guid person, CancellationToken cancellation)
    {
        var own = store.Edits.Where(row => row.AppId == app && row.PersonId == person && !row.IsUndo && row.Edit != null);
        var last = await own.Where(row => !row.Undone).OrderByDescending(row => row.Revision).FirstOrDefaultAsync(cancellation);
        var after = last?.Revision ?? 0;
        return (
            last,
            await own.Where(row => row.Undone && row.Revision > after).OrderBy(row => row.Revision).FirstOrDefaultAsync(cancellation)
        );
    }

    private AppDraft Replace(AppDraft before, AppDefinition draft)
    {
        // Between the look at the draft and the look at its edits somebody has saved one.
        if (store.ChangeTracker.Entries<StoredEdit>().Any(edit => edit.Entity.AppId == before.Id && edit.Entity.Revision > before.Revision))
        {
            throw new DbUpdateConcurrencyException("The draft is newer.");
        }

        return Drafts.Replace(store, before, draft);
    }

    private async Task SaveAsync(AppDraft draft, CancellationToken cancellation)
    {
        store.ChangeTracker.AutoDetectChangesEnabled = false;
        try
        {
            foreach (var entry in store.ChangeTracker.Entries<StoredEdit>())
            {
                entry.DetectChanges();
            }

            await store.SaveChangesAsync(cancellation);
        }
        finally
        {
            store.ChangeTracker.AutoDetectChangesEnabled = true;
            store.ChangeTracker.Clear();
        }

        drafts.Remember(draft);
    }

    // Two builders at the very same moment: the second looks again.
    private async Task<DraftOutcome> TryAsync(Func<Task<DraftOutcome>> edit)
    {
        for (var at = 1; ; at++)
        {
            try
            {
                return await edit();
            }
            catch (Exception exception) when (at < Tries && StoreFailure.IsCollision(exception))
            {
                store.ChangeTracker.Clear();
            }
        }
    }
}
