using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.WebUtilities;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live;
using Rostrum.Web.Live.Panels.Table;
using Rostrum.Web.Live.Sheet;
using Record = Rostrum.Core.Datasets.Record;

namespace Rostrum.Web.Tests;

internal static class Defects
{
    private static Field Field(string name, FieldType type, bool required = false) =>
        new()
        {
            Name = new(name),
            Column = name,
            NativeType = "text",
            Label = name,
            Type = type,
            Required = required,
        };

    public static readonly Dataset Dataset = new()
    {
        Id = new DatasetId(Guid.NewGuid()),
        Source = new SourceId(Guid.NewGuid()),
        Table = new TableName("public", "defects"),
        Name = new("defects"),
        Label = "Defects",
        RecordLabel = "defect",
        Fields =
        [
            Field("id", new FieldType.Integer()) with
            {
                Generation = ColumnGeneration.IdentityAlways,
                HasDefault = true,
            },
            Field("title", new FieldType.Text(40), required: true),
            Field("cost", new FieldType.Number(8, 2)),
            Field("due", new FieldType.Date()),
            Field("at", new FieldType.Instant()),
            Field("local", new FieldType.LocalDateTime()),
            Field("state", new FieldType.Choice(["open", "closed"])),
            Field("story", new FieldType.Text(null, Long: true)),
        ],
        Key = [new("id")],
        Title = [FieldPath.Of(new("title"))],
        TitleBecause = "a sample",
    };

    public static readonly RecordFormat Oslo = RecordFormat.For(
        CultureInfo.GetCultureInfo("en-GB"),
        TimeZoneInfo.FindSystemTimeZoneById("Europe/Oslo")
    );

    public static Record Record(string title, decimal? cost, string? story = null)
    {
        object?[] values =
        [
            1L,
            title,
            cost,
            new DateOnly(2026, 3, 1),
            new DateTimeOffset(2026, 7, 1, 10, 0, 5, TimeSpan.Zero),
            null,
            "open",
            story,
        ];
        return new Record(new RecordLayout(Dataset.Fields.Select(field => field.Name), []), new RecordKey([1L]), values, title, []);
    }

    public static RecordForm Form(Record record, Grant? grant = null) =>
        RecordForm.Of(Dataset, Dataset.Fields.Select(field => field.Name), grant ?? Grant.Everything, record, Oslo, null);

    public static FormCollection Posted(RecordForm form, params (string Field, string Text)[] typed)
    {
        var fields = form
            .Fields.Where(field => field.ReadOnlyBecause is null)
            .ToDictionary(field => field.InputName, field => new Microsoft.Extensions.Primitives.StringValues(field.Text));
        foreach (var field in form.Fields.Where(field => field.Original is not null))
        {
            fields[$"o.{field.Field.Name}"] = field.Original;
        }

        foreach (var (field, text) in typed)
        {
            fields[$"v.{field}"] = text;
        }

        return new FormCollection(fields);
    }
}

public sealed class ListStateTests
{
    private static ListState Read(string query) => PageAddress.ReadList(query);

    private static string Written(ListState state) => PageAddress.Write(state);

    [Theory]
    [InlineData("")]
    [InlineData(
        "?q=pump%20%26%20door&is.state=open&is.state=closed&from.due=2026-01-01&to.cost=5"
            + "&has.title=%3Cb%3E&sort=-due&page=3&after=abc&selected=1~2"
    )]
    [InlineData("?is.state=~blank&sort=title&new=1")]
    [InlineData("?before=xyz&page=2")]
    public void An_address_is_read_and_written_without_loss(string query)
    {
        var state = Read(query);
        Assert.Equal(Written(state), Written(Read(Written(state))));
        Assert.Equal(
            QueryHelpers.ParseQuery(query).OrderBy(pair => pair.Key),
            QueryHelpers.ParseQuery(Written(state)).OrderBy(pair => pair.Key)
        );
    }

    [Theory]
    [InlineData("?page=0&page=x&unknown=1&is.=x&.x=1&from=2&sort=")]
    [InlineData("?page=99999999999999999999")]
    public void What_means_nothing_is_left_out(string query) => Assert.Equal("", Written(Read(query)));

    [Fact]
    public void What_is_left_out_and_what_it_is_ordered_by_stand_in_the_address()
    {
        var state = Read("?not.title=Pump&not.title=~blank&sort=-due,title,-due");
        Assert.Equal(
            [("not.title", "Pump|~blank"), ("sort", "-due,title")],
            state.Parts().Select(part => (part.Name, string.Join('|', part.Values)))
        );
        var (filter, ignored) = Conditions.Read(Defects.Dataset, state, Defects.Oslo);
        Assert.Empty(ignored);
        var not = Assert.IsType<Filter.Not>(Assert.Single(Assert.IsType<Filter.And>(filter).Parts));
        Assert.Equal(new object?[] { "Pump", null }, Assert.IsType<Filter.OneOf>(not.Part).Values.ToArray());
    }

    [Fact]
    public void Narrowing_begins_at_the_first_page()
    {
        var narrowed = Read("?page=7&after=abc&q=x").With("state", FieldCondition.None with { Values = ["open"] });
        Assert.Equal("?q=x&is.state=open", Written(narrowed));
        Assert.Equal("?q=x", Written(narrowed.With("state", FieldCondition.None)));
    }

