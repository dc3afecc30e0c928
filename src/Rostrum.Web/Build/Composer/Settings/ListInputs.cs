using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Web.Build.Composer.Settings;

/// <summary>Fields in an order, and in the same rows what is said of each: labels, widths, totals.</summary>
internal sealed class FieldsInput : SettingInput<SettingKind.Fields>
{
    public override string Partial(SettingView view) =>
        view.Dataset is null ? "/Build/Composer/Settings/_NeedsDataset.cshtml" : base.Partial(view);

    public override IEnumerable<(Setting Setting, string Text)> Read(
        object of,
        Setting setting,
        ImmutableArray<Setting> settings,
        IFormCollection form
    )
    {
        var shown = form[$"order.{setting.Key}"]
            .ToString()
            .Split(',', StringSplitOptions.RemoveEmptyEntries)
            .Where(field => form.ContainsKey($"shown.{setting.Key}.{field}"));
        return
        [
            (setting, Setting.Joined(shown)),
            .. settings
                .Where(beside => beside.Beside == setting.Key)
                .Select(beside =>
                    (
                        beside,
                        SettingKind.FieldTexts.Write(
                            form.Where(part =>
                                    part.Key.StartsWith($"{beside.Key}.", StringComparison.Ordinal)
                                    && part.Value.ToString().Trim().Length > 0
                                )
                                .ToDictionary(part => part.Key[(beside.Key.Length + 1)..], part => part.Value.ToString().Trim())
                        )
                    )
                ),
        ];
    }

    /// <summary>One field of an ordered list a place up or down.</summary>
    public static string Moved(string fields, string field, int by)
    {
        var names = Setting.Split(fields);
        var at = names.IndexOf(field);
        return at < 0 ? fields : Setting.Joined(names.RemoveAt(at).Insert(Math.Clamp(at + by, 0, names.Length - 1), field));
    }
}

internal sealed class NestedListsInput : SettingInput<SettingKind.NestedLists>
{
    public override string Partial(SettingView view) =>
        view.Dataset is null ? "/Build/Composer/Settings/_NeedsDataset.cshtml" : base.Partial(view);
}

internal sealed class FieldTextsInput : SettingInput<SettingKind.FieldTexts>
{
    protected override string Text(object of, Setting setting, IFormCollection form) =>
        SettingKind.FieldTexts.Write(
            Rows(form, setting.Key, "field", "text")
                .Where(row => row[0].Length > 0)
                .DistinctBy(row => row[0])
                .ToDictionary(row => row[0], row => row[1])
        );
}

internal sealed class NamedTextsInput : SettingInput<SettingKind.NamedTexts>
{
    protected override string Text(object of, Setting setting, IFormCollection form) =>
        SettingKind.FieldTexts.Write(
            Rows(form, setting.Key, "name", "text")
                .Where(row => row[0].Length > 0)
                .DistinctBy(row => row[0])
                .ToDictionary(row => row[0], row => row[1])
        );
}

internal sealed class HighlightsInput : SettingInput<SettingKind.Highlights>
{
    protected override string Text(object of, Setting setting, IFormCollection form) =>
        SettingKind.Highlights.Write([
            .. Rows(form, setting.Key, "when", "tone", "label", "field")
                .Where(row => row[0].Trim('=', ' ').Length > 0)
                .Select(row => new Highlight(
                    row[0].TrimStart('=').Trim(),
                    Words.Read<Tone>(row[1]) ?? Tone.Attention,
                    row[2],
                    row[3].Length == 0 ? null : new FieldName(row[3])
                )),
        ]);
}

internal sealed class ViewsInput : SettingInput<SettingKind.Views>
{
    protected override string Text(object of, Setting setting, IFormCollection form) =>
        SettingKind.Views.Write([
            .. Rows(form, setting.Key, "name", "query", "density")
                .Select(
                    (row, at) =>
                        new SavedView(row[0], row[1])
                        {
                            Density = Words.Read<Density>(row[2]),
                            Hidden = [.. ((TablePanel)of).Columns.Where(column => !form.ContainsKey($"{setting.Key}.{at}.shown.{column}"))],
                        }
                ),
        ]);
}

internal sealed class ComputedColumnsInput : SettingInput<SettingKind.ComputedColumns>
{
    protected override string Text(object of, Setting setting, IFormCollection form)
    {
        var columns = ImmutableArray.CreateBuilder<PanelColumn>();
        var dataset = (of as TablePanel)?.Columns ?? [];
        foreach (var row in Rows(form, setting.Key, "name", "label", "formula").Where(row => row[2].Trim().Length > 0))
        {
            var label = row[1].Length > 0 ? row[1] : "New column";
            columns.Add(
                new PanelColumn(
                    row[0].Length > 0
                        ? new FieldName(row[0])
                        : Wording.FieldName(label, columns.Select(column => column.Name).Concat(dataset)),
                    label,
                    row[2].Trim().TrimStart('=')
                )
            );
        }

        return SettingKind.ComputedColumns.Write(columns.ToImmutable());
    }
}
