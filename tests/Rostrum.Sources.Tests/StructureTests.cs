using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Tests;

public sealed class StructureTests : IAsyncLifetime
{
    private const string Schema = """"
        CREATE SCHEMA "Odd Schema";
        CREATE TYPE mood AS ENUM ('calm', 'rough', 'o''clock');
        CREATE DOMAIN short_code AS varchar(4) NOT NULL;
        CREATE TABLE everything (
            id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, small smallint, whole integer DEFAULT 7, exact numeric(10,2),
            roundish numeric(5,-2), free numeric,
            approx real, precise double precision, flag boolean, day date, at_local timestamp, at_zone timestamptz(0), hour time,
            code short_code, fixed char(3),
            word varchar(20) UNIQUE, words text, sea mood, sea_list mood[], tags text[], doc jsonb, oldoc json, ident uuid, raw bytea,
              span int4range, addr inet,
            twice integer GENERATED ALWAYS AS (whole * 2) STORED, UNIQUE (day, hour));
        COMMENT ON TABLE everything IS 'All there is';
        COMMENT ON COLUMN everything.whole IS 'A whole one';
        CREATE TABLE "Odd Schema"."We""ird Table" ("select" integer, "Ünï ""q""" text, "a.b" text);
        CREATE TABLE parents (one int, two int, label text, PRIMARY KEY (one, two));
        CREATE TABLE kids (id serial PRIMARY KEY, one int, two int, boss int REFERENCES kids ON DELETE CASCADE, FOREIGN KEY (one,
        two) REFERENCES parents);
        CREATE DOMAIN grade AS text CHECK (VALUE IN ('good', 'fair'));
        CREATE TABLE said (
            id int PRIMARY KEY, plain text CHECK (plain IN ('open', 'it''s, done', 'A & B')), cut varchar(12) NOT NULL CHECK (cut IN ('x',
            'y')),
            "Odd (One)" text CHECK ("Odd (One)" = ANY (ARRAY['p', 'q'])), worth grade,
            later text CHECK (later IN ('a', 'b') OR later LIKE 'z%'),
            negated text CHECK (negated NOT IN ('a', 'b')), two text CHECK (two IN ('a', 'b') AND plain IN ('open')),
            size int CHECK (size IN (1, 2)),
            blank text CHECK (blank IN ('', 'a')), line text, lines text, length text);
        INSERT INTO said (id, cut, line, lines, length) VALUES (1, 'x', repeat('w', 120), E'one\ntwo', repeat('w', 121));
        CREATE VIEW kid_view AS SELECT id, boss FROM kids;
        INSERT INTO everything (code) SELECT 'ab' FROM generate_series(1, 250);
        ANALYZE everything;
        """";

    private TestDatabase _database = null!;
    private SourceStructure _structure = null!;

    public async Task InitializeAsync()
    {
        _database = await TestDatabase.CreateAsync(Schema);
        _structure = Assert
            .IsType<StructureResult.Read>(await SourceConnector.ReadStructureAsync(_database.Settings, CancellationToken.None))
            .Structure;
    }

    public async Task DisposeAsync() => await _database.DisposeAsync();

    private TableStructure Table(string name) => _structure.Tables.Single(table => table.Name.Name == name);

    private ColumnStructure Column(string name) => Table("everything").Columns.Single(column => column.Name == name);

    [Fact]
    public void Every_type_is_read_as_what_it_is()
    {
        var types = Table("everything").Columns.ToDictionary(column => column.Name, column => column.Type);
        Assert.Equal(new FieldType.Integer(-32768, 32767), types["small"]);
        Assert.Equal(new FieldType.Number(10, 2), types["exact"]);
        Assert.Equal(new FieldType.Number(5, -2), types["roundish"]);
        Assert.Equal(new FieldType.Number(), types["free"]);
        Assert.Equal(new FieldType.Text(4), types["code"]);
        Assert.Equal(new FieldType.Text(3), types["fixed"]);
        Assert.Equal(new FieldType.Text(), types["words"]);
        Assert.Equal(["calm", "rough", "o'clock"], Assert.IsType<FieldType.Choice>(types["sea"]).Options.AsEnumerable());
        Type[] rest =
        [
            typeof(FieldType.Floating),
            typeof(FieldType.Floating),
            typeof(FieldType.YesNo),
            typeof(FieldType.Date),
            typeof(FieldType.LocalDateTime),
            typeof(FieldType.Instant),
            typeof(FieldType.Time),
            typeof(FieldType.Uuid),
            typeof(FieldType.Bytes),
        ];
        Assert.Equal(
            rest,
            new[] { "approx", "precise", "flag", "day", "at_local", "at_zone", "hour", "ident", "raw" }.Select(name =>
                types[name].GetType()
            )
        );
        Assert.IsType<FieldType.Native>(types["span"]);
        Assert.IsType<FieldType.Choice>(Assert.IsType<FieldType.List>(types["sea_list"]).Element);
        Assert.Equal(new FieldType.List(new FieldType.Text()), types["tags"]);
        Assert.All(new[] { "doc", "oldoc" }, name => Assert.IsType<FieldType.Json>(types[name]));
        Assert.Equal(new FieldType.NetworkAddress(), types["addr"]);
    }

    [Theory]
    [InlineData("plain", "open|it's, done|A & B")]
    [InlineData("cut", "x|y")]
    [InlineData("Odd (One)", "p|q")]
    [InlineData("worth", "good|fair")]
    [InlineData("later", "")]
    [InlineData("negated", "")]
    [InlineData("two", "")]
    [InlineData("size", "")]
    [InlineData("blank", "")]
    public void A_check_that_lists_texts_makes_a_choice(string column, string options) =>
        Assert.Equal(
            options,
            Table("said").Columns.Single(known => known.Name == column).Type is FieldType.Choice choice
                ? string.Join('|', choice.Options)
                : ""
        );

    [Fact]
    public void A_text_is_long_when_its_values_are()
    {
        Assert.Equal(
            ["lines", "length"],
            Table("said").Columns.Where(column => column.Type is FieldType.Text { Long: true }).Select(column => column.Name)
        );
    }

    [Fact]
    public void Defaults_blanks_comments_and_who_sets_a_value_are_read()
    {
        Assert.Equal(
            (ColumnGeneration.IdentityAlways, ColumnGeneration.Computed, ColumnGeneration.None),
            (Column("id").Generation, Column("twice").Generation, Column("whole").Generation)
        );
        Assert.Equal(ColumnGeneration.IdentityByDefault, Table("kids").Columns[0].Generation);
        Assert.Equal(("7", "A whole one", true), (Column("whole").Default, Column("whole").Comment, Column("whole").Nullable));
        Assert.False(Column("id").Nullable);
        Assert.False(Column("code").Nullable);
        Assert.Equal(("All there is", 250L), (Table("everything").Comment, Table("everything").EstimatedRows));
    }

    [Fact]
    public void Keys_of_one_and_of_several_columns_are_read()
    {
        Assert.Equal(["one", "two"], Table("parents").PrimaryKey.AsEnumerable());
        Assert.Equal(["word", "day,hour"], Table("everything").UniqueKeys.Select(key => string.Join(',', key)));
        Assert.Equal(
            ["boss:kids:id:Delete", "one,two:parents:one,two:Refuse"],
            Table("kids")
                .ForeignKeys.Select(key =>
                    $"{string.Join(',', key.Columns)}:{key.Target}:{string.Join(',', key.TargetColumns)}:{key.OnDelete}"
                )
        );
        Assert.True(Table("kid_view").IsView);
    }

    [Fact]
    public async Task Tables_and_columns_of_any_spelling_are_read_through_the_gate()
    {
        await _database.RunAsync("""INSERT INTO "Odd Schema"."We""ird Table" VALUES (1, 'x''; DROP TABLE kids; --', 'y')""");
        var catalogue = await _database.DraftAsync();
        var odd = catalogue.All.Single(dataset => dataset.Table.Name == "We\"ird Table");
        await using var gate = Gates.For(_database);
        var rows = await Gates.RowsAsync(
            gate,
            catalogue,
            new ReadRequest(odd.Id) { Fields = [.. odd.Fields.Select(field => field.Name)], Search = "drop y" }
        );
        Assert.Equal("x'; DROP TABLE kids; --", Assert.Single(rows.Records)[odd.Fields[1].Name]);
        Assert.NotNull(odd.ReadOnlyBecause);
    }
}

public sealed class ConnectionTests
{
    private static async Task<SourceFailure> FailureAsync(SourceSettings settings) =>
        Assert.IsType<SourceFailure>(await SourceConnector.TestAsync(settings, CancellationToken.None));

    [Fact]
    public async Task A_connection_that_works_says_nothing()
    {
        await using var database = await TestDatabase.CreateAsync("CREATE TABLE t (id int)");
        Assert.Null(await SourceConnector.TestAsync(database.Settings, CancellationToken.None));
    }

    [Fact]
    public async Task An_unknown_host_is_named() =>
        Assert.Equal(FailureReason.UnknownHost, (await FailureAsync(TestDatabase.Server with { Host = "no-such-machine.invalid" })).Reason);

    [Fact]
    public async Task A_port_at_which_nothing_listens_is_named() =>
        Assert.Equal(FailureReason.Refused, (await FailureAsync(TestDatabase.Server with { Port = 1 })).Reason);

    [Fact]
    public async Task A_wrong_password_is_said_and_not_repeated()
    {
        var failure = await FailureAsync(TestDatabase.Server with { Password = "hunter2-secret" });
        Assert.Equal(FailureReason.WrongPassword, failure.Reason);
        Assert.DoesNotContain("hunter2", failure.Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task An_unknown_database_is_named()
    {
        var failure = await FailureAsync(TestDatabase.Server with { Database = "no_such_database" });
        Assert.Equal(FailureReason.UnknownDatabase, failure.Reason);
        Assert.Contains("no_such_database", failure.Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_user_who_may_read_nothing_is_told()
    {
        var role = $"nobody_{Guid.NewGuid():N}";
        await using var database = await TestDatabase.CreateAsync($"CREATE ROLE {role} LOGIN PASSWORD 'x'; CREATE TABLE t (id int)");
        Assert.Equal(FailureReason.NoRight, (await FailureAsync(database.Settings with { User = role, Password = "x" })).Reason);
        await database.RunAsync($"DROP ROLE {role}");
    }

    [Fact]
    public async Task A_server_that_does_not_answer_is_given_up()
    {
        using var silent = new System.Net.Sockets.TcpListener(System.Net.IPAddress.Loopback, 0);
        silent.Start();
        var port = ((System.Net.IPEndPoint)silent.LocalEndpoint).Port;
        Assert.Equal(FailureReason.TimedOut, (await FailureAsync(TestDatabase.Server with { Port = port })).Reason);
    }
}
