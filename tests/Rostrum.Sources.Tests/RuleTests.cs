using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using static Rostrum.Sources.Tests.Gates;

namespace Rostrum.Sources.Tests;

/// <summary>Rules, defaults, computed titles and links through a table, at a real server.</summary>
public sealed class RuleTests : IAsyncLifetime
{
    private const string Schema = """
        CREATE TYPE state AS ENUM ('open', 'closed');
        CREATE TABLE ports (code char(3) PRIMARY KEY, name varchar(20) NOT NULL, closed boolean NOT NULL DEFAULT false);
        CREATE TABLE routes (code varchar(6) PRIMARY KEY, origin char(3) NOT NULL REFERENCES ports,
          destination char(3) NOT NULL REFERENCES ports, minutes int);
        CREATE TABLE changes (id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, route varchar(6) NOT NULL REFERENCES routes,
          asked_by varchar(20), reason text,
            valid_from date, valid_until date, cost numeric(8,2), state state NOT NULL DEFAULT 'open', note text);
        CREATE TABLE permits (route varchar(6) PRIMARY KEY REFERENCES routes, number varchar(9) NOT NULL);
        CREATE TABLE crew (id int PRIMARY KEY, name varchar(20) NOT NULL);
        CREATE TABLE route_crew (route varchar(6) REFERENCES routes, person int REFERENCES crew, PRIMARY KEY (route, person));
        INSERT INTO ports VALUES ('BRW', 'Brackwater', false), ('SKR', 'Skerry', true), ('NES', 'Ness', false);
        INSERT INTO routes VALUES ('R01', 'BRW', 'SKR', 30), ('R02', 'NES', 'BRW', NULL);
        INSERT INTO changes (route, asked_by, reason, valid_from) VALUES ('R01', 'Pia', 'fog', '2026-03-01');
        INSERT INTO permits VALUES ('R01', 'P-77');
        INSERT INTO crew VALUES (1, 'Maren'), (2, 'Egil'), (3, 'Tuva');
        INSERT INTO route_crew VALUES ('R01', 1), ('R01', 2), ('R02', 2);
        """;

    private static readonly SignedIn Pia = new("Pia", null, ["agent"]);

    private TestDatabase _database = null!;
    private DatasetCatalogue _catalogue = null!;
    private RecordGate _gate = null!;
    private int _names;

    private Dataset Changes => _catalogue.Named("changes");

    private Dataset Routes => _catalogue.Named("routes");

    public async Task InitializeAsync()
    {
        _database = await TestDatabase.CreateAsync(Schema);
        _catalogue = await _database.DraftAsync();
        _gate = For(_database);
    }

    public async Task DisposeAsync()
    {
        await _gate.DisposeAsync();
        await _database.DisposeAsync();
    }

    private void Alter(Dataset changed) =>
        _catalogue = new DatasetCatalogue(_catalogue.All.Select(dataset => dataset.Id == changed.Id ? changed : dataset));

    private void Demand(params Rule[] rules) => Alter(Changes with { Rules = [.. rules] });

    private Rule.Holds Must(string formula, string message, string? field = null, string? when = null, bool warns = false) =>
        new(formula)
        {
            Name = $"rule_{++_names}",
            Message = message,
            Field = field is null ? null : new FieldName(field),
            When = when,
            Warns = warns,
        };

    private static Change.Insert New(params (string Field, object? Value)[] values) => new(Values([("route", "R01"), .. values]));

    private static Change.Update First(params (string Field, object? Value)[] values) =>
        new(new RecordKey([1L]), FieldValues.None, Values(values));

    private async Task<string[]> SaidAsync(Change change, ImmutableArray<string> seen = default) =>
        await _gate.SaveAsync(
            _catalogue,
            new ChangeSet(Changes.Id, [change]) { SeenWarnings = seen.IsDefault ? [] : seen },
            All,
            CancellationToken.None
        ) switch
        {
            SaveResult.Saved => [],
            SaveResult.Invalid invalid => [.. invalid.Problems.Select(problem => $"{problem.Field}: {problem.Message}")],
            SaveResult.Warned warned => [.. warned.Problems.Select(problem => $"warning {problem.Field}: {problem.Message}")],
            var other => [other.GetType().Name],
        };

    private async Task<string[]> CheckedAsync(Change change, Grants? grants = null) =>
        [
            .. (await _gate.CheckAsync(_catalogue, Changes.Id, change, grants ?? All, CancellationToken.None))!.Value.Select(problem =>
                $"{problem.Field}: {problem.Message}"
            ),
        ];

