using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using static Rostrum.Sources.Tests.Gates;
using Record = Rostrum.Core.Datasets.Record;

namespace Rostrum.Sources.Tests;

public sealed class WriteTests : IAsyncLifetime
{
    private const string Schema = """
        CREATE TYPE state AS ENUM ('open', 'closed');
        CREATE TABLE vessels (hull varchar(8) PRIMARY KEY, name varchar(20) NOT NULL UNIQUE);
        CREATE TABLE defects (
            id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, vessel varchar(8) NOT NULL REFERENCES vessels, title varchar(30) NOT NULL,
              state state NOT NULL DEFAULT 'open',
            cost numeric(8,2), near real, due date, at timestamptz, local timestamp, clock time, done boolean, ref uuid, story text,
              fixed char(5),
            photo bytea, tags text[], doc json, twice numeric GENERATED ALWAYS AS (cost * 2) STORED,
            CONSTRAINT defects_due_after_founding CHECK (extract(year FROM due) > 1949), UNIQUE (vessel, title));
        CREATE TABLE notes (id int PRIMARY KEY, defect int NOT NULL REFERENCES defects ON DELETE CASCADE);
        CREATE TABLE keyless (a int);
        INSERT INTO vessels VALUES ('BF-1', 'Kittiwake'), ('BF-2', 'Fulmar');
        INSERT INTO defects (vessel, title, cost, near, due, at, local, clock, done, ref, story, fixed, photo, tags, doc) VALUES
            ('BF-1', 'Pump leaks', 12.50, 0.1, '2026-01-31', '2026-01-31T10:00:00.123456Z', '2026-01-31T10:00', '10:00', true,
            gen_random_uuid(), 'long', 'ab', '\x00ff', '{a,"b,c"}', '{"x": 1}'),
            ('BF-2', 'Door sticks', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL);
        """;

    private TestDatabase _database = null!;
    private DatasetCatalogue _catalogue = null!;
    private RecordGate _gate = null!;

    private Dataset Defects => _catalogue.Named("defects");

    private Dataset Vessels => _catalogue.Named("vessels");

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

    private async Task<Record> FirstAsync(Dataset dataset) =>
        (
            await RowsAsync(
                _gate,
                _catalogue,
                new ReadRequest(dataset.Id)
                {
                    Fields = [.. dataset.Fields.Select(field => field.Name)],
                    Sort = [new SortBy(dataset.Key[0])],
                }
            )
        ).Records[0];

    private Task<string> DumpAsync() =>
        _database.ScalarAsync<string>(
            "SELECT (SELECT jsonb_agg(d ORDER BY id) FROM defects d)::text || (SELECT jsonb_agg(v ORDER BY hull) FROM vessels v)::text"
        );

    [Fact]
    public async Task Many_changes_are_tried_made_as_far_as_possible_or_not_at_all()
    {
        var first = (await FirstAsync(Defects)).Key!;
        var missing = RecordKey.Parse(Defects, "999")!;
        var second = RecordKey.Parse(Defects, "2")!;
        ChangeSet closing = new(
            Defects.Id,
            [
                .. new[] { first, missing, second }.Select(key => new Change.Update(
                    key,
                    FieldValues.None,
                    Values(("due", new DateOnly(2026, 5, 1)), ("state", "closed"))
                )),
            ]
        );
        async Task<ManyResult.Done> DoAsync(ChangeSet set, ManyChanges how, Grants? grants = null) =>
            Assert.IsType<ManyResult.Done>(await _gate.SaveEachAsync(_catalogue, set, how, grants ?? All, CancellationToken.None));
        var before = await DumpAsync();

        var tried = await DoAsync(closing, ManyChanges.Tried);
        Assert.False(tried.Written);
        Assert.Equal([null, "This defect is no longer there.", null], tried.Each.Select(one => one.Because));
        Assert.Equal("Pump leaks", tried.Each[0].Saved!.Title);
        Assert.False((await DoAsync(closing, ManyChanges.AllOrNone)).Written);
        Assert.Equal(before, await DumpAsync());

        // What the database refuses ends that change alone; so does what a person may not do.
        ChangeSet titled = new(
            Defects.Id,
            [
                new Change.Update(first, FieldValues.None, Values(("due", new DateOnly(1920, 1, 1)))),
                new Change.Update(second, FieldValues.None, Values(("title", "Door stuck"))),
            ]
        );
        var possible = await DoAsync(titled, ManyChanges.ThosePossible);
        Assert.True(possible.Written);
        Assert.StartsWith("Due: The database has a rule against this", possible.Each[0].Because, StringComparison.Ordinal);
        Assert.Equal(
            "Pump leaks;Door stuck",
            await _database.ScalarAsync<string>("SELECT string_agg(title, ';' ORDER BY id) FROM defects")
        );
        var narrow = Grants.Of(
            new HashSet<string> { "x" },
            [Policy.On("x", Defects.Id, Verbs.View | Verbs.Update).WritingWhere(new Filter.Holds("vessel.hull = \"BF-2\""))]
        );
        var limited = await DoAsync(
            new ChangeSet(
                Defects.Id,
                [.. new[] { first, second }.Select(key => new Change.Update(key, FieldValues.None, Values(("done", true))))]
            ),
            ManyChanges.ThosePossible,
            narrow
        );
        Assert.Equal(["This defect is not among those that you may change.", null], limited.Each.Select(one => one.Because));

        // Taken back, the last first.
        ChangeSet back = new(Defects.Id, [.. limited.Each.Concat(possible.Each).Select(one => one.Saved?.Inverse).OfType<Change>()]);
        Assert.IsType<SaveResult.Saved>(await _gate.UndoAsync(_catalogue, back, All, CancellationToken.None));
        Assert.Equal(before, await DumpAsync());
        Assert.IsType<ManyResult.Denied>(
            await _gate.SaveEachAsync(_catalogue, titled, ManyChanges.Tried, Grants.Of(new HashSet<string>(), []), CancellationToken.None)
        );
    }

