using Rostrum.Core.Datasets;
using static Rostrum.Sources.Tests.Gates;

namespace Rostrum.Sources.Tests.Engines;

/// <summary>What MySQL and MariaDB have that others have not: dates of nothing, great unsigned numbers, old character sets.</summary>
public sealed class MySqlOddityTests
{
    [Fact]
    public async Task A_date_of_zeros_is_shown_as_what_it_is_and_the_rest_of_the_record_stands()
    {
        var (source, catalogue, bills) = await OpenAsync(
            "bills",
            "CREATE TABLE bills (id int PRIMARY KEY, due date, sent datetime, note varchar(20))",
            "SET STATEMENT sql_mode = '' FOR INSERT INTO bills VALUES (1, '0000-00-00', '0000-00-00 00:00:00', 'old'), "
                + "(2, '2026-00-00', NULL, 'half'), (3, '2026-03-01', '2026-03-01 10:00:00', 'whole')"
        );
        await using var _ = source;
        var rows = await RowsAsync(source.Gate, catalogue, All(bills));
        Assert.Equal(["old", "half", "whole"], rows.Records.Select(row => row[new("note")]));
        Assert.Equal("no date", Assert.IsType<Unreadable>(rows.Records[0][new("due")]).Reason);
        Assert.Equal("no date", Assert.IsType<Unreadable>(rows.Records[0][new("sent")]).Reason);
        Assert.IsType<Unreadable>(rows.Records[1][new("due")]);
        Assert.Equal(new DateOnly(2026, 3, 1), rows.Records[2][new("due")]);
    }

    [Fact]
    public async Task The_greatest_unsigned_number_is_read_written_and_found()
    {
        var (source, catalogue, meters) = await OpenAsync(
            "meters",
            "CREATE TABLE meters (id bigint unsigned PRIMARY KEY, reading bigint unsigned NOT NULL)",
            "INSERT INTO meters VALUES (18446744073709551615, 18446744073709551614), (1, 2)"
        );
        await using var _ = source;
        var rows = await RowsAsync(source.Gate, catalogue, All(meters));
        Assert.Equal([2m, 18446744073709551614m], rows.Records.Select(row => Convert.ToDecimal(row[new("reading")], null)));
        var last = rows.Records[1];
        await source.Gate.SavedAsync(
            catalogue,
            meters,
            new Change.Update(last.Key!, Values(("reading", last[new("reading")])), Values(("reading", 18446744073709551615m)))
        );
        Assert.Equal("18446744073709551615", await source.ScalarAsync("SELECT max(reading) FROM meters"));
    }

    [Fact]
    public async Task An_old_character_set_is_read_searched_and_refuses_what_it_cannot_keep()
    {
        var (source, catalogue, crew) = await OpenAsync(
            "crew",
            "CREATE TABLE crew (id int PRIMARY KEY, name varchar(20) CHARACTER SET latin1 COLLATE latin1_swedish_ci NOT NULL)",
            "INSERT INTO crew VALUES (1, 'Åse Brå'), (2, 'Jörg')"
        );
        await using var _ = source;
        var found = await RowsAsync(source.Gate, catalogue, All(crew) with { Search = "åse" });
        Assert.Equal("Åse Brå", Assert.Single(found.Records)[new("name")]);
        var same = await RowsAsync(source.Gate, catalogue, All(crew) with { Filter = new Filter.OneOf(new("name"), ["Jörg"]) });
        Assert.Single(same.Records);
        var computed = await RowsAsync(source.Gate, catalogue, All(crew) with { Filter = new Filter.Holds("LOWER(name) = \"jörg\"") });
        Assert.Equal("Jörg", Assert.Single(computed.Records)[new("name")]);
        var saved = await source.Gate.SaveAsync(catalogue, crew, new Change.Insert(Values(("id", 3L), ("name", "船長"))));
        Assert.NotEmpty(Assert.IsType<SaveResult.Invalid>(saved).Problems);
        Assert.Equal("2", await source.ScalarAsync("SELECT count(*) FROM crew"));
    }

    [Fact]
    public async Task A_servers_own_mode_changes_nothing_of_what_is_asked_and_kept()
    {
        await using var source = await EngineSource.CreateAsync(
            "mysql",
            "CREATE TABLE notes (id int PRIMARY KEY, words varchar(10) NOT NULL)",
            "INSERT INTO notes VALUES (1, 'a\\\\b\"c')"
        );
        var before = await source.ScalarAsync("SELECT @@GLOBAL.sql_mode");
        await source.RunAsync("SET GLOBAL sql_mode = 'ANSI_QUOTES,NO_BACKSLASH_ESCAPES,PIPES_AS_CONCAT'");
        try
        {
            var catalogue = await source.DraftAsync();
            var notes = catalogue.Named("notes");
            var found = await RowsAsync(source.Gate, catalogue, All(notes) with { Search = "\\b\"" });
            Assert.Equal("a\\b\"c", Assert.Single(found.Records)[new("words")]);
            var saved = await source.Gate.SaveAsync(
                catalogue,
                notes,
                new Change.Insert(Values(("id", 2L), ("words", "much too long for it")))
            );
            Assert.IsType<SaveResult.Invalid>(saved);
            Assert.Equal("1", await source.ScalarAsync("SELECT count(*) FROM notes"));
        }
        finally
        {
            await source.RunAsync($"SET GLOBAL sql_mode = '{before}'");
        }
    }

    private static async Task<(EngineSource Source, DatasetCatalogue Catalogue, Dataset Dataset)> OpenAsync(
        string table,
        params string[] statements
    )
    {
        var source = await EngineSource.CreateAsync("mysql", statements);
        var catalogue = await source.DraftAsync();
        return (source, catalogue, catalogue.Named(table));
    }

    private static ReadRequest All(Dataset dataset) =>
        new(dataset.Id) { Fields = [.. dataset.Fields.Select(field => field.Name)], Sort = [new SortBy(new("id"))] };
}
