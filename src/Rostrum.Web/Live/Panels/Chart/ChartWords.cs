using System.Globalization;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>How the numbers of a measure are written: as its field's are, or as plain ones.</summary>
internal sealed class ChartWords(RecordFormat format, Field? field, Total? total, bool isShare)
{
    // Numbers of other measures than the field's own values are plain.
    private readonly Field _field =
        total is null or Total.Distinct || field is null
            ? new Field
            {
                Name = new FieldName("count"),
                Column = "",
                NativeType = "",
                Label = "",
                Type = new FieldType.Number(),
            }
            : field with
            {
                Type = new FieldType.Number(),
            };

    /// <summary>How the numbers of a measure are written; where it is null, those of a formula over measures.</summary>
    public static ChartWords Of(RecordFormat format, Dataset dataset, ChartMeasure? measure, bool isShare) =>
        measure is null
            ? new ChartWords(format, null, Total.Average, isShare)
            : new ChartWords(format, measure.Total is { } total ? dataset.Find(total.Field) : null, measure.Total?.Total, isShare);

    /// <summary>A figure as people read it.</summary>
    public string Exact(decimal? value) =>
        value is not { } number ? "none"
        : isShare ? Percent(number)
        : total is not (Total.Average or Total.Median) ? format.Display(_field, decimal.Round(number, 6))
        : _field.Format is null ? number.ToString("N2", format.Culture)
        : format.Display(_field, decimal.Round(number, 2));

    /// <summary>A share of a hundred.</summary>
    public string Percent(decimal share) => share.ToString("#,##0.#", format.Culture) + " %";

    /// <summary>A part of one, in whole percent.</summary>
    public static string Whole(double part, RecordFormat format) => (part * 100).ToString("#,##0", format.Culture) + " %";

    /// <summary>A figure at a mark of an axis.</summary>
    public string Mark(double value, double step) =>
        isShare ? Percent((decimal)value)
        : Math.Abs(value) >= 1e15 ? value.ToString("0.#e+0", format.Culture)
        : format.Mark(_field.Format, (decimal)value, (decimal)Math.Max(step, 1e-10));

    /// <summary>A number of an SVG's geometry.</summary>
    public static string N(double value) => value.ToString("0.###", CultureInfo.InvariantCulture);

    /// <summary>A part of the plot's width.</summary>
    public static string Percentage(double part) => N(part * 100) + "%";
}
