using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Demo;

/// <summary>The pages of the demo's app for the timetable.</summary>
internal static class DemoTimetable
{
    private static readonly ImmutableArray<RecordTone> Running = [new("state = \"cancelled\"", "faded", "", null), new("minutes_late > 10", "danger", "late", new("minutes_late"))];

    /// <summary>The drafted app, shaped.</summary>
    public static AppDefinition Shaped(AppDefinition drafted, Func<string, Dataset> dataset) => drafted with
    {
        Home = "today",
        Pages =
        [
            Today(dataset),
            drafted.Find("sailings")! with { Icon = "clock" },
            Routes(dataset),
            drafted.Find("ports")! with { Icon = "geo-alt" },
            Changes(drafted.Find("timetable_changes")!),
            Port(dataset),
        ],
    };

    private static Page Today(Func<string, Dataset> dataset)
    {
        var sailings = dataset("sailings").Id;
        return new()
        {
            Address = "today",
            Name = "Today",
            Icon = "house",
            Panels =
            [
                new TextPanel { Name = "greeting", Text = "Good ${IF(HOUR(NOW()) < 12, \"morning\", IF(HOUR(NOW()) < 18, \"day\", \"evening\"))}, **${user.name}**. ${IF(cancelled.value = 0, \"Nothing is cancelled today.\", cancelled.value & IF(cancelled.value = 1, \" sailing is\", \" sailings are\") & \" cancelled so far today.\")}" },
                new FigurePanel { Name = "passengers", Heading = "Foot passengers this month", Width = 3, Dataset = sailings, Measure = "sum", Field = new("foot_passengers"), Period = "month", When = new("departs"), Compares = true },
                new FigurePanel { Name = "fares", Heading = "Fares this month", Width = 3, Dataset = sailings, Measure = "sum", Field = new("fare_revenue"), Period = "month", When = new("departs"), Compares = true },
                new FigurePanel { Name = "cancelled", Heading = "Cancelled today", Width = 3, Dataset = sailings, Filter = "state = \"cancelled\"", Period = "day", When = new("departs"), Tones = [new("value > 3", "danger", "many"), new("value > 0", "attention", "")] },
                new FigurePanel { Name = "asked", Heading = "Changes to be decided", Width = 3, Dataset = dataset("timetable_changes").Id, Filter = "OR(state = \"asked\", state = \"under review\")" },
                new TablePanel
                {
                    Name = "next",
                    Heading = "The next three hours",
                    Width = 8,
                    NewRow = true,
                    Dataset = sailings,
                    Filter = "AND(departs >= NOW() - 1 / 24, departs <= NOW() + 3 / 24)",
                    Columns = [new("departs"), new("route_code"), new("vessel"), new("state"), new("load"), new("minutes_late")],
                    Sort = [new SortBy(new("departs"))],
                    Tones = Running,
                    PageSize = 15,
                    OnChoice = ListPanel.Nothing,
                    Filterable = false,
                    AddsRecords = false,
                },
                new CardsPanel
                {
                    Name = "changes",
                    Heading = "To be decided",
                    Width = 4,
                    Layout = "list",
                    Dataset = dataset("timetable_changes").Id,
                    Filter = "OR(state = \"asked\", state = \"under review\")",
                    CardTitle = "=reason",
                    Subtitle = "=TITLE(route) & \", asked by \" & asked_by",
                    Fields = [new("valid_from")],
                    Sort = [new SortBy(new("valid_from"))],
                    SheetFields = AppDrafting.Visible(dataset("timetable_changes")),
                    PageSize = 6,
                    Searchable = false,
                    AddsRecords = false,
                },
            ],
        };
    }

