using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Datasets;

/// <summary>An index is proposed by what narrows and orders the records.</summary>
public sealed class IndexProposalTests
{
    private static readonly Dataset Defects = new()
    {
        Id = new DatasetId(Guid.NewGuid()),
        Source = new SourceId(Guid.NewGuid()),
        Table = new("public", "defects"),
        Name = new("defects"),
        Label = "Defects",
        RecordLabel = "defect",
        Fields =
        [
            Of("id", new FieldType.Integer()),
            Of("state", new FieldType.Choice(["open", "closed"])),
            Of("vessel", new FieldType.Text()),
            Of("story", new FieldType.Text(Long: true)),
            Of("reported_at", new FieldType.Instant()),
            Of("cost", new FieldType.Number()),
            Of("age", new FieldType.Integer()) with
            {
                Column = "",
                Formula = "1",
            },
        ],
        Key = [new("id")],
        Relations =
        [
            new Relation
            {
                Name = new("its_vessel"),
                Label = "Vessel",
                Field = new("vessel"),
                Target = new DatasetId(Guid.NewGuid()),
                TargetField = new("hull"),
                InverseName = new("defects"),
                InverseLabel = "Defects",
                Because = "declared",
            },
        ],
        Title = [],
        TitleBecause = "",
    };

    private static Field Of(string name, FieldType type) =>
        new()
        {
            Name = new(name),
            Column = name,
            NativeType = "",
            Label = name,
            Type = type,
        };

    private static Filter.OneOf Is(string field, string value) => new Filter.OneOf(new(field), [value]);

    public static TheoryData<Filter, Filter, string, string> Asked { get; } =
        new()
        {
            { Is("vessel", "BF-1"), new Filter.Everything(), "reported_at", "vessel reported_at" },
            { Is("vessel", "BF-1"), Is("state", "open"), "reported_at", "state vessel reported_at" },
            { new Filter.Holds("state = \"open\""), new Filter.Everything(), "cost", "state cost" },
            { new Filter.Holds("AND(state = \"open\", cost > 10)"), new Filter.Everything(), "reported_at", "state cost" },
            { new Filter.Compare(new("cost"), Comparison.AtLeast, 3m), new Filter.Everything(), "", "cost" },
            { new Filter.Holds("LEN(vessel) > 3"), new Filter.Everything(), "reported_at", "reported_at" },
            { new Filter.Not(Is("state", "open")), new Filter.Everything(), "", "" },
            { Is("story", "x"), new Filter.Everything(), "age", "" },
            { new Filter.Everything(), new Filter.Everything(), "age reported_at", "" },
            { new Filter.Everything(), new Filter.Everything(), "vessel", "" },
            { Is("vessel", "BF-1"), new Filter.Everything(), "", "vessel" },
        };

    [Theory]
    [MemberData(nameof(Asked))]
    public void Columns_follow_what_is_asked(Filter filter, Filter seen, string sorted, string columns)
    {
        var request = new ReadRequest(Defects.Id)
        {
            Filter = filter,
            Sort = [.. sorted.Split(' ', StringSplitOptions.RemoveEmptyEntries).Select(name => new SortBy(new FieldName(name)))],
        };
        Assert.Equal(columns, string.Join(' ', IndexProposal.Columns(Defects, request, seen).Select(column => column.Field.Column)));
    }
}
