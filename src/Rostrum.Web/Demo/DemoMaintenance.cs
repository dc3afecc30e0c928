using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Demo;

/// <summary>The pages of the demo's app for maintenance.</summary>
internal static class DemoMaintenance
{
    private static readonly ImmutableArray<RecordTone> Lateness =
        [new("days_overdue > 0", "danger", "", new("days_overdue")), new("due_within_7_days", "attention", "soon", new("due"))];

    /// <summary>The drafted app, shaped: where it begins, the pages of one record, and what stands out.</summary>
    public static AppDefinition Shaped(AppDefinition drafted, Func<string, Dataset> dataset) => drafted with
    {
        Home = "today",
        Pages =
        [
            Today(dataset),
            Defects(drafted.Find("defects")!),
            Vessels(dataset),
            Fleet(dataset),
            drafted.Find("dockings")! with { Icon = "tools" },
            drafted.Find("fuel_logs")! with { Icon = "fuel-pump" },
            OneDefect(dataset),
            OneVessel(dataset),
        ],
    };

    // What matters this morning.
    private static Page Today(Func<string, Dataset> dataset)
    {
        var defects = dataset("defects");
        return new()
        {
            Address = "today",
            Name = "Today",
            Icon = "house",
            Panels =
            [
                new TextPanel { Name = "greeting", Text = "Good ${IF(HOUR(NOW()) < 12, \"morning\", IF(HOUR(NOW()) < 18, \"day\", \"evening\"))}, **${user.name}**. ${IF(overdue.value = 0, \"Nothing is overdue.\", IF(overdue.value = 1, \"One defect is overdue.\", overdue.value & \" defects are overdue.\"))}" },
                new FigurePanel { Name = "to_do", Heading = "To be put right", Width = 3, Dataset = defects.Id, Filter = "state <> \"closed\"" },
                new FigurePanel { Name = "overdue", Heading = "Overdue", Width = 3, Dataset = defects.Id, Filter = "days_overdue > 0", Tones = [new("value > 0", "danger", "")] },
                new FigurePanel { Name = "reported", Heading = "Reported this month", Width = 3, Dataset = defects.Id, Period = "month", When = new("reported_at"), Compares = true },
                new FigurePanel { Name = "estimated", Heading = "Estimated for what is open", Width = 3, Dataset = defects.Id, Filter = "state <> \"closed\"", Measure = "sum", Field = new("estimated_cost") },
                new TablePanel
                {
                    Name = "due",
                    Heading = "Overdue, and due within seven days",
                    Width = 8,
                    NewRow = true,
                    Dataset = defects.Id,
                    Filter = "OR(days_overdue > 0, due_within_7_days)",
                    Columns = [new("title"), new("vessel"), new("severity"), new("due"), new("days_overdue")],
                    Widths = ImmutableDictionary<string, string>.Empty.Add("title", "30"),
                    Sort = [new SortBy(new("due"))],
                    Tones = Lateness,
                    PageSize = 12,
                    OnChoice = ListPanel.ToPage,
                    ChoicePage = "defect",
                    Filterable = false,
                    AddsRecords = false,
                },
                new SectionPanel
                {
                    Name = "beside",
                    Width = 4,
                    Panels =
                    [
                        new LinksPanel
                        {
                            Name = "ways",
                            Heading = "Go to",
                            Width = 12,
                            Links =
                            [
                                new NamedAction("All defects", new PanelAction([new OpenPage { Page = "defects" }], [])) { Icon = "clipboard-check" },
                                new NamedAction("The fleet at a glance", new PanelAction([new OpenPage { Page = "fleet" }], [])) { Icon = "life-preserver" },
                                new NamedAction("Fuel", new PanelAction([new OpenPage { Page = "fuel_logs" }], [])) { Icon = "fuel-pump" },
                            ],
                        },
                        new CardsPanel
                        {
                            Name = "mine",
                            Heading = "Reported by you, and open",
                            Width = 12,
                            Layout = "list",
                            Dataset = defects.Id,
                            Filter = "AND(reported_by = user.name, state <> \"closed\")",
                            Subtitle = "=TITLE(vessel) & \", \" & LABEL(state)",
                            Sort = [new SortBy(new("reported_at"), Descending: true)],
                            PageSize = 5,
                            OnChoice = ListPanel.ToPage,
                            ChoicePage = "defect",
                            Searchable = false,
                            AddsRecords = false,
                            Vanishes = true,
                        },
                        new TablePanel
                        {
                            Name = "in_dock",
                            Heading = "In dock",
                            Width = 12,
                            Dataset = dataset("dockings").Id,
                            Filter = "AND(NOT(ISEMPTY(actual_start)), ISEMPTY(actual_end))",
                            Columns = [new("vessel"), new("planned_end"), new("percent_done")],
                            Sort = [new SortBy(new("planned_end"))],
                            Tones = [new("planned_end < TODAY()", "danger", "late", new("planned_end"))],
                            PageSize = 5,
                            OnChoice = ListPanel.Nothing,
                            Searchable = false,
                            Filterable = false,
                            AddsRecords = false,
                            Vanishes = true,
                        },
                    ],
                },
            ],
        };
    }

