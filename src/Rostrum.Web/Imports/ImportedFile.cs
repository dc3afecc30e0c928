using System.Globalization;
using System.IO.Compression;
using System.Text;
using System.Text.Json;
using CsvHelper;
using MiniExcelLibs;
using Rostrum.Core.Imports;
using Rostrum.Store;

namespace Rostrum.Web.Imports;

/// <summary>A file cannot be read, for a reason that people read.</summary>
internal sealed class ImportFailedException(string message) : Exception(message);

/// <summary>
/// The rows of a file, one after the other: texts, whatever it is. The headings of objects in JSON are a row of their own.
/// </summary>
/// <param name="file">The file, at hand as long as it is read.</param>
/// <param name="kind">What it is.</param>
internal sealed class ImportedFile(FileStream file, ImportKind kind) : IAsyncDisposable
{
    /// <summary>So many columns are read at most.</summary>
    public const int MostColumns = 500;

    private const int LongestRow = 4 * 1024 * 1024;
    private const int MostEntries = 2_000;
    private const long LargestUnpacked = 1_000_000_000;
    private const int StartLength = 64 * 1024;

    static ImportedFile() => Encoding.RegisterProvider(CodePagesEncodingProvider.Instance);

    public ValueTask DisposeAsync() => file.DisposeAsync();

    /// <summary>How its text seems to be written; null where it is no text.</summary>
    public async Task<TextForm?> SeemsAsync(CancellationToken cancellation)
    {
        if (kind is not ImportKind.Text)
        {
            return null;
        }

        file.Position = 0;
        var start = new byte[StartLength];
        var length = await file.ReadAtLeastAsync(start, StartLength, throwOnEndOfStream: false, cancellation);
        var encoding = TextForm.EncodingOf(start.AsSpan(0, length));
        return new TextForm(encoding, TextForm.DelimiterOf(Encoding.GetEncoding(encoding).GetString(start, 0, length)));
    }

    /// <summary>The sheets of a workbook; none where it is none.</summary>
    public IReadOnlyList<string> Sheets()
    {
        if (kind is not ImportKind.Workbook)
        {
            return [];
        }

        Unpacked();
        file.Position = 0;
        return Workbook(() => MiniExcel.GetSheetNames(file));
    }

    /// <summary>The rows, blank ones left out, each with its number in the file.</summary>
    public async IAsyncEnumerable<(int Number, string[] Cells)> ReadAsync(
        ImportPlan plan,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation
    )
    {
        file.Position = 0;
        var rows = kind switch
        {
            ImportKind.Workbook => WorkbookAsync(plan),
            ImportKind.Json => JsonAsync(cancellation),
            _ => TextAsync(plan.Text!),
        };
        await foreach (var (number, cells) in rows.WithCancellation(cancellation))
        {
            if (cells.Length > MostColumns)
            {
                throw new ImportFailedException($"Row {number} has more than {MostColumns} columns.");
            }

            if (Array.Exists(cells, cell => cell.Trim().Length > 0))
            {
                yield return (number, cells);
            }
        }
    }

    private async IAsyncEnumerable<(int, string[])> TextAsync(TextForm form)
    {
        using var text = new StreamReader(
            file,
            Encoding.GetEncoding(form.Encoding),
            detectEncodingFromByteOrderMarks: true,
            leaveOpen: true
        );
        await using var reader = CsvReader.Create(
            text,
            new CsvReaderOptions
            {
                Separator = form.Delimiter,
                HasHeader = false,
                TrackLineNumbers = true,
                MaxRecordSize = LongestRow,
                MalformedData = CsvMalformedDataHandling.Throw,
            },
            leaveOpen: true
        );
        while (await NextAsync(reader))
        {
            yield return ((int)reader.LineNumber, [.. Enumerable.Range(0, reader.FieldCount).Select(reader.GetString)]);
        }
    }

