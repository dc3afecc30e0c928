using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Rostrum.Core.Files;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

public abstract partial record FieldType
{
    /// <summary>Files that people attach, carried as <see cref="FileList"/>; none of them is a blank. Formulas have their names.</summary>
    /// <param name="Only">Which may be attached.</param>
    /// <param name="Most">How many.</param>
    /// <param name="MostMegabytes">How large each may be.</param>
    public sealed record Files(FileKind Only = FileKind.Any, int Most = 20, int MostMegabytes = 20) : FieldType
    {
        /// <summary>So many files a field may hold.</summary>
        public const int Limit = 100;

        /// <summary>So large a file may be, in megabytes.</summary>
        public const int LimitOfMegabytes = 100;

        private const int LongestAlt = 500;

        /// <summary>It holds one picture.</summary>
        public bool IsOnePicture => this is { Only: FileKind.Pictures, Most: 1 };

        /// <inheritdoc/>
        public override string Word => IsOnePicture ? "picture" : "files";

        /// <inheritdoc/>
        public override bool IsSortable => false;

        /// <inheritdoc/>
        public override bool IsTyped => false;

        /// <inheritdoc/>
        public override FormulaType InFormulas => new FormulaType.List(new FormulaType.Text());

        internal override string ToCanonical(object value) =>
            value is FileList list ? JsonSerializer.Serialize(list.Files.ToArray(), JsonSerializerOptions.Web) : throw CannotCarry(value);

        internal override Parsed FromCanonical(string text)
        {
            try
            {
                return
                    JsonSerializer.Deserialize<FileReference?[]>(text, JsonSerializerOptions.Web) is { } files
                    && Array.TrueForAll(files, file => file is { Name.Length: > 0, Type: not null } && FileReference.IsHash(file.Hash))
                    ? new Parsed.Value(files.Length == 0 ? null : new FileList([.. files.OfType<FileReference>()]))
                    : NotA("list of files");
            }
            catch (JsonException)
            {
                return NotA("list of files");
            }
        }

        internal override string Display(object value, RecordFormat format) =>
            ListValue.Join(((FileList)value).Files.Select(file => file.Name));

        internal override string? Problem(object value, CultureInfo culture)
        {
            var files = ((FileList)value).Files;
            return files.Length > Most
                ? Most == 1
                    ? "There is room for one file."
                    : $"There is room for {Most} files."
                : files.FirstOrDefault(file => !MediaTypes.Is(Only, file.Type)) is { } other
                    ? $"“{other.Name}” is not taken here: only {MediaTypes.WordOf(Only)}."
                    : files.Any(file => file.Name.Length > FileReference.LongestName || file.Alt?.Length > LongestAlt)
                        ? $"A name is at most {FileReference.LongestName} characters long, a description {LongestAlt}."
                        : null;
        }
    }
}
