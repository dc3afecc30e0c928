using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Web.Demo;

/// <summary>What the ferry company's builder has said of its tables: computed fields, formats, defaults and rules.</summary>
internal static class DemoDatasets
{
    private static readonly DisplayFormat Euro = new DisplayFormat.Money("EUR");
    private static readonly DisplayFormat Share = new DisplayFormat.Percent(0, OfHundred: false);

    private static readonly (string Table, string Label, string Formula, DisplayFormat? Format)[] Computed =
    [
        ("defects", "Days overdue", "IF(AND(state <> \"closed\", due < TODAY()), TODAY() - due)", null),
        ("defects", "Due within 7 days", "AND(state <> \"closed\", due >= TODAY(), due <= TODAY() + 7)", new DisplayFormat.YesNoWords("soon", "–")),
        ("vessels", "Open defects", "COUNT(FILTER(defects, state <> \"closed\"))", null),
        ("vessels", "Open cost", "SUM(FILTER(defects, state <> \"closed\").estimated_cost)", Euro),
        ("sailings", "Minutes late", "IF(arrives_actual > arrives_planned, ROUND((arrives_actual - arrives_planned) * 1440))", null),
        ("sailings", "Load", "cars / vessel.car_capacity", Share),
        ("routes", "On time", "COUNT(FILTER(sailings, arrives_actual <= arrives_planned + 5 / 1440)) / COUNT(sailings.arrives_actual)", new DisplayFormat.Percent(1, OfHundred: false)),
        ("dockings", "Left of budget", "budget - spent", Euro),
    ];

    private static readonly (string Table, string Field, Func<Field, Field> Set)[] Settings =
    [
        ("defects", "severity", Coloured("minor", 5, "moderate", 2, "serious", 4, "critical", 6)),
        ("defects", "state", Coloured("open", 4, "in work", 2, "waiting for parts", 6, "closed", 3)),
        ("defects", "reported_by", field => field with { Default = "=user.name" }),
        ("defects", "estimated_cost", field => field with { Format = Euro }),
        ("defects", "actual_cost", field => field with { Format = Euro }),
        ("defects", "description", field => field with { Description = "What is wrong, where, and what was tried.", Format = new DisplayFormat.Markdown() }),
        ("vessels", "state", Coloured("in service", 3, "laid up", 5, "docked", 2, "sold", 8)),
        ("sailings", "state", Coloured("planned", 5, "boarding", 2, "under way", 1, "arrived", 3, "cancelled", 4)),
        ("sailings", "fare_revenue", field => field with { Format = Euro }),
        ("timetable_changes", "state", Coloured("asked", 5, "under review", 2, "agreed", 3, "refused", 4)),
        ("timetable_changes", "asked_by", field => field with { Default = "=user.name" }),
        ("timetable_changes", "valid_from", field => field with { Default = "=TODAY() + 14" }),
        ("dockings", "percent_done", field => field with { Label = "Done", Format = new DisplayFormat.Percent(0, OfHundred: true) }),
        ("dockings", "budget", field => field with { Format = Euro }),
        ("dockings", "spent", field => field with { Format = Euro }),
        ("fuel_logs", "cost", field => field with { Format = Euro }),
        ("fuel_logs", "taken_at", field => field with { Default = "=NOW()" }),
    ];

    private static readonly (string Table, Rule Rule)[] Rules =
    [
        ("defects", new Rule.Holds("NOT(ISEMPTY(due))") { Name = "critical_has_due", Field = new("due"), When = "severity = \"critical\"", Message = "A critical defect needs a day by which it is put right." }),
        ("defects", new Rule.Holds("LEN(title) >= 8") { Name = "title_says_something", Field = new("title"), Message = "Say in a few words what is wrong: eight letters at least." }),
        ("defects", new Rule.Holds("estimated_cost >= 0") { Name = "estimate_minimum", Field = new("estimated_cost"), Message = "An estimate cannot be less than nothing." }),
        ("defects", new Rule.Holds("NOT(ISEMPTY(actual_cost))") { Name = "closed_has_cost", Field = new("actual_cost"), When = "state = \"closed\"", Warns = true, Message = "It is closed without what it cost. The budget will not add up." }),
        ("dockings", new Rule.Holds("planned_end >= planned_start") { Name = "ends_after_start", Field = new("planned_end"), Message = "A docking cannot end before it begins." }),
        ("dockings", new Rule.Holds("spent <= budget") { Name = "within_budget", Warns = true, Message = "More is spent than the budget has." }),
        ("timetable_changes", new Rule.Holds("valid_until >= valid_from") { Name = "ends_after_start", Field = new("valid_until"), Message = "It cannot end before it begins." }),
        ("timetable_changes", new Rule.Holds("valid_from >= TODAY() + 7") { Name = "a_week_ahead", Field = new("valid_from"), When = "state = \"asked\"", Warns = true, Message = "Passengers are told a week ahead; this is sooner." }),
        ("timetable_changes", new Rule.Holds("LEN(reason) >= 10") { Name = "reason_says_something", Field = new("reason"), Message = "Give a reason that the harbour office understands: ten letters at least." }),
    ];

    /// <summary>The fields that are computed, each by what is needed to make it.</summary>
    public static IEnumerable<(string Table, string Label, string Formula)> ComputedFields => Computed.Select(made => (made.Table, made.Label, made.Formula));

    /// <summary>A table's dataset with all that is said of it.</summary>
    public static Dataset Settled(Dataset dataset) => dataset with
    {
        Fields =
        [
            .. dataset.Fields.Select(field =>
            {
                var set = Settings.FirstOrDefault(setting => setting.Table == dataset.Name.Value && setting.Field == field.Name.Value).Set;
                var format = Computed.FirstOrDefault(computed => computed.Table == dataset.Name.Value && computed.Label == field.Label).Format;
                return set is not null ? set(field) : format is not null ? field with { Format = format } : field;
            }),
        ],
        Rules = [.. Rules.Where(rule => rule.Table == dataset.Name.Value).Select(rule => rule.Rule)],
    };

    private static Func<Field, Field> Coloured(params object[] looks) => field => field with
    {
        Format = new DisplayFormat.Options([.. looks.Chunk(2).Select(look => new OptionLook((string)look[0], null, (int)look[1]))]),
    };
}