    [Fact]
    public void A_day_as_a_bound_of_an_instant_is_the_workspaces_day_with_its_end()
    {
        var (filter, ignored) = Conditions.Read(Defects.Dataset, Read("?from.at=2026-07-01&to.at=2026-07-01"), Defects.Oslo);
        Assert.Empty(ignored);
        Assert.Equal(
            [
                new Filter.Compare(new("at"), Comparison.AtLeast, new DateTimeOffset(2026, 6, 30, 22, 0, 0, TimeSpan.Zero)),
                new Filter.Compare(new("at"), Comparison.Less, new DateTimeOffset(2026, 7, 1, 22, 0, 0, TimeSpan.Zero)),
            ],
            Assert.IsType<Filter.And>(filter).Parts.AsEnumerable()
        );
    }

    [Fact]
    public void A_bound_of_a_time_without_a_zone_stays_without_one()
    {
        var (filter, _) = Conditions.Read(Defects.Dataset, Read("?from.local=2026-07-01"), Defects.Oslo);
        Assert.Equal(new DateTime(2026, 7, 1), Assert.IsType<Filter.Compare>(Assert.Single(Assert.IsType<Filter.And>(filter).Parts)).Value);
    }

    [Theory]
    [InlineData("?is.cost=x")]
    [InlineData("?has.cost=5")]
    [InlineData("?from.state=open")]
    [InlineData("?from.due=soon")]
    [InlineData("?to.at=9999-12-31")]
    [InlineData("?is.nothing=1")]
    public void A_condition_that_does_not_fit_its_field_is_left_out_and_named(string query)
    {
        var (filter, ignored) = Conditions.Read(Defects.Dataset, Read(query), Defects.Oslo);
        Assert.IsType<Filter.Everything>(filter);
        Assert.Single(ignored);
    }
}

public sealed class RecordFormTests
{
    [Fact]
    public void A_form_that_was_not_touched_changes_nothing_not_even_seconds_or_line_ends()
    {
        var form = Defects.Form(Defects.Record("Pump", 12.50m, "one\ntwo"));
        var typed = form.Filled(Defects.Posted(form, ("story", "one\r\ntwo"))).Read(Defects.Oslo);
        Assert.Equal(0, typed.Changed.Count);
        Assert.Empty(typed.Problems);
        Assert.Equal(12.50m, typed.Original[new("cost")]);
        Assert.False(typed.Original.Has(new("id")));
    }

    [Fact]
    public void Only_what_was_typed_is_changed()
    {
        var form = Defects.Form(Defects.Record("Pump", 12.50m));
        var typed = form.Filled(Defects.Posted(form, ("cost", ""), ("at", "2026-07-01T13:00"), ("title", "abc"))).Read(Defects.Oslo);
        Assert.Equal(["at", "cost", "title"], typed.Changed.Fields.Select(field => field.Value).Order(StringComparer.Ordinal));
        Assert.Null(typed.Changed[new("cost")]);
        Assert.Equal(new DateTimeOffset(2026, 7, 1, 11, 0, 0, TimeSpan.Zero), typed.Changed[new("at")]);
    }

    [Fact]
    public void A_field_that_may_not_be_written_is_shown_and_not_taken_from_the_form()
    {
        var grant = Grant.Everything with { Writable = new FieldSet.Only([new("title")]) };
        var form = Defects.Form(Defects.Record("Pump", 12.50m), grant);
        Assert.Equal("You may not change cost.", form.Fields.Single(field => field.Field.Name.Value == "cost").ReadOnlyBecause);
        var typed = form.Filled(Defects.Posted(form, ("cost", "99"), ("title", "Pomp"))).Read(Defects.Oslo);
        Assert.Equal(new FieldName("title"), Assert.Single(typed.Changed.Fields));
    }

    [Fact]
    public void Without_the_right_to_change_nothing_can_be_typed() =>
        Assert.All(Defects.Form(Defects.Record("Pump", null), Grant.ViewOnly).Fields, field => Assert.NotNull(field.ReadOnlyBecause));

    [Fact]
    public void After_a_conflict_each_field_keeps_what_was_typed_and_takes_what_was_not()
    {
        var form = Defects.Form(Defects.Record("Pump", 1m, "story"));
        var mine = form.Filled(Defects.Posted(form, ("title", "Mine")));
        var current = Defects.Record("Theirs", 2m, "story");
        var rebased = mine.Rebased(current, Defects.Form(current), Defects.Oslo);
        FormField Of(string name) => rebased.Fields.Single(field => field.Field.Name.Value == name);
        Assert.Equal(("Mine", "Theirs", ("Theirs", "Theirs")), (Of("title").Text, Of("title").Original, Of("title").Meanwhile));
        Assert.Equal(("2", ("2.00", "2")), (Of("cost").Text, Of("cost").Meanwhile));
        Assert.Null(Of("story").Meanwhile);
        var typed = rebased.Read(Defects.Oslo);
        Assert.Equal(new FieldName("title"), Assert.Single(typed.Changed.Fields));
        Assert.Equal("Theirs", typed.Original[new("title")]);
    }
}
