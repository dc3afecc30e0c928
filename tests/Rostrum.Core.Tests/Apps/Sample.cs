using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Tests.Datasets;
using Rostrum.Core.Visuals;

namespace Rostrum.Core.Tests.Apps;

/// <summary>An app with a panel of every kind, and the datasets under it.</summary>
internal static class Sample
{
    public static readonly Dataset Vessels = Samples.Dataset(
        "vessels",
        [
            Samples.Field("id", new FieldType.Integer()),
            Samples.Field("name", new FieldType.Text(40)),
            Samples.Field("seats", new FieldType.Integer()),
            Samples.Field("plan", new FieldType.Image()),
        ]
    ) with
    {
        RecordLabel = "vessel",
        Key = [new("id")],
        Title = [FieldPath.Of(new("name"))],
    };

    public static readonly Dataset Defects = Samples.Dataset(
        "defects",
        [
            Samples.Field("id", new FieldType.Integer()),
            Samples.Field("vessel", new FieldType.Integer()),
            Samples.Field("title", new FieldType.Text(99)),
            Samples.Field("cost", new FieldType.Number()),
            Samples.Field("due", new FieldType.Date()),
            Samples.Field("state", new FieldType.Choice(["open", "closed"])),
        ]
    ) with
    {
        Source = Vessels.Source,
        RecordLabel = "defect",
        Key = [new("id")],
        Title = [FieldPath.Of(new("title"))],
        Relations =
        [
            new Relation
            {
                Name = new("vessel"),
                Label = "Vessel",
                Field = new("vessel"),
                Target = Vessels.Id,
                TargetField = new("id"),
                InverseName = new("defects"),
                InverseLabel = "Defects",
                Because = "declared",
            },
        ],
    };

    public static readonly DatasetCatalogue Catalogue = new([Vessels, Defects]);

    public static readonly Page Fleet = new()
    {
        Address = "fleet",
        Name = "Fleet",
        Audience = ["builder"],
        Parameters = [new PageParameter("since", new FieldType.Date())],
        Panels =
        [
            new InputPanel { Name = "words", Width = 4 },
            new InputPanel
            {
                Name = "period",
                Type = EntryType.Dates,
                Width = 4,
            },
            new TablePanel
            {
                Name = "ships",
                Dataset = Vessels.Id,
                Columns = [new("name"), new("seats")],
                OnChoice = RowChoice.Select,
                Filter = "OR(ISEMPTY(words.value), CONTAINS(name, words.value))",
                Width = 6,
            },
            new SectionPanel
            {
                Name = "details",
                Visible = "=NOT(ISEMPTY(ships.selected))",
                Panels =
                [
                    new RecordPanel
                    {
                        Name = "ship",
                        Dataset = Vessels.Id,
                        Record = "ships.selected",
                        Fields = [new("name")],
                    },
                    new TablePanel
                    {
                        Name = "faults",
                        Dataset = Defects.Id,
                        Columns = [new("title"), new("cost")],
                        RelatedTo = "ships.selected.defects",
                        Filter = "AND(due >= period.from, due <= period.to)",
                        Computed = [new PanelColumn(new("dear"), "Dear", "cost > 100")],
                    },
                    new FigurePanel
                    {
                        Name = "costs",
                        Dataset = Defects.Id,
                        RelatedTo = "ship.record.defects",
                        Measure = Total.Sum,
                        Field = new("cost"),
                    },
                    new TextPanel
                    {
                        Name = "words_of_it",
                        Text = "# ${ship.record.name}\n\nIt costs ${costs.value}, since ${parameters.since}. $${not a formula}",
                    },
                ],
            },
            new ButtonPanel
            {
                Name = "report",
                Label = "=\"Report on \" & ships.selected.name",
                Enabled = "=costs.value < 1000",
                OnClick = new PanelAction(
                    [
                        new CreateRecord
                        {
                            Name = "made",
                            Dataset = Defects.Id,
                            Values = ImmutableDictionary<string, string>
                                .Empty.Add("title", "=\"Look at \" & ships.selected.name")
                                .Add("vessel", "=ships.selected")
                                .Add("state", "open"),
                        },
                        new UpdateRecord
                        {
                            Name = "changed",
                            Dataset = Defects.Id,
                            Record = "made",
                            Values = ImmutableDictionary<string, string>.Empty.Add("cost", "=made.cost + 1"),
                        },
                        new SetInput { Input = "words", Value = "=ships.selected.name" },
                        new OpenPanel { Panel = "asking" },
                        new OpenPage
                        {
                            Page = "other",
                            Parameters = ImmutableDictionary<string, string>.Empty.Add("vessel", "=ships.selected"),
                        },
                    ],
                    [new ShowMessage { Text = "=\"Not done: \" & failure.message" }]
                ),
            },
            new DialogPanel
            {
                Name = "asking",
                Panels =
                [
                    new FormPanel
                    {
                        Name = "new_defect",
                        Dataset = Defects.Id,
                        Fields = [new("title"), new("cost")],
                        Defaults = ImmutableDictionary<string, string>.Empty.Add("cost", "=ships.selected.seats * 2"),
                        HiddenValues = ImmutableDictionary<string, string>.Empty.Add("vessel", "=ships.selected"),
                    },
                ],
            },
        ],
    };