    [Fact]
    public async Task A_change_is_written_and_what_takes_it_back_restores_every_value()
    {
        await _database.RunAsync("DELETE FROM notes; ALTER TABLE notes DROP CONSTRAINT notes_defect_fkey");
        _catalogue = await _database.DraftAsync();
        var before = await DumpAsync();
        var first = await FirstAsync(Defects);
        Change[] changes =
        [
            new Change.Update(
                first.Key!,
                first.Values([new("title"), new("near"), new("fixed"), new("at")]),
                Values(
                    ("title", "Pump <b>hums</b>"),
                    ("cost", null),
                    ("state", "closed"),
                    ("near", 2.5m),
                    ("at", null),
                    ("clock", new TimeOnly(1, 2))
                )
            ),
            new Change.Insert(
                Values(
                    ("vessel", "BF-2"),
                    ("title", "It's new; --"),
                    ("due", new DateOnly(2028, 2, 29)),
                    ("local", new DateTime(2026, 3, 29, 2, 30, 0))
                )
            ),
            new Change.Delete(first.Key!, first.Values([new("title"), new("cost"), new("ref"), new("local")])),
        ];
        foreach (var change in changes)
        {
            var saved = await _gate.SavedAsync(_catalogue, Defects, change);
            Assert.NotEqual(before, await DumpAsync());
            var kept = ChangeText.Read(Defects, ChangeText.Write(Defects, saved.Inverse!))!;
            Assert.IsType<SaveResult.Saved>(
                await _gate.UndoAsync(_catalogue, new ChangeSet(Defects.Id, [kept]), All, CancellationToken.None)
            );
            Assert.Equal(before, await DumpAsync());
        }
    }

    [Theory]
    [InlineData(1)]
    [InlineData(3)]
    public async Task A_save_whose_database_goes_away_at_its_end_is_not_half_written_and_it_is_said_that_it_is_uncertain(int records)
    {
        var before = await DumpAsync();
        var transaction = "";
        var set = new ChangeSet(
            Defects.Id,
            [.. Enumerable.Range(1, records).Select(at => new Change.Insert(Values(("vessel", "BF-2"), ("title", $"Cut off {at}"))))]
        )
        {
            BeforeEnd = async end =>
            {
                transaction = end.Transaction;
                await _database.RunAsync(
                    "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
                );
            },
        };
        Assert.IsType<SaveResult.Uncertain>(await _gate.SaveAsync(_catalogue, set, All, CancellationToken.None));
        // A connection that is cut takes a moment to be gone; until then nobody can tell.
        bool? ended = null;
        for (var tries = 0; ended is null && tries < 50; tries++)
        {
            await Task.Delay(tries * 2);
            ended = await _gate.CameToItsEndAsync(Defects, transaction, CancellationToken.None);
        }

        Assert.False(ended);
        Assert.Equal(before, await DumpAsync());
        Assert.IsType<SaveResult.Saved>(await _gate.SaveAsync(_catalogue, set with { BeforeEnd = null }, All, CancellationToken.None));
    }

    [Fact]
    public async Task A_save_with_stale_originals_returns_a_conflict_and_writes_nothing()
    {
        var seen = await FirstAsync(Defects);
        await _database.RunAsync("UPDATE defects SET title = 'Changed by somebody' WHERE id = 1");
        var before = await DumpAsync();
        var result = await _gate.SaveAsync(
            _catalogue,
            Defects,
            new Change.Update(seen.Key!, seen.Values([new("title"), new("cost")]), Values(("cost", 1m)))
        );
        Assert.Equal("Changed by somebody", Assert.IsType<SaveResult.Conflict>(result).Current![new("title")]);
        Assert.IsType<SaveResult.Conflict>(
            await _gate.SaveAsync(_catalogue, Defects, new Change.Delete(seen.Key!, seen.Values([new("title")])))
        );
        Assert.Equal(before, await DumpAsync());
    }

