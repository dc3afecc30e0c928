using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using static Rostrum.Sources.Tests.Gates;

namespace Rostrum.Sources.Tests;

/// <summary>What a draft knows from CHECKs, domains and values, and what is set by itself when such a record is saved.</summary>
public sealed class DraftedFromValuesTests : IAsyncLifetime
{
    private const string Schema = """
        CREATE DOMAIN share AS numeric(5,2) CHECK (VALUE BETWEEN 0 AND 100);
        CREATE TABLE members (
            id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, name text NOT NULL, email text, homepage text, phone text, badge text,
              status text, remark_code text,
            discount_pct share, bonus_percent numeric(4,3), yearly_fee numeric(10,2) NOT NULL DEFAULT 0 CHECK (yearly_fee >= 0),
            joined date NOT NULL, "left" date, created_at timestamptz NOT NULL DEFAULT now(),
              updated_at timestamptz NOT NULL DEFAULT now(), updated_by text,
            CONSTRAINT stays CHECK ("left" IS NULL OR "left" > joined));
        INSERT INTO members (name, email, homepage, phone, badge, status, remark_code, bonus_percent, joined)
        SELECT 'Member ' || n, 'm' || n || '@example.test', 'https://example.test/' || n, '+47 22 33 44 ' || n,
          'https://example.test/' || n || '.png',
               (ARRAY['active', 'paused', 'ended'])[n % 3 + 1], 'R' || n, 0.05, '2020-01-01'
        FROM generate_series(10, 40) n;
        """;

    private static readonly SignedIn Maren = new("Maren Vik", null, []);

    private TestDatabase _database = null!;
    private DatasetCatalogue _catalogue = null!;
    private RecordGate _gate = null!;

    private Dataset Members => _catalogue.Named("members");

    private Grants Everything =>
        Grants.Of(new HashSet<string>(StringComparer.Ordinal) { "all" }, [Policy.On("all", Members.Id, Verbs.All)], Maren);

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

    [Fact]
    public void Values_and_names_say_what_a_text_or_a_number_is()
    {
        DisplayFormat? Of(string name) => Members[new FieldName(name)].Format;
        Assert.IsType<DisplayFormat.EmailAddress>(Of("email"));
        Assert.IsType<DisplayFormat.WebAddress>(Of("homepage"));
        Assert.IsType<DisplayFormat.PhoneNumber>(Of("phone"));
        Assert.IsType<DisplayFormat.Picture>(Of("badge"));
        Assert.Equal(new DisplayFormat.Percent(2, OfHundred: true), Of("discount_pct"));
        Assert.Equal(new DisplayFormat.Percent(3, OfHundred: false), Of("bonus_percent"));
        Assert.IsType<DisplayFormat.Money>(Of("yearly_fee"));
        Assert.Equal(["active", "ended", "paused"], Assert.IsType<FieldType.Choice>(Members[new FieldName("status")].Type).Options.Order());
        Assert.IsType<FieldType.Text>(Members[new FieldName("remark_code")].Type);
        Assert.Null(Of("remark_code"));
    }

    [Fact]
    public void Checks_of_tables_and_domains_become_rules() =>
        Assert.Equal(
            [
                "Discount % must be at least 0.",
                "Discount % must be at most 100.",
                "Left must be after Joined.",
                "Yearly fee must be at least 0.",
            ],
            Members.Rules.OfType<Rule.Holds>().Select(rule => rule.Message).Order(StringComparer.Ordinal)
        );

    [Fact]
    public async Task When_and_by_whom_it_was_changed_is_set_with_each_change_and_taken_back_with_it()
    {
        var key = new RecordKey([1L]);
        async Task<string> StampAsync() =>
            await _database.ScalarAsync<string>("SELECT updated_at::text || coalesce(updated_by, '-') FROM members WHERE id = 1");
        var before = await StampAsync();
        var change = new Change.Update(key, Values(("name", "Member 10")), Values(("name", "Member X")));
        var saved = await _gate.SavedAsync(_catalogue, Members, change, Everything);
        Assert.EndsWith("Maren Vik", await StampAsync(), StringComparison.Ordinal);
        Assert.NotEqual(before, await StampAsync());

        ChangeSet back = new(Members.Id, [saved.Inverse!]);
        Assert.IsType<SaveResult.Saved>(await _gate.UndoAsync(_catalogue, back, Everything, CancellationToken.None));
        Assert.Equal(before, await StampAsync());

        var typed = new Change.Update(key, FieldValues.None, Values(("updated_by", "Somebody")));
        Assert.IsType<SaveResult.Invalid>(await _gate.SaveAsync(_catalogue, Members, typed, Everything));
    }
}