    /// <summary>A page with the panels and settings that the other has not.</summary>
    public static readonly Page More = new()
    {
        Address = "more",
        Name = "More",
        Audience = ["builder"],
        Parameters = [new PageParameter("ship", new FieldType.Text(), Vessels.Id)],
        Panels =
        [
            new TabsPanel
            {
                Name = "parts",
                Panels =
                [
                    new ImagePanel
                    {
                        Name = "picture",
                        Dataset = Vessels.Id,
                        Record = "parameters.ship",
                        Picture = new("plan"),
                        Caption = "=parameters.ship.name",
                    },
                    new LogbookPanel
                    {
                        Name = "log",
                        Dataset = Vessels.Id,
                        Record = "parameters.ship",
                    },
                    new EmbedPanel { Name = "chart", Address = "=\"https://charts.example/\" & parameters.ship.id" },
                ],
            },
            new CardsPanel
            {
                Name = "fleet",
                Dataset = Vessels.Id,
                CardTitle = "=name & parameters.ship.name",
                Subtitle = "=seats & \" seats\"",
                Fields = [new("seats")],
                OnChoice = RowChoice.Page,
                ChoicePage = "other",
                Nested = [new NestedList("defects", Defects.Id, [new("cost")], "AND(state = \"open\", vessel = parameters.ship)", 3, [])],
                RowActions =
                [
                    new NamedAction(
                        "Mail",
                        new PanelAction(
                            [
                                new WriteEmail
                                {
                                    To = "yard@example.org",
                                    Subject = "=name",
                                    Body = "About ${name}, by ${user.name}",
                                },
                            ],
                            []
                        )
                    )
                    {
                        Visible = "=seats > 1",
                        Enabled = "=name <> parameters.ship.name",
                        DisabledReason = "=\"It is \" & name",
                        Confirmation = "=\"Write about \" & name & \"?\"",
                        Icon = "envelope",
                        InMenu = true,
                    },
                ],
            },
            new TablePanel
            {
                Name = "faults",
                Dataset = Defects.Id,
                Columns = [new("title"), new("cost")],
                Checkboxes = true,
                Totals = ImmutableDictionary<FieldName, Total>.Empty.Add(new("cost"), Total.Sum),
                Highlights = [new Highlight("cost > fleet.selected.seats", Tone.Danger, "dear", new("cost"))],
                CheckedActions =
                [
                    new NamedAction(
                        "Close",
                        new PanelAction(
                            [
                                new UpdateRecord
                                {
                                    Dataset = Defects.Id,
                                    Values = ImmutableDictionary<string, string>.Empty.Add("state", "closed"),
                                },
                            ],
                            []
                        )
                    ),
                ],
            },
            new FigurePanel
            {
                Name = "dear",
                Dataset = Defects.Id,
                Period = Period.Month,
                When = new("due"),
                CompareWithPrevious = true,
                Highlights = [new Highlight("value > 3", Tone.Attention, "")],
            },
            new ChartPanel
            {
                Name = "by_state",
                Dataset = Defects.Id,
                Filter = "cost > parameters.ship.seats",
                Type = ChartType.BarsAndLine,
                By = new("due"),
                ByGrouping = Grouping.Month,
                SecondMeasure = Total.Average,
                SecondField = new("cost"),
                Target = "=10 * 2",
                Stacking = Stacking.Stacked,
            },
            new SummaryPanel
            {
                Name = "sums",
                Dataset = Defects.Id,
                Rows = new("state"),
                Columns = new("due"),
                ColumnsGrouping = Grouping.Year,
                Measure = Total.Sum,
                Field = new("cost"),
            },
            new BoardPanel
            {
                Name = "board",
                Dataset = Defects.Id,
                By = new("state"),
                Limits = "open: 3",
                CardTitle = "=title & parameters.ship.name",
                Fields = [new("cost")],
            },
            new CalendarPanel
            {
                Name = "days",
                Dataset = Defects.Id,
                Start = new("due"),
                EventTitle = "=title",
            },
            new TimelinePanel
            {
                Name = "line",
                Dataset = Defects.Id,
                Start = new("due"),
                Progress = new("cost"),
                Lanes = new("vessel"),
            },
            new LinksPanel
            {
                Name = "ways",
                Links =
                [
                    new NamedAction("The chart", new PanelAction([new OpenAddress { Address = "https://charts.example/" }], [])),
                    new NamedAction(
                        "Of these",
                        new PanelAction([new CopyText { Text = "=COUNT(faults.checked)" }, new DownloadTable { Table = "faults" }], [])
                    ),
                ],
            },
        ],
    };

    public static readonly AppDefinition App = new(
        "Upkeep",
        [
            Fleet,
            new Page
            {
                Address = "other",
                Name = "Other",
                Audience = ["builder"],
                Parameters = [new PageParameter("vessel", new FieldType.Text(), Vessels.Id)],
                Panels =
                [
                    new TablePanel
                    {
                        Name = "defects",
                        Dataset = Defects.Id,
                        Columns = [new("title")],
                        Filter = "vessel = parameters.vessel",
                    },
                ],
            },
            More,
        ]
    );

    public static readonly SignedIn Anybody = new("", null, []);

    public static PageScope Scope(Page? page = null) =>
        PageScope.Of(page ?? Fleet, Catalogue, DatasetShapes.Of(Catalogue, Grants.ViewEverything), Anybody);
}
