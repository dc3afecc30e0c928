using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Demo;

/// <summary>Pages of the demo that were composed and not only drafted.</summary>
internal static class DemoPages
{
    /// <summary>The fleet at a glance: choose a vessel, see it and its defects, report another.</summary>
    public static Page Fleet(Func<string, Dataset> dataset) => new()
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
