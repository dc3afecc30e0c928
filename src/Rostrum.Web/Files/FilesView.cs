using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Files;
using Rostrum.Web.Live.Sheet;

namespace Rostrum.Web.Files;

/// <summary>The files of a record's field, to be shown.</summary>
/// <param name="Files">The files.</param>
/// <param name="Address">Where they are, without the file's hash; null for a record that is not there yet.</param>
internal sealed record FilesView(FileList? Files, string? Address)
{
    public static FilesView Of(string path, string panel, Field field, object? value, string? record) =>
        new(value as FileList, record is null ? null : AddressOf(path, panel, field, record));

    /// <summary>The same of what stands in a form.</summary>
    public static FilesView Of(RecordFormView.Open sheet, FormField field) =>
        Of(
            sheet.Path,
            sheet.Panel,
            field.Field,
            (FieldText.FromInput(field.Field.Type, field.Text, TimeZoneInfo.Utc) as Parsed.Value)?.Is,
            sheet.KeyText
        );

    public string? AddressOf(FileReference file) => Address is null ? null : Address + file.Hash;

    public static string Size(long bytes) =>
        bytes switch
        {
            < 1024 => string.Create(CultureInfo.CurrentCulture, $"{bytes} bytes"),
            < 1024 * 1024 => string.Create(CultureInfo.CurrentCulture, $"{bytes / 1024.0:#,##0} KB"),
            _ => string.Create(CultureInfo.CurrentCulture, $"{bytes / 1024.0 / 1024.0:#,##0.0} MB"),
        };

    public static string AddressOf(string path, string panel, Field field, string record) =>
        $"{path}?handler=File&panel={panel}&field={Uri.EscapeDataString(field.Name.Value)}&record={Uri.EscapeDataString(record)}&file=";
}

/// <summary>An input for files.</summary>
/// <param name="Id">Its element.</param>
/// <param name="Name">Under which its value is sent.</param>
/// <param name="Value">The files, as text.</param>
/// <param name="Upload">Where files are sent.</param>
/// <param name="Limits">Which are taken.</param>
internal sealed record FilesInput(string Id, string Name, string Value, string Upload, FieldType.Files Limits)
{
    /// <summary>What people call it.</summary>
    public required string Label { get; init; }

    public required FilesView Shown { get; init; }

    /// <summary>What a picture shows is kept with it.</summary>
    public bool HasAlt { get; init; } = true;

    public string? LabelledBy { get; init; }

    public string? DescribedBy { get; init; }

    public bool IsInvalid { get; init; }

    /// <summary>Where files for a field are sent.</summary>
    public static string UploadOf(RecordFormView.Open sheet, FormField field) =>
        $"{sheet.Path}?handler=Upload&panel={sheet.Panel}&field={Uri.EscapeDataString(field.Field.Name.Value)}";

    public static FilesInput Of(RecordFormView.Open sheet, FormField field) =>
        new(
            field.Id,
            field.InputName,
            field.Text == RecordForm.NoBytes ? "" : field.Text,
            UploadOf(sheet, field),
            FormFiles.LimitsOf(field.Field)!
        )
        {
            Label = field.Label,
            Shown = field.Field.Type is FieldType.Files ? FilesView.Of(sheet, field) : new FilesView(null, null),
            LabelledBy = $"{field.Id}-label",
            DescribedBy = field.DescribedBy,
            IsInvalid = field.IsInvalid,
            HasAlt = field.Field.Type is FieldType.Files,
        };
}