    [Fact]
    public async Task Saving_what_was_deleted_is_a_conflict_with_nothing()
    {
        var key = new RecordKey([99L]);
        Assert.Null(
            Assert
                .IsType<SaveResult.Conflict>(
                    await _gate.SaveAsync(_catalogue, Defects, new Change.Update(key, FieldValues.None, Values(("cost", 1m))))
                )
                .Current
        );
    }

    public static TheoryData<string, object?, string?, string> Refused =>
        new()
        {
            { "title", "Door sticks", "title", "There is another defect with the same vessel and title." },
            { "vessel", "BF-9", "vessel", "There is no such record to refer to." },
            { "due", new DateOnly(1949, 1, 1), "due", "The database has a rule against this: “due after founding”." },
            { "title", null, "title", "This cannot be left blank." },
            { "cost", 12345678m, "cost", "This has room for 6 digits before the point." },
            { "twice", 3m, "twice", "“Twice” cannot be changed. The database computes it." },
        };

    [Theory]
    [MemberData(nameof(Refused))]
    public async Task A_value_that_cannot_be_is_refused_at_its_field_in_plain_words(string field, object? value, string? at, string message)
    {
        await _database.RunAsync("UPDATE defects SET vessel = 'BF-2' WHERE id = 1");
        var before = await DumpAsync();
        var problems = Assert
            .IsType<SaveResult.Invalid>(
                await _gate.SaveAsync(_catalogue, Defects, new Change.Update(new RecordKey([1L]), FieldValues.None, Values((field, value))))
            )
            .Problems;
        Assert.Contains(new FieldProblem(at is null ? null : new(at), message), problems);
        Assert.Equal(before, await DumpAsync());
    }

    [Fact]
    public async Task A_record_to_which_others_refer_is_not_deleted_and_they_are_named()
    {
        var problem = Assert.Single(
            Assert
                .IsType<SaveResult.Invalid>(
                    await _gate.SaveAsync(_catalogue, Vessels, new Change.Delete(new RecordKey(["BF-1"]), FieldValues.None))
                )
                .Problems
        );
        Assert.Equal("Defects refer to this vessel. Change or delete those first.", problem.Message);
    }

    [Fact]
    public async Task A_deletion_says_what_it_takes_with_it()
    {
        await _database.RunAsync("INSERT INTO notes VALUES (900, 1), (901, 1)");
        var deleted = await _gate.SavedAsync(_catalogue, Defects, new Change.Delete(new RecordKey([1L]), FieldValues.None));
        Assert.IsType<Change.Restore>(deleted.Inverse);
        Assert.All(deleted.Along, along => Assert.Equal("notes", along.Dataset.Table.Name));
        Assert.True(deleted.Along.Length >= 2);
    }

    [Fact]
    public async Task A_set_of_changes_is_written_whole_or_not_at_all()
    {
        var before = await DumpAsync();
        ImmutableArray<Change> changes =
        [
            new Change.Insert(Values(("hull", "BF-3"), ("name", "Skua"))),
            new Change.Insert(Values(("hull", "BF-4"), ("name", "Fulmar"))),
        ];
        Assert.IsType<SaveResult.Invalid>(
            await _gate.SaveAsync(_catalogue, new ChangeSet(Vessels.Id, changes), All, CancellationToken.None)
        );
        Assert.Equal(before, await DumpAsync());
    }

    [Theory]
    [InlineData(Verbs.View)]
    [InlineData(Verbs.None)]
    public async Task Without_the_verb_nothing_is_written(Verbs verbs)
    {
        var before = await DumpAsync();
        var grants = Grants.Of(ImmutableHashSet.Create("agent"), [Policy.On("agent", Vessels.Id, verbs)]);
        var key = new RecordKey(["BF-2"]);
        foreach (
            var change in new Change[]
            {
                new Change.Update(key, FieldValues.None, Values(("name", "x"))),
                new Change.Delete(key, FieldValues.None),
                new Change.Insert(Values(("hull", "x"), ("name", "y"))),
                new Change.Restore(Values(("hull", "x"), ("name", "y"))),
            }
        )
        {
            Assert.IsType<SaveResult.Denied>(await _gate.SaveAsync(_catalogue, Vessels, change, grants));
        }

        Assert.Equal(before, await DumpAsync());
    }