    // Three links to the same table, told apart; and what runs on the route that is chosen.
    private static Page Routes(Func<string, Dataset> dataset) => new()
    {
        Address = "routes",
        Name = "Routes",
        Icon = "signpost",
        Panels =
        [
            new TablePanel
            {
                Name = "routes",
                Dataset = dataset("routes").Id,
                Columns = [new("code"), new("origin_port"), new("destination_port"), new("relief_port"), new("minutes"), new("season"), new("on_time")],
                SheetFields = AppDrafting.Visible(dataset("routes")),
                Sort = [new SortBy(new("code"))],
                Tones = [new("on_time < 0.79", "attention", "often late", new("on_time"))],
                OnChoice = ListPanel.Selecting,
                PageSize = 20,
            },
            new TextPanel { Name = "hint", Visible = "=ISEMPTY(routes.selected)", Text = "Choose a route to see what runs on it." },
            new TablePanel
            {
                Name = "sailings",
                Heading = "=\"Sailings from \" & routes.selected.origin_port.name & \" to \" & routes.selected.destination_port.name",
                Visible = "=NOT(ISEMPTY(routes.selected))",
                NewRow = true,
                Dataset = dataset("sailings").Id,
                Within = "routes.selected.sailings",
                Filter = "departs >= NOW() - 1",
                Columns = [new("departs"), new("vessel"), new("state"), new("foot_passengers"), new("cars"), new("load"), new("minutes_late")],
                Totals = ImmutableDictionary<string, string>.Empty.Add("foot_passengers", "sum").Add("cars", "sum").Add("load", "average"),
                Sort = [new SortBy(new("departs"))],
                Tones = Running,
                PageSize = 30,
                Scrolls = true,
                OnChoice = ListPanel.Nothing,
                AddsRecords = false,
            },
        ],
    };

    private static Page Changes(Page drafted)
    {
        var table = (TablePanel)drafted.Panels[0];
        NamedAction Decide(string label, string state, string icon) => new(label, new PanelAction([new UpdateRecord { Dataset = table.Dataset, Values = ImmutableDictionary<string, string>.Empty.Add("state", state) }], []))
        {
            Icon = icon,
            InMenu = true,
            Visible = "=OR(state = \"asked\", state = \"under review\")",
        };
        return drafted with
        {
            Name = "Changes",
            Icon = "calendar3",
            Panels = [table with { Tones = [new("AND(state = \"asked\", valid_from < TODAY() + 7)", "attention", "soon", new("valid_from"))], RowActions = [Decide("Agree", "agreed", "check-lg"), Decide("Refuse", "refused", "x-lg") with { Asks = "=\"Shall the change that \" & asked_by & \" asked for be refused?\"" }], Checkable = true, CheckedActions = [Decide("Agree", "agreed", "check-lg") with { InMenu = false }] }],
        };
    }

    // What a port agent needs at the quay, on a telephone.
    private static Page Port(Func<string, Dataset> dataset) => new()
    {
        Address = "port",
        Name = "My port",
        Icon = "geo-alt",
        Panels =
        [
            new TextPanel { Name = "greeting", Text = "Good day, **${user.name}**. ${IF(ISEMPTY(user.port), \"No port is set for you.\", next.value & \" sailings call at your port within three hours.\")}" },
            new FigurePanel { Name = "next", Heading = "Within three hours", Width = 6, Dataset = dataset("sailings").Id, Filter = "AND(departs >= NOW(), departs <= NOW() + 3 / 24)" },
            new FigurePanel { Name = "late", Heading = "Late today", Width = 6, Dataset = dataset("sailings").Id, Filter = "minutes_late > 10", Period = "day", When = new("departs"), Tones = [new("value > 0", "attention", "")] },
            new CardsPanel
            {
                Name = "sailings",
                Heading = "Soon at the quay",
                Width = 7,
                NewRow = true,
                Layout = "list",
                Dataset = dataset("sailings").Id,
                Filter = "AND(departs >= NOW() - 1 / 24, departs <= NOW() + 6 / 24)",
                CardTitle = "=TEXT(HOUR(departs), \"00\") & \":\" & TEXT(MINUTE(departs), \"00\") & \"  \" & route.origin_port.name & \" to \" & route.destination_port.name",
                Subtitle = "=TITLE(vessel)",
                Fields = [new("state"), new("foot_passengers"), new("cars")],
                Sort = [new SortBy(new("departs"))],
                SheetFields = [new("departs"), new("state"), new("foot_passengers"), new("cars"), new("arrives_actual"), new("cancellation_reason")],
                PageSize = 15,
                Scrolls = true,
                Searchable = false,
                AddsRecords = false,
            },
            new TablePanel
            {
                Name = "changes",
                Heading = "What you asked for",
                Width = 5,
                Dataset = dataset("timetable_changes").Id,
                Filter = "asked_by = user.name",
                Columns = [new("reason"), new("state"), new("valid_from")],
                SheetFields = AppDrafting.Visible(dataset("timetable_changes")),
                Sort = [new SortBy(new("valid_from"), Descending: true)],
                PageSize = 8,
                Searchable = false,
                Filterable = false,
            },
        ],
    };
}
