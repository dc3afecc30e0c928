using System.Globalization;
using System.Text;
using CsvHelper;
using Rostrum.Core.Formulas;
using Rostrum.Core.Imports;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running.Carriers;

/// <summary>A value of a formula as a file that goes with a mail: a text as it stands, a list as a table (RFC 4180).</summary>
internal static class AttachedValue
{
    /// <summary>How many characters all files of a mail may have.</summary>
    public const int Longest = 5_000_000;

    public static MailAttachment File(string name, object? value) =>
        new(
            name,
            value switch
            {
                IReadOnlyList<object?> list => Table(list),
                FormulaRecord record => Table([record]),
                _ => Plain(value),
            }
        );

    private static string Table(IReadOnlyList<object?> list)
    {
        using var text = new MemoryStream();
        using (var csv = CsvWriter.Create(text, leaveOpen: true))
        {
            if (list is [FormulaRecord first, ..])
            {
                WriteLine(csv, first.Shape.Members.Select(member => member.Key));
            }

            foreach (var one in list)
            {
                WriteLine(csv, one is FormulaRecord record ? record.Shape.Members.Select((_, at) => Plain(record[at])) : [Plain(one)]);
            }
        }

        return Encoding.UTF8.GetString(text.ToArray());
    }

    private static void WriteLine(CsvWriter csv, IEnumerable<string> cells)
    {
        foreach (var cell in cells)
        {
            csv.WriteField(SpreadsheetText.Harmless(cell));
        }

        csv.EndRecord();
    }

    private static string Plain(object? value) =>
        value switch
        {
            null => "",
            bool yes => yes ? "yes" : "no",
            DateOnly day => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            DateTimeOffset moment => moment.ToString("yyyy-MM-dd HH:mm:sszzz", CultureInfo.InvariantCulture),
            FormulaRecord record => string.Join(", ", record.Shape.Members.Select((_, at) => Plain(record[at]))),
            IFormattable plain => plain.ToString(null, CultureInfo.InvariantCulture),
            _ => value.ToString() ?? "",
        };
}