    private static Page Defects(Page drafted) => drafted with
    {
        Icon = "clipboard-check",
        Panels =
        [
            (TablePanel)drafted.Panels[0] with
            {
                Checkable = true,
                Tones = Lateness,
                Totals = ImmutableDictionary<string, string>.Empty.Add("estimated_cost", "sum"),
                RowActions =
                [
                    new NamedAction("Its page", new PanelAction([new OpenPage { Page = "defect", Parameters = ImmutableDictionary<string, string>.Empty.Add("defect", "=record") }], [])) { Icon = "arrow-right", InMenu = true },
                    new NamedAction("Take it on", new PanelAction([new UpdateRecord { Dataset = ((TablePanel)drafted.Panels[0]).Dataset, Values = ImmutableDictionary<string, string>.Empty.Add("state", "in work") }], [])) { Icon = "tools", InMenu = true, Enabled = "=state = \"open\"", Because = "Only an open defect can be taken on." },
                ],
            },
        ],
    };

    private static Page Vessels(Func<string, Dataset> dataset) => new()
    {
        Address = "vessels",
        Name = "Vessels",
        Icon = "life-preserver",
        Panels =
        [
            new CardsPanel
            {
                Name = "vessels",
                Dataset = dataset("vessels").Id,
                Layout = "gallery",
                Picture = new("picture"),
                Subtitle = "=class & \", \" & TITLE(home_port)",
                Fields = [new("state"), new("open_defects"), new("open_cost")],
                SheetFields = AppDrafting.Visible(dataset("vessels")),
                Sort = [new SortBy(new("name"))],
                PageSize = 24,
                OnChoice = ListPanel.ToPage,
                ChoicePage = "vessel",
                Nested = [new NestedList("defects", dataset("defects").Id, [new("severity")], "state <> \"closed\"", 3, [])],
            },
        ],
    };