    [Fact]
    public async Task Rules_over_fields_relations_lists_and_today_stop_a_save_and_say_so_before_it()
    {
        Demand(
            Must("valid_until >= valid_from", "It must end after it begins.", "valid_until"),
            Must("NOT(route.destination.closed)", "That port is closed.", "route"),
            Must("COUNT(route.changes) < 3", "There are enough changes for this route.", when: "state = \"open\""),
            Must("valid_from > TODAY() - 36500", "Too long ago.", "valid_from"),
            Must("MATCHES(reason, \"^[a-z]+$\")", "One word in small letters.", "reason")
        );
        Change[] wrong =
        [
            New(("valid_from", new DateOnly(2026, 3, 5)), ("valid_until", new DateOnly(2026, 3, 4)), ("reason", "Two words")),
            First(("valid_until", new DateOnly(2026, 2, 4)), ("reason", "OK")),
        ];
        string[] expected =
        [
            "valid_until: It must end after it begins.",
            "route: That port is closed.",
            "reason: One word in small letters.",
        ];
        foreach (var change in wrong)
        {
            Assert.Equal(expected, await CheckedAsync(change));
            Assert.Equal(expected, await SaidAsync(change));
        }

        Assert.Equal(1, await _database.ScalarAsync<long>("SELECT count(*) FROM changes WHERE reason = 'fog' AND valid_until IS NULL"));
        await _database.RunAsync("UPDATE ports SET closed = false");
        Assert.Empty(await SaidAsync(New(("reason", "wind"))));
        Assert.Empty(await SaidAsync(New(("reason", null))));
        Assert.Equal([": There are enough changes for this route."], await SaidAsync(New()));
        Assert.Empty(await SaidAsync(New(("state", "closed"))));
    }

    [Fact]
    public async Task A_warning_is_saved_by_whoever_has_seen_it()
    {
        Demand(Must("cost <= 1000", "That is a lot.", "cost", warns: true));
        Assert.Equal(["warning cost: That is a lot."], await SaidAsync(First(("cost", 2000m))));
        Assert.Empty(await SaidAsync(First(("cost", 2000m)), ["That is a lot."]));
        Assert.Equal(2000m, await _database.ScalarAsync<decimal>("SELECT cost FROM changes WHERE id = 1"));
    }

    [Fact]
    public async Task What_must_be_different_is_so_for_two_who_save_at_the_same_time()
    {
        Demand(
            new Rule.Unique([new("route"), new("note")])
            {
                Name = "once",
                Message = "This note is there already.",
                Field = new("note"),
            }
        );
        Assert.Empty(await SaidAsync(First(("note", "x"))));
        Assert.Empty(await SaidAsync(First(("note", "x"), ("reason", "again"))));
        Assert.Equal(["note: This note is there already."], await SaidAsync(New(("note", "x"))));
        Assert.Empty(await SaidAsync(New(("note", null))));
        Assert.Empty(await SaidAsync(New(("note", null))));
        var said = await Task.WhenAll(Enumerable.Range(0, 8).Select(_ => SaidAsync(New(("note", "y")))));
        Assert.Single(said, problems => problems.Length == 0);
        Assert.Equal(1, await _database.ScalarAsync<long>("SELECT count(*) FROM changes WHERE note = 'y'"));
    }

    [Fact]
    public async Task A_rule_with_an_error_lets_nothing_be_saved_and_says_which()
    {
        Demand(Must("valid_frm > TODAY()", "Begins later."));
        Assert.Equal(
            [": The rule “Begins later.” cannot be checked, so nothing can be saved. Tell a builder."],
            await SaidAsync(First(("reason", "x")))
        );
    }

    [Fact]
    public async Task A_check_says_nothing_of_records_that_are_not_there_for_a_person()
    {
        Demand(Must("reason <> \"fog\"", "Not in fog.", "reason"));
        var grants = Grants.Of(
            new HashSet<string> { "agent" },
            [Policy.On("agent", Changes.Id, Verbs.View | Verbs.Update) with { Condition = new Filter.Holds("asked_by <> user.name") }],
            Pia
        );
        Assert.Empty(await CheckedAsync(First(("cost", 1m)), grants));
        Assert.Equal(["reason: Not in fog."], await CheckedAsync(First(("cost", 1m))));
        Assert.Equal(["reason: Not in fog."], await SaidAsync(First(("cost", 1m))));
    }

    [Fact]
    public async Task A_new_record_has_its_fields_defaults_also_those_that_nobody_may_type()
    {
        var today = DateOnly.FromDateTime(DateTime.UtcNow);
        Alter(
            Changes with
            {
                Fields =
                [
                    .. Changes.Fields.Select(field =>
                        field.Name.Value switch
                        {
                            "asked_by" => field with { Default = "=user.name", ReadOnly = true },
                            "valid_from" => field with { Default = "=TODAY() + 7" },
                            "cost" => field with { Default = "not a number" },
                            "reason" => field with { Default = "as agreed" },
                            _ => field,
                        }
                    ),
                ],
                Rules = [Must("NOT(ISEMPTY(asked_by))", "Say who asks.", "asked_by")],
            }
        );
        var grants = Grants.Of(new HashSet<string> { "agent" }, [Policy.On("agent", Changes.Id, Verbs.All)], Pia);
        var saved = await _gate.SavedAsync(_catalogue, Changes, New(("reason", "typed")), grants);
        var row = (
            await RowsAsync(
                _gate,
                _catalogue,
                ReadRequest.Of(Changes, saved.Key!) with
                {
                    Fields = [new("asked_by"), new("valid_from"), new("cost"), new("reason"), new("state")],
                }
            )
        ).Records[0];
        Assert.Equal<object?>(
            ["Pia", today.AddDays(7), null, "typed", "open"],
            new[] { "asked_by", "valid_from", "cost", "reason", "state" }.Select(name => row[new(name)])
        );
        Assert.IsType<SaveResult.Invalid>(await _gate.SaveAsync(_catalogue, Changes, New(("asked_by", "Jon")), grants));
    }