    [Fact]
    public async Task A_restoring_change_is_never_taken_as_a_save() =>
        Assert.IsType<SaveResult.Denied>(
            await _gate.SaveAsync(
                _catalogue,
                Vessels,
                new Change.Restore(Values(("hull", "x"), ("name", "y"))),
                Grants.Of(ImmutableHashSet.Create("agent"), [Policy.On("agent", Vessels.Id, Verbs.View | Verbs.Create | Verbs.Update)])
            )
        );

    [Fact]
    public async Task A_record_condition_holds_before_and_after_a_write()
    {
        var before = await DumpAsync();
        var grants = Grants.Of(
            ImmutableHashSet.Create("agent"),
            [Policy.On("agent", Defects.Id, Verbs.All) with { Condition = new Filter.OneOf(new("vessel"), ["BF-1"]) }]
        );
        Assert.IsType<SaveResult.Denied>(
            await _gate.SaveAsync(
                _catalogue,
                Defects,
                new Change.Update(new RecordKey([2L]), FieldValues.None, Values(("cost", 1m))),
                grants
            )
        );
        Assert.IsType<SaveResult.Denied>(
            await _gate.SaveAsync(
                _catalogue,
                Defects,
                new Change.Update(new RecordKey([1L]), FieldValues.None, Values(("vessel", "BF-2"))),
                grants
            )
        );
        Assert.IsType<SaveResult.Denied>(
            await _gate.SaveAsync(_catalogue, Defects, new Change.Insert(Values(("vessel", "BF-2"), ("title", "x"))), grants)
        );
        Assert.Equal(before, await DumpAsync());
        await _gate.SavedAsync(_catalogue, Defects, new Change.Update(new RecordKey([1L]), FieldValues.None, Values(("cost", 1m))), grants);
    }

    [Fact]
    public async Task A_stale_edit_of_a_record_that_is_not_theirs_shows_nobody_what_the_record_holds()
    {
        var others = Grants.Of(
            ImmutableHashSet.Create("agent"),
            [Policy.On("agent", Defects.Id, Verbs.All) with { Condition = new Filter.OneOf(new("vessel"), ["BF-2"]) }]
        );
        var stale = Values(("title", "a wrong guess"));
        Assert.IsType<SaveResult.Denied>(
            await _gate.SaveAsync(_catalogue, Defects, new Change.Update(new RecordKey([1L]), stale, Values(("cost", 1m))), others)
        );
        Assert.IsType<SaveResult.Denied>(await _gate.SaveAsync(_catalogue, Defects, new Change.Delete(new RecordKey([1L]), stale), others));

        var blind = Grants.Of(ImmutableHashSet.Create("agent"), [Policy.On("agent", Defects.Id, Verbs.Update)]);
        Assert.IsType<SaveResult.Denied>(
            await _gate.SaveAsync(_catalogue, Defects, new Change.Update(new RecordKey([1L]), stale, Values(("cost", 1m))), blind)
        );
        Assert.IsType<SaveResult.Saved>(
            await _gate.SaveAsync(
                _catalogue,
                Defects,
                new Change.Update(new RecordKey([1L]), FieldValues.None, Values(("cost", 1m))),
                blind
            )
        );
    }

    [Fact]
    public async Task A_field_that_may_not_be_written_or_read_is_refused_in_a_change()
    {
        var grants = Grants.Of(
            ImmutableHashSet.Create("agent"),
            [
                Policy.On("agent", Defects.Id, Verbs.All) with
                {
                    Readable = new FieldSet.Only([new("title")]),
                    Writable = new FieldSet.Only([new("title")]),
                },
            ]
        );
        Assert.IsType<SaveResult.Denied>(
            await _gate.SaveAsync(
                _catalogue,
                Defects,
                new Change.Update(new RecordKey([1L]), FieldValues.None, Values(("cost", 1m))),
                grants
            )
        );
        Assert.IsType<SaveResult.Denied>(
            await _gate.SaveAsync(
                _catalogue,
                Defects,
                new Change.Update(new RecordKey([1L]), Values(("cost", 12.50m)), Values(("title", "x"))),
                grants
            )
        );
        var conflict = Assert.IsType<SaveResult.Conflict>(
            await _gate.SaveAsync(
                _catalogue,
                Defects,
                new Change.Update(new RecordKey([1L]), Values(("title", "not this")), Values(("title", "x"))),
                grants
            )
        );
        Assert.Equal(["title"], conflict.Current!.Layout.Fields.Select(field => field.Value));
    }

    [Fact]
    public async Task A_table_without_a_key_is_not_written_and_says_why()
    {
        var denied = Assert.IsType<SaveResult.Denied>(
            await _gate.SaveAsync(_catalogue, _catalogue.Named("keyless"), new Change.Insert(Values(("a", 1L))))
        );
        Assert.Contains("no primary key", denied.Reason, StringComparison.Ordinal);
    }
}