    // All there is to know of one defect, and what is done about it.
    private static Page OneDefect(Func<string, Dataset> dataset)
    {
        var defects = dataset("defects").Id;
        return new()
        {
            Address = "defect",
            Name = "Defect",
            Unlisted = true,
            Parameters = [new PageParameter("defect", new FieldType.Text(), defects)],
            Panels =
            [
                new RecordPanel
                {
                    Name = "defect",
                    Width = 7,
                    Dataset = defects,
                    Record = "parameters.defect",
                    Picture = new("photo"),
                    Subtitle = "=TITLE(vessel) & \", reported by \" & reported_by",
                    Fields = [new("severity"), new("state"), new("reported_at"), new("due"), new("days_overdue"), new("estimated_cost"), new("actual_cost"), new("description")],
                    RecordActions =
                    [
                        new NamedAction("Close it", new PanelAction([new UpdateRecord { Dataset = defects, Values = ImmutableDictionary<string, string>.Empty.Add("state", "closed") }, new ShowMessage { Text = "=\"Closed: \" & title" }], []))
                            { Icon = "check-lg", Asks = "=\"Is “\" & title & \"” put right?\"", Enabled = "=state <> \"closed\"", Because = "It is closed already." },
                        new NamedAction("Write to the yard", new PanelAction([new WriteEmail { To = "yard@brackwater.example", Subject = "=TITLE(vessel) & \": \" & title", Body = "Good day,\n\nplease look at “${title}” on ${TITLE(vessel)}. It is ${LABEL(severity)}, and due on ${due}.\n\n${user.name}" }], [])) { Icon = "envelope" },
                        new NamedAction("Copy what it is", new PanelAction([new CopyText { Text = "=TITLE(vessel) & \": \" & title & IF(ISEMPTY(due), \"\", \" (due \" & TEXT(due, \"D MMM YYYY\") & \")\")" }], [])) { Icon = "copy", InMenu = true },
                        new NamedAction("Delete it", new PanelAction([new DeleteRecord { Dataset = defects }, new OpenPage { Page = "defects" }], [])) { Icon = "trash", InMenu = true, Asks = "=\"Shall “\" & title & \"” be deleted?\"" },
                    ],
                },
                new TabsPanel
                {
                    Name = "more",
                    Width = 5,
                    Panels =
                    [
                        new FormPanel
                        {
                            Name = "change",
                            Heading = "Change",
                            Width = 12,
                            Dataset = defects,
                            Record = "parameters.defect",
                            Fields = [new("title"), new("severity"), new("state"), new("due"), new("estimated_cost"), new("actual_cost")],
                        },
                        new ImagePanel { Name = "photo", Heading = "Photo", Width = 12, Dataset = defects, Record = "parameters.defect", Picture = new("photo"), Caption = "=parameters.defect.title" },
                        new SectionPanel
                        {
                            Name = "its_vessel",
                            Heading = "Vessel",
                            Width = 12,
                            Panels = [new RecordPanel { Name = "vessel", Width = 12, Dataset = dataset("vessels").Id, Record = "parameters.defect.vessel", Picture = new("picture"), Subtitle = "=class", Fields = [new("hull_number"), new("home_port"), new("state"), new("built"), new("passenger_capacity"), new("car_capacity")] }],
                        },
                    ],
                },
                new TablePanel
                {
                    Name = "dockings",
                    Heading = "=\"Dockings of \" & parameters.defect.vessel.name",
                    Width = 6,
                    NewRow = true,
                    Dataset = dataset("dockings").Id,
                    Within = "parameters.defect.vessel.dockings",
                    Columns = [new("yard"), new("planned_start"), new("planned_end"), new("percent_done")],
                    Sort = [new SortBy(new("planned_start"), Descending: true)],
                    PageSize = 6,
                    OnChoice = ListPanel.Nothing,
                    Searchable = false,
                    Filterable = false,
                    AddsRecords = false,
                    Vanishes = true,
                },
                new TablePanel
                {
                    Name = "others",
                    Heading = "=\"What else is open on \" & parameters.defect.vessel.name",
                    Width = 6,
                    Dataset = defects,
                    Within = "parameters.defect.vessel.defects",
                    Filter = "AND(state <> \"closed\", id <> parameters.defect.id)",
                    Columns = [new("title"), new("severity"), new("due")],
                    Sort = [new SortBy(new("due"))],
                    Tones = [new("days_overdue > 0", "danger", "overdue", new("due"))],
                    PageSize = 6,
                    OnChoice = ListPanel.ToPage,
                    ChoicePage = "defect",
                    Searchable = false,
                    Filterable = false,
                    AddsRecords = false,
                    Vanishes = true,
                },
            ],
        };
    }

    private static Page OneVessel(Func<string, Dataset> dataset) => new()
    {
        Address = "vessel",
        Name = "Vessel",
        Unlisted = true,
        Parameters = [new PageParameter("vessel", new FieldType.Text(), dataset("vessels").Id)],
        Panels =
        [
            new RecordPanel
            {
                Name = "vessel",
                Width = 8,
                Dataset = dataset("vessels").Id,
                Record = "parameters.vessel",
                Subtitle = "=class & \", at home in \" & TITLE(home_port)",
                Fields = [new("hull_number"), new("state"), new("built"), new("passenger_capacity"), new("car_capacity"), new("open_defects"), new("open_cost")],
            },
            new ImagePanel { Name = "picture", Width = 4, Dataset = dataset("vessels").Id, Record = "parameters.vessel", Picture = new("picture"), Size = "small" },
            new TablePanel
            {
                Name = "defects",
                Heading = "Open defects",
                Width = 7,
                NewRow = true,
                Dataset = dataset("defects").Id,
                Within = "parameters.vessel.defects",
                Filter = "state <> \"closed\"",
                Columns = [new("title"), new("severity"), new("due"), new("estimated_cost")],
                SheetFields = AppDrafting.Visible(dataset("defects")),
                Totals = ImmutableDictionary<string, string>.Empty.Add("estimated_cost", "sum"),
                Sort = [new SortBy(new("due"))],
                Tones = [new("days_overdue > 0", "danger", "overdue", new("due"))],
                OnChoice = ListPanel.ToPage,
                ChoicePage = "defect",
                PageSize = 12,
                Filterable = false,
            },
            new TablePanel
            {
                Name = "dockings",
                Heading = "Dockings",
                Width = 5,
                Dataset = dataset("dockings").Id,
                Within = "parameters.vessel.dockings",
                Columns = [new("yard"), new("planned_start"), new("planned_end"), new("percent_done")],
                SheetFields = AppDrafting.Visible(dataset("dockings")),
                Sort = [new SortBy(new("planned_start"), Descending: true)],
                PageSize = 12,
                Filterable = false,
                Searchable = false,
                Vanishes = true,
            },
        ],
    };

