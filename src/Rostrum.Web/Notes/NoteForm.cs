using Rostrum.Core.Datasets;
using Rostrum.Store;

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

    public static string AddressOf(Dataset dataset, string key) => $"/notes?dataset={dataset.Id}&record={Uri.EscapeDataString(key)}";

    /// <summary>The name under which what is typed is kept.</summary>
    public string UnsavedName => $"note {Dataset.Id} {Key} {Note?.Id}";
}
