using Rostrum.Core.Datasets;
using Rostrum.Core.Files;
using Rostrum.Store;
using Rostrum.Web.Files;

namespace Rostrum.Web.Notes;

/// <summary>The form in which a note is written, or written anew.</summary>
/// <param name="Dataset">The dataset of the record.</param>
/// <param name="Key">The record's key as text.</param>
internal sealed record NoteForm(Dataset Dataset, string Key)
{
    /// <summary>The note that is written anew.</summary>
    public RecordNote? Note { get; init; }

    public string Text { get; init; } = "";

    /// <summary>The files, as the form has them.</summary>
    public string Files { get; init; } = "";

    public string? Problem { get; init; }

    public string Id => Note is null ? "note-new" : $"note-{Note.Id}-form";

    public string Here => AddressOf(Dataset, Key);

    /// <summary>Where it is sent.</summary>
    public string Action => Note is null ? $"{Here}&handler=Add" : $"{Here}&handler=Edit&id={Note.Id}";

    /// <summary>The logbook of the record, which shows its notes.</summary>
    public string Logbook => $"/logbook?dataset={Dataset.Id}&record={Uri.EscapeDataString(Key)}";

    /// <summary>What takes its files.</summary>
    public FilesInput Attached
    {
        get
        {
            var list = FieldText.FromInput(RecordNotes.Limits, Files, TimeZoneInfo.Utc) is Parsed.Value { Is: FileList known }
                ? known
                : null;
            var address = Note is null ? null : $"{Here}&handler=File&id={Note.Id}&file=";
            return new($"{Id}-files", "attached", list is null ? "" : Files, $"{Here}&handler=Upload", RecordNotes.Limits)
            {
                Label = "the note",
                Shown = new FilesView(list, address),
            };
        }
    }

    public static string AddressOf(Dataset dataset, string key) => $"/notes?dataset={dataset.Id}&record={Uri.EscapeDataString(key)}";

    /// <summary>The name under which what is typed is kept.</summary>
    public string UnsavedName => $"note {Dataset.Id} {Key} {Note?.Id}";
}
