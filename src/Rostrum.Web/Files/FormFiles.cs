using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Files;
using Rostrum.Store;
using Rostrum.Web.Live.Sheet;

namespace Rostrum.Web.Files;

/// <summary>Files that are sent for fields of a form, and the contents of those that take the place of bytes.</summary>
internal sealed class FormFiles(FileStore files)
{
    private const int MostMegabytesOfBytes = 5;

    /// <summary>Which files a field takes; null where it takes none.</summary>
    public static FieldType.Files? LimitsOf(Field field) =>
        field.Type switch
        {
            FieldType.Files limits => limits,
            FieldType.Binary => new FieldType.Files(field.IsPicture ? FileKind.Pictures : FileKind.Any, Most: 1, MostMegabytesOfBytes),
            FieldType.Text when field.Format is DisplayFormat.RichText => new FieldType.Files(
                FileKind.Pictures,
                Most: 1,
                MostMegabytesOfBytes
            ),
            _ => null,
        };

    /// <summary>The form with the contents that are to be saved.</summary>
    public async Task<RecordForm> WithContentsAsync(RecordForm form, CancellationToken cancellation)
    {
        var contents = form.Contents.ToBuilder();
        foreach (var field in form.Fields.Where(field => field is { ReadOnlyBecause: null, Field.Type: FieldType.Binary }))
        {
            if (
                FieldText.FromInput(LimitsOf(field.Field)!, field.Text, TimeZoneInfo.Utc)
                    is Parsed.Value { Is: FileList { Files: [var file] } }
                && await files.FindAsync(file.Hash, cancellation) is { Size: <= MostMegabytesOfBytes * 1024 * 1024 } stored
            )
            {
                await using var content = await files.OpenAsync(stored, cancellation);
                var bytes = new byte[stored.Size];
                await content.ReadExactlyAsync(bytes, cancellation);
                contents[field.Field.Name] = bytes;
            }
        }

        return form with
        {
            Contents = contents.ToImmutable(),
        };
    }

    /// <summary>What is wrong with the files of a form: one that is no longer there.</summary>
    public static IEnumerable<FieldProblem> Problems(RecordForm form) =>
        form
            .Fields.Where(field =>
                field is { ReadOnlyBecause: null, Field.Type: FieldType.Binary, Text: not ("" or RecordForm.NoBytes) }
                && !form.Contents.ContainsKey(field.Field.Name)
            )
            .Select(field => new FieldProblem(field.Field.Name, "The file is not there. Choose it again."));
}
