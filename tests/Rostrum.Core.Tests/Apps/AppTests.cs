using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Tests.Datasets;

namespace Rostrum.Core.Tests.Apps;

public sealed class AppTests
{
    private static readonly Dataset Vessels = Samples.Dataset(
        "vessels",
        [Samples.Field("name", new FieldType.Text(40)), Samples.Field("picture", new FieldType.Image())]
    );

    private static readonly Dataset Defects = Samples.Dataset(
        "defects",
        [
            Samples.Field("id", new FieldType.Integer()) with
            {
                Hidden = true,
            },
            Samples.Field("vessel", new FieldType.Text(8)),
            Samples.Field("title", new FieldType.Text(99)),
            Samples.Field("story", new FieldType.Text(null, Long: true)),
            Samples.Field("at", new FieldType.Instant()) with
            {
                Required = true,
            },
        ]
    ) with
    {
        Title = [FieldPath.Of(new("title"))],
        Relations =
        [
            new Relation
            {
                Name = new("vessel"),
                Label = "Vessel",
                Field = new("vessel"),
                Target = Vessels.Id,
                TargetField = new("name"),
                InverseName = new("defects"),
                InverseLabel = "Defects",
                Because = "declared",
            },
        ],
    };

    private static readonly AppDefinition App = AppDrafting.Draft(
        "Upkeep",
        [Defects],
        ["builder"],
        new DatasetCatalogue([Defects]),
        RecordOpening.Sheet
    );

    private static TablePanel Table => App.Pages[0].Panels.OfType<TablePanel>().Single();

    [Fact]
    public void A_drafted_list_begins_with_the_title_and_leaves_out_what_does_not_fit_a_line()
    {
        Assert.Equal(["title", "vessel", "at"], Table.Columns.Select(column => column.Value));
        Assert.Equal(["vessel", "title", "story", "at"], Table.SheetFields.Select(field => field.Value));
    }

    [Fact]
    public void What_happens_is_listed_from_the_newest() =>
        Assert.Equal(new SortBy(new("at"), Descending: true), Assert.Single(Table.Sort));

    [Fact]
    public void A_page_is_for_the_roles_of_its_audience_and_for_no_others()
    {
        Assert.True(App.Pages[0].IsFor(ImmutableHashSet.Create("builder", "x")));
        Assert.False(App.Pages[0].IsFor(ImmutableHashSet.Create("x")));
        Assert.False((App.Pages[0] with { Audience = [] }).IsFor(ImmutableHashSet.Create("builder")));
    }

    [Fact]
    public void Publishing_freezes_the_datasets_to_which_relations_lead() =>
        Assert.Equal(
            [Defects.Id, Vessels.Id],
            FrozenApp
                .Of(App, new DatasetCatalogue([Defects, Vessels, Samples.Dataset("others", [Samples.Field("x", new FieldType.Text())])]))
                .Datasets.Select(dataset => dataset.Id)
        );

    [Fact]
    public void A_document_is_read_back_as_it_was_written()
    {
        var frozen = FrozenApp.Of(App, new DatasetCatalogue([Defects, Vessels]));
        var text = JsonSerializer.Serialize(frozen, KindJson.Options);
        Assert.Equal(text, JsonSerializer.Serialize(JsonSerializer.Deserialize<FrozenApp>(text, KindJson.Options), KindJson.Options));
        Assert.Contains("\"kind\":\"tablePanel\"", text, StringComparison.Ordinal);
    }
}
