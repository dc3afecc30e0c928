using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Files;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Files;
using Rostrum.Web.People;
using Rostrum.Web.Security;

namespace Rostrum.Web.Notes;

/// <summary>Writes, edits and deletes notes about a record. What came of it is shown in the record's logbook.</summary>
internal sealed class NotesModel(
    WorkspaceCache workspaces,
    RecordNotes notes,
    RecordGate gate,
    Uploads uploads,
    FileStore files,
    CurrentPerson person
) : PageModel
{
    private Dataset _dataset = null!;
    private Record _record = null!;
    private bool _mayWrite;

    private string Key => _record.Key!.ToText(_dataset);

    public async Task<IActionResult> OnPostAddAsync(
        Guid dataset,
        string record,
        string? text,
        string? attached,
        long? reply,
        CancellationToken cancellation
    )
    {
        if (!await OpenAsync(dataset, record, cancellation) || !_mayWrite)
        {
            return NotFound();
        }

        var wanted = new NoteToWrite(text ?? "", attached ?? "", reply, Request.CurrentAddress());
        return await notes.AddAsync(_dataset, _record, wanted, cancellation) is { } problem
            ? Again(new NoteForm(_dataset, Key), wanted, problem)
            : Logbook();
    }

    public async Task<IActionResult> OnGetEditAsync(Guid dataset, string record, long id, CancellationToken cancellation) =>
        await OwnAsync(dataset, record, id, cancellation) is { DeletedAt: null } note
            ? Partial(
                "/Notes/_NoteForm.cshtml",
                new NoteForm(_dataset, Key)
                {
                    Note = note,
                    Text = note.Text,
                    Files = note.Files,
                }
            )
            : NotFound();

    public async Task<IActionResult> OnPostEditAsync(
        Guid dataset,
        string record,
        long id,
        string? text,
        string? attached,
        CancellationToken cancellation
    )
    {
        if (await OwnAsync(dataset, record, id, cancellation) is not { DeletedAt: null } note)
        {
            return NotFound();
        }

        var wanted = new NoteToWrite(text ?? "", attached ?? "", note.ReplyTo, Request.CurrentAddress());
        return await notes.EditAsync(_dataset, _record, note, wanted, cancellation) is { } problem
            ? Again(new NoteForm(_dataset, Key) { Note = note }, wanted, problem)
            : Logbook();
    }

    public async Task<IActionResult> OnPostDeleteAsync(Guid dataset, string record, long id, bool restore, CancellationToken cancellation)
    {
        if (await OwnAsync(dataset, record, id, cancellation) is not { } note)
        {
            return NotFound();
        }

        await notes.SetDeletedAsync(note, !restore, cancellation);
        return Logbook();
    }

    /// <summary>What a note was before it was edited.</summary>
    public async Task<IActionResult> OnGetVersionsAsync(Guid dataset, string record, long id, CancellationToken cancellation) =>
        await OpenAsync(dataset, record, cancellation) && await notes.FindAsync(_dataset, Key, id, cancellation) is { DeletedAt: null }
            ? Partial("/Notes/_Versions.cshtml", await notes.VersionsAsync(id, cancellation))
            : NotFound();

    /// <summary>Whom one can mention.</summary>
    public async Task<IActionResult> OnGetPeopleAsync(Guid dataset, string record, string? q, CancellationToken cancellation) =>
        await OpenAsync(dataset, record, cancellation)
            ? new JsonResult(await notes.FindPeopleAsync(_dataset, _record.Key!, q ?? "", cancellation))
            : NotFound();

    public async Task<IActionResult> OnPostUploadAsync(Guid dataset, string record, string? name, CancellationToken cancellation) =>
        await OpenAsync(dataset, record, cancellation) && _mayWrite
            ? UploadAnswer.Of(await uploads.TakeAsync(Request.Body, name ?? "", RecordNotes.Limits, cancellation))
            : NotFound();

    public async Task<IActionResult> OnGetFileAsync(
        Guid dataset,
        string record,
        long id,
        string file,
        string? small,
        string? download,
        CancellationToken cancellation
    ) =>
        await OpenAsync(dataset, record, cancellation)
        && await notes.FindAsync(_dataset, Key, id, cancellation) is { DeletedAt: null } note
        && ShownNote.Of(note, person.Id).Files.FirstOrDefault(known => known.Hash == file) is { } found
            ? await this.ServeAsync(files, found, small is not null, download is not null, cancellation)
            : NotFound();

    // Whoever may read the record and its notes.
    private async Task<bool> OpenAsync(Guid dataset, string record, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var grants = await person.GrantsAsync(cancellation);
        if (
            person.Id is null
            || workspace.Datasets.Find(new DatasetId(dataset)) is not { } known
            || !grants.For(known.Id).Allows(Verbs.ReadNotes)
            || RecordKey.Parse(known, record) is not { } key
            || await gate.ReadAsync(workspace.Datasets, ReadRequest.Of(known, key), grants, cancellation)
                is not ReadResult.Rows { Records: [var found] }
        )
        {
            return false;
        }

        (_dataset, _record) = (known, found);
        _mayWrite = grants.ReadOnlyBecause is null && grants.For(known.Id).Allows(Verbs.WriteNotes);
        return true;
    }

    private async Task<RecordNote?> OwnAsync(Guid dataset, string record, long id, CancellationToken cancellation) =>
        await OpenAsync(dataset, record, cancellation)
        && _mayWrite
        && await notes.FindAsync(_dataset, Key, id, cancellation) is { } note
        && note.PersonId == person.Id
            ? note
            : null;

    private RedirectResult Logbook() => Redirect(new NoteForm(_dataset, Key).Logbook);

    private PartialViewResult Again(NoteForm form, NoteToWrite wanted, string problem)
    {
        Response.Headers["HX-Retarget"] = $"#{form.Id}";
        Response.Headers["HX-Reswap"] = "outerHTML";
        return Partial("/Notes/_NoteForm.cshtml", form with { Text = wanted.Text, Files = wanted.Files, Problem = problem });
    }
}
