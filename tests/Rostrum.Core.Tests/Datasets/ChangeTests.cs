using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Datasets;

public sealed class ChangeTests
{
    private static readonly Dataset Defects = Samples.Dataset(
        "defects",
        [
            Samples.Field("id", new FieldType.Integer()) with
            {
                Required = true,
                HasDefault = true,
                Generation = ColumnGeneration.IdentityByDefault,
            },
            Samples.Field("title", new FieldType.Text(10)) with
            {
                Required = true,
            },
            Samples.Field("cost", new FieldType.Number(6, 2)),
            Samples.Field("crew", new FieldType.Integer(0, 100)),
            Samples.Field("state", new FieldType.Choice(["open", "closed"])) with
            {
                Required = true,
                HasDefault = true,
            },
            Samples.Field("photo", new FieldType.Image()),
        ]
    );

    private static FieldValues Values(params (string Field, object? Value)[] values) =>
        new(values.Select(value => KeyValuePair.Create(new FieldName(value.Field), value.Value)));

    public static TheoryData<string, object?, string?> Judged =>
        new()
        {
            { "title", "short", null },
            { "title", "exactly 10", null },
            { "title", "more than ten", "This is 13 characters long; 10 fit." },
            { "title", "🚢🚢🚢🚢🚢🚢🚢🚢🚢🚢", null },
            { "title", null, "This cannot be left blank." },
            { "cost", 1234.56m, null },
            { "cost", 1234.567m, "This has room for 2 decimal places." },
            { "cost", 12345m, "This has room for 4 digits before the point." },
            { "cost", -9999.99m, null },
            { "cost", null, null },
            { "crew", 101L, "This must lie between 0 and 100." },
            { "state", "gone", "“gone” is not one of the choices." },
            { "state", "open", null },
        };

    [Theory]
    [MemberData(nameof(Judged))]
    public void A_value_fits_its_field_or_says_why_not(string field, object? value, string? problem) =>
        Assert.Equal(problem, ChangeChecks.Problem(Defects[new(field)], value));

    [Fact]
    public void A_new_record_needs_what_is_required_and_has_no_default()
    {
        var problem = Assert.Single(ChangeChecks.Problems(Defects, new Change.Insert(Values(("cost", 1m)))));
        Assert.Equal(new FieldProblem(new("title"), "This cannot be left blank."), problem);
    }

    [Theory]
    [InlineData("id")]
    [InlineData("no_such_field")]
    public void What_cannot_be_edited_is_refused_however_it_is_sent(string field) =>
        Assert.Single(ChangeChecks.Problems(Defects, new Change.Update(new RecordKey([1L]), FieldValues.None, Values((field, 1L)))));

    [Fact]
    public void A_kept_change_is_read_back_with_every_value()
    {
        Change[] changes =
        [
            new Change.Insert(Values(("title", "a \"b\" <c>"), ("cost", 0.10m), ("state", null))),
            new Change.Update(new RecordKey([7L]), Values(("cost", null)), Values(("cost", 1.50m), ("title", ""))),
            new Change.Delete(new RecordKey([7L]), Values(("title", "x"))),
            new Change.Restore(Values(("id", 7L), ("photo", new byte[] { 0, 1, 255 }))),
        ];
        foreach (var change in changes)
        {
            Assert.Equal(change, ChangeText.Read(Defects, ChangeText.Write(Defects, change)));
        }
    }

    [Fact]
    public void A_kept_change_of_a_field_that_is_gone_cannot_be_read()
    {
        var text = ChangeText.Write(Defects, new Change.Insert(Values(("crew", 3L))));
        Assert.Null(ChangeText.Read(Defects with { Fields = Defects.Fields.RemoveAll(field => field.Name.Value == "crew") }, text));
    }
}