    [Fact]
    public async Task A_title_may_be_a_formula_wherever_the_record_is_named()
    {
        Alter(
            Routes with
            {
                Fields = Routes.Fields.Add(
                    new Field
                    {
                        Name = new("called"),
                        Column = "",
                        NativeType = "",
                        Label = "Called",
                        Type = new FieldType.Text(),
                        Formula = "IF(minutes > 0, origin.name & \" – \" & destination.name)",
                    }
                ),
                Title = [FieldPath.Of(new("called"))],
            }
        );
        var routes = (await RowsAsync(_gate, _catalogue, new ReadRequest(Routes.Id) { Sort = [new SortBy(new("code"))] })).Records;
        Assert.Equal(["Brackwater – Skerry", "route without a name"], routes.Select(record => record.Title));
        Assert.Equal(
            "Brackwater – Skerry",
            (await RowsAsync(_gate, _catalogue, new ReadRequest(Changes.Id) { Titles = [new("route")], Sort = [new SortBy(new("route"))] }))
                .Records[0]
                .TitleOf(new("route"))
        );
        Assert.Single((await RowsAsync(_gate, _catalogue, new ReadRequest(Changes.Id) { Search = "skerry" })).Records);
        Assert.Empty((await RowsAsync(_gate, _catalogue, new ReadRequest(Changes.Id) { Search = "ness" })).Records);
        Assert.Equal(
            "Brackwater – Skerry",
            (
                await _gate.SavedAsync(
                    _catalogue,
                    Routes,
                    new Change.Update(new RecordKey(["R01"]), FieldValues.None, Values(("minutes", 31L)))
                )
            ).Title
        );

        var blind = Grants.Of(new HashSet<string> { "agent" }, [Policy.On("agent", Routes.Id, Verbs.View)], Pia);
        Assert.All((await RowsAsync(_gate, _catalogue, new ReadRequest(Routes.Id), blind)).Records, record =>
            Assert.Equal("route without a name", record.Title)
        );
    }

    [Fact]
    public async Task One_to_one_and_many_to_many_relations_are_found_and_followed_from_both_sides()
    {
        Assert.Equal(
            ["permit", "crew"],
            [Assert.Single(_catalogue.Named("permits").Relations).InverseName.Value, Assert.Single(Routes.Linked).Name.Value]
        );
        ComputedColumn[] columns =
        [
            new(new("permit_number"), "permit.number"),
            new(new("who"), "TEXTJOIN(\", \", TRUE, SORT(crew, name).name)"),
            new(new("how_many"), "COUNT(crew)"),
            new(new("without_e"), "COUNT(FILTER(crew, NOT(CONTAINS(name, \"E\"))))"),
        ];
        var rows = (
            await RowsAsync(_gate, _catalogue, new ReadRequest(Routes.Id) { Computed = [.. columns], Sort = [new SortBy(new("code"))] })
        ).Records;
        Assert.Equal<object?>(
            ["P-77", "Egil, Maren", 2m, 1m, null, "Egil", 1m, 0m],
            rows.SelectMany(row => columns.Select(column => row[column.Name]))
        );
        var crew = (
            await RowsAsync(
                _gate,
                _catalogue,
                new ReadRequest(_catalogue.Named("crew").Id)
                {
                    Computed = [new(new("minutes_in_all"), "SUM(routes.minutes)")],
                    Sort = [new SortBy(new("id"))],
                }
            )
        ).Records;
        Assert.Equal<object?>([30m, 30m, 0m], crew.Select(row => row[new("minutes_in_all")]));
        Assert.Single(
            (
                await RowsAsync(_gate, _catalogue, new ReadRequest(Routes.Id) { Filter = new Filter.Holds("ANY(crew, name = \"Maren\")") })
            ).Records
        );

        var blind = Grants.Of(
            new HashSet<string> { "agent" },
            [Policy.On("agent", Routes.Id, Verbs.View), Policy.On("agent", _catalogue.Named("crew").Id, Verbs.View)],
            Pia
        );
        Assert.IsType<ReadResult.Invalid>(
            await _gate.ReadAsync(_catalogue, new ReadRequest(Routes.Id) { Computed = [columns[2]] }, blind, CancellationToken.None)
        );
    }
}