    /// <summary>The fleet at a glance: choose a vessel, see it and its defects, report another.</summary>
    private static Page Fleet(Func<string, Dataset> dataset) => new()
    {
        Address = "fleet",
        Name = "Fleet",
        Icon = "clipboard-check",
        Panels =
        [
            new TextPanel { Name = "greeting", Width = 6, Text = "Good day, **${user.name}**. ${IF(ISEMPTY(vessels.selected), \"Choose a vessel to see how it is.\", vessels.selected.name & \" has \" & open_defects.value & IF(open_defects.value = 1, \" defect\", \" defects\") & \" to be put right.\")}" },
            new FigurePanel { Name = "open_defects", Heading = "To be put right", Width = 3, Dataset = dataset("defects").Id, Filter = "AND(state <> \"closed\", OR(ISEMPTY(vessels.selected), vessel = vessels.selected))" },
            new FigurePanel { Name = "open_cost", Heading = "Estimated for that", Width = 3, Dataset = dataset("defects").Id, Measure = "sum", Field = new("estimated_cost"), Filter = "AND(state <> \"closed\", OR(ISEMPTY(vessels.selected), vessel = vessels.selected))" },
            new TablePanel
            {
                Name = "vessels",
                Width = 5,
                NewRow = true,
                Dataset = dataset("vessels").Id,
                Columns = [new("name"), new("state"), new("open_defects")],
                SheetFields = AppDrafting.Visible(dataset("vessels")),
                Sort = [new SortBy(new("name"))],
                OnChoice = TablePanel.Selecting,
                Filterable = false,
                AddsRecords = false,
            },
            new SectionPanel
            {
                Name = "details",
                Width = 7,
                Visible = "=NOT(ISEMPTY(vessels.selected))",
                Panels =
                [
                    new RecordPanel { Name = "vessel", Dataset = dataset("vessels").Id, Record = "vessels.selected", Fields = [new("hull_number"), new("class"), new("home_port"), new("built"), new("passenger_capacity"), new("car_capacity")] },
                    new ButtonPanel { Name = "report", Width = 4, Main = true, Words = "Report a defect", OnClick = new PanelAction([new OpenPanel { Panel = "report_sheet" }], []) },
                ],
            },
            new TablePanel
            {
                Name = "defects",
                Heading = "=\"Defects of \" & vessels.selected.name",
                NewRow = true,
                Visible = "=NOT(ISEMPTY(vessels.selected))",
                Dataset = dataset("defects").Id,
                Within = "vessels.selected.defects",
                Filter = "state <> \"closed\"",
                Columns = [new("title"), new("severity"), new("state"), new("due"), new("days_overdue"), new("estimated_cost")],
                SheetFields = AppDrafting.Visible(dataset("defects")),
                Sort = [new SortBy(new("due"))],
                PageSize = 10,
                AddsRecords = false,
            },
            new SheetPanel
            {
                Name = "report_sheet",
                Heading = "=\"A defect of \" & vessels.selected.name",
                Panels =
                [
                    new FormPanel
                    {
                        Name = "new_defect",
                        Heading = "What is wrong?",
                        Dataset = dataset("defects").Id,
                        Fields = [new("title"), new("description"), new("severity"), new("due")],
                        Defaults = ImmutableDictionary<string, string>.Empty.Add("severity", "minor").Add("due", "=TODAY() + 14"),
                        HiddenValues = ImmutableDictionary<string, string>.Empty.Add("vessel", "=vessels.selected").Add("reported_by", "=user.name"),
                        Help = ImmutableDictionary<string, string>.Empty.Add("severity", "**Critical** is what keeps a vessel in port."),
                        AfterSave = new PanelAction([new ClosePanels()], []),
                    },
                ],
            },
        ],
    };
}