    private static async Task<bool> NextAsync(CsvReader reader)
    {
        try
        {
            return await reader.ReadAsync(CancellationToken.None);
        }
        catch (CsvFormatException exception)
        {
            throw new ImportFailedException(
                $"The file cannot be read after line {exception.LineNumber}: its quotes are broken, or a row is longer than 4 MB."
            );
        }
    }

    private async IAsyncEnumerable<(int, string[])> WorkbookAsync(ImportPlan plan)
    {
        Unpacked();
        file.Position = 0;
        using var rows = Workbook(() =>
            MiniExcel.Query(file, useHeaderRow: false, plan.Sheet.Length > 0 ? plan.Sheet : null).GetEnumerator()
        );
        var number = 0;
        while (Workbook(rows.MoveNext))
        {
            number++;
            yield return (number, [.. ((IDictionary<string, object?>)rows.Current).Values.Select(Text)]);
        }

        await Task.CompletedTask;
    }

    // A workbook is unpacked as it is read: one that grows beyond all measure is none.
    private void Unpacked()
    {
        file.Position = 0;
        try
        {
            using var zip = new ZipArchive(file, ZipArchiveMode.Read, leaveOpen: true);
            if (zip.Entries.Count > MostEntries || zip.Entries.Sum(entry => entry.Length) > LargestUnpacked)
            {
                throw new ImportFailedException("The workbook is too large when it is unpacked. Save it as CSV.");
            }
        }
        catch (InvalidDataException)
        {
            throw new ImportFailedException("The file is no workbook (XLSX).");
        }
    }

    private static T Workbook<T>(Func<T> read)
    {
        try
        {
            return read();
        }
        catch (Exception exception) when (exception is not (OutOfMemoryException or ImportFailedException))
        {
            throw new ImportFailedException("The workbook cannot be read. Open it in a spreadsheet and save it again as XLSX.");
        }
    }

    private async IAsyncEnumerable<(int, string[])> JsonAsync(
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation
    )
    {
        using var json = await ParsedAsync(cancellation);
        JsonElement[] rows = [.. List(json.RootElement).EnumerateArray().Where(row => row.ValueKind is JsonValueKind.Object)];
        string[] names = [.. rows.SelectMany(row => row.EnumerateObject().Select(member => member.Name)).Distinct().Take(MostColumns)];
        yield return (0, names);
        for (var at = 0; at < rows.Length; at++)
        {
            yield return (at + 1, [.. names.Select(name => rows[at].TryGetProperty(name, out var value) ? Text(value) : "")]);
        }
    }

    private async Task<JsonDocument> ParsedAsync(CancellationToken cancellation)
    {
        try
        {
            return await JsonDocument.ParseAsync(file, new JsonDocumentOptions { AllowTrailingCommas = true }, cancellation);
        }
        catch (JsonException exception)
        {
            throw new ImportFailedException($"The file is no JSON: line {exception.LineNumber + 1}.");
        }
    }

    private static JsonElement List(JsonElement root) =>
        root.ValueKind is JsonValueKind.Array ? root
        : root.ValueKind is JsonValueKind.Object
        && root.EnumerateObject().Select(member => member.Value).FirstOrDefault(value => value.ValueKind is JsonValueKind.Array)
            is { ValueKind: JsonValueKind.Array } inner
            ? inner
        : throw new ImportFailedException("The file holds no list of objects.");

    private static string Text(JsonElement value) =>
        value.ValueKind switch
        {
            JsonValueKind.Null => "",
            JsonValueKind.String => value.GetString()!,
            _ => value.GetRawText(),
        };

    private static string Text(object? value) =>
        value switch
        {
            null => "",
            bool yes => yes ? "true" : "false",
            DateTime { TimeOfDay.Ticks: 0 } day => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            DateTime moment => moment.ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture),
            TimeSpan time => time.ToString("hh\\:mm\\:ss", CultureInfo.InvariantCulture),
            double number when Math.Abs(number) < 1e15 => ((decimal)number).ToString("0.############", CultureInfo.InvariantCulture),
            IFormattable number => number.ToString(null, CultureInfo.InvariantCulture),
            _ => value.ToString() ?? "",
        };
}
