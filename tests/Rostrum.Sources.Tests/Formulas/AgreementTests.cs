using System.Globalization;
using System.Text;
using FsCheck;
using FsCheck.Fluent;
using Microsoft.Data.Sqlite;
using MySqlConnector;
using Npgsql;
using Rostrum.Core.Formulas;
using Xunit.Abstractions;

namespace Rostrum.Sources.Tests.Formulas;

/// <summary>The databases with the vessels in them.</summary>
public sealed class FormulaEngines : IAsyncLifetime
{
    private TestDatabase _postgres = null!;
    private string _maria = "";

    internal FormulaEngine[] All { get; private set; } = [];

    internal FormulaEngine Postgres => All[0];

    public async Task InitializeAsync()
    {
        _postgres = await TestDatabase.CreateAsync();
        var settings = _postgres.Settings;
        var postgres = new NpgsqlConnection(
            $"Host={settings.Host};Port={settings.Port};Database={settings.Database};Username={settings.User};Password={settings.Password};"
                + "Timezone=UTC;Command Timeout=5;Options=-c jit=off -c statement_timeout=5000"
        );
        await postgres.OpenAsync();
        _maria = $"test_{Guid.NewGuid():N}";
        var maria = new MySqlConnection(
            Environment.GetEnvironmentVariable("ROSTRUM_TEST_MARIADB")
                ?? throw new InvalidOperationException("ROSTRUM_TEST_MARIADB names the server: run ./rostrum test")
        );
        await maria.OpenAsync();
        await using (var create = new MySqlCommand($"CREATE DATABASE {_maria}; USE {_maria}", maria))
        {
            await create.ExecuteNonQueryAsync();
        }

        var sqlite = new SqliteConnection("Data Source=:memory:");
        await sqlite.OpenAsync();
        All = [new PostgresEngine(postgres), new MariaEngine(maria), new SqliteEngine(sqlite)];
        foreach (var engine in All)
        {
            await engine.LoadAsync();
        }
    }

    public async Task DisposeAsync()
    {
        await using (
            var drop = new MySqlCommand(
                $"DROP DATABASE {_maria}",
                new MySqlConnection(Environment.GetEnvironmentVariable("ROSTRUM_TEST_MARIADB"))
            )
        )
        {
            await drop.Connection!.OpenAsync();
            await drop.ExecuteNonQueryAsync();
            await drop.Connection.DisposeAsync();
        }

        foreach (var engine in All)
        {
            await engine.DisposeAsync();
        }

        await _postgres.DisposeAsync();
    }
}

/// <summary>The law of the formula language: whoever computes a formula, the answer is the same.</summary>
public sealed class AgreementTests(FormulaEngines engines, ITestOutputHelper output) : IClassFixture<FormulaEngines>
{
    /// <summary>
    /// How many formulas a run makes up; each is a case for every vessel in every database. FORMULA_CASES and FORMULA_SEED choose
    /// otherwise.
    /// </summary>
    private static readonly int Formulas = int.Parse(
        Environment.GetEnvironmentVariable("FORMULA_CASES") ?? "600",
        CultureInfo.InvariantCulture
    );

    [Fact]
    public void Databases_and_memory_agree_on_every_formula()
    {
        var seed = ulong.Parse(
            Environment.GetEnvironmentVariable("FORMULA_SEED")
                ?? Random.Shared.NextInt64(1, long.MaxValue).ToString(CultureInfo.InvariantCulture),
            CultureInfo.InvariantCulture
        );
        var counts = engines.All.ToDictionary(engine => engine.Dialect.Name, _ => (Computed: 0, Refused: 0), StringComparer.Ordinal);
        var reasons = new Dictionary<string, int>(StringComparer.Ordinal);
        var config = Config.QuickThrowOnFailure.WithMaxTest(Formulas).WithReplay(seed, 1).WithEndSize(40);
        output.WriteLine($"seed {seed}");
        try
        {
            Prop.ForAll(FormulaMaker.Arbitrary, made => Agree(made.Text, counts, reasons)).Check(config);
        }
        catch (Exception exception)
        {
            throw new InvalidOperationException($"FORMULA_SEED={seed}: {exception.Message}", exception);
        }

        foreach (var (name, (computed, refused)) in counts)
        {
            output.WriteLine(
                $"{name}: {computed} formulas computed there, {refused} left to memory; "
                    + $"{computed * FormulaWorld.Rows["vessels"].Length} cases agree"
            );
        }

        foreach (var (reason, count) in reasons.OrderByDescending(pair => pair.Value).Take(40))
        {
            output.WriteLine($"{count, 6} {reason}");
        }

        Assert.All(counts, count => Assert.True(
                count.Value.Computed * 100
                    > Formulas
                        * (
                            count.Key is "PostgreSQL" ? 65
                            : count.Key is "MariaDB" ? 40
                            : 20
                        ),
                $"{count.Key} computed only {count.Value.Computed} of {Formulas}"
            ));
    }

    /// <summary>What goes wrong in practice has one answer everywhere; and at least PostgreSQL computes it itself.</summary>
    [Theory]
    [InlineData("cars / 0")]
    [InlineData("MOD(cars, 0)")]
    [InlineData("QUOTIENT(1, cars - cars)")]
    [InlineData("cars / (fare - fare)")]
    [InlineData("DATE(9999, 12, 31) + cars")]
    [InlineData("DATE(1, 1, 1) - 1 + cars")]
    [InlineData("built + 4000000")]
    [InlineData("built - tonnes")]
    [InlineData("EDATE(built, cars)")]
    [InlineData("EOMONTH(built, tonnes)")]
    [InlineData("seen + 100000")]
    [InlineData("YEAR(seen)")]
    [InlineData("DAY(seen) & \"/\" & HOUR(seen)")]
    [InlineData("LEN(name) & LEFT(name, 2) & RIGHT(name, 3)")]
    [InlineData("MID(name, 2, 2147483647)")]
    [InlineData("LEFT(name, tonnes)")]
    [InlineData("RIGHT(name, -1)")]
    [InlineData("REPLACE(name, 1, tonnes, \"🚢\")")]
    [InlineData("UPPER(name) & LOWER(name)")]
    [InlineData("CEILING(cars, -3) + FLOOR(0 - cars, -7)")]
    [InlineData("sold < TRUE")]
    [InlineData("sold + 1")]
    [InlineData("LEN(cars) & LEFT(cars, 1)")]
    [InlineData("LEN(REPT(REPT(name, 300), 300))")]
    [InlineData("LEN(REPT(REPT(name, 900), 900))")]
    [InlineData("LEN(REPT(REPT(name, 100), 400) & REPT(REPT(name, 100), 400))")]
    [InlineData("LEN(REPT(REPT(name, 200), 350) & REPT(REPT(name, 200), 350))")]
    [InlineData("LEN(TEXTJOIN(\", \", FALSE, REPT(REPT(name, 100), 300), REPT(REPT(name, 200), 300)))")]
    [InlineData("LEN(REPLACE(REPT(REPT(name, 200), 350), 1, 1, REPT(REPT(name, 200), 350)))")]
    [InlineData("LEN(TEXTJOIN(\"; \", TRUE, defects.title))")]
    [InlineData("SUBSTITUTE(name, \"\", \"x\")")]
    [InlineData("FIND(\"\", name, 1)")]
    [InlineData("CONTAINS(name, \"%\")")]
    [InlineData("CEILING(rate / 1000000000, 100000000000000000000)")]
    [InlineData("FLOOR(0 - rate / 1000000000, 100000000000000000000)")]
    [InlineData("MROUND(rate / 1000000000, 100000000000000000000)")]
    [InlineData("HAS(name, \"É\")")]
    [InlineData("HAS(name & \"Ǆ Ø Ł ﬁ e\u0301\", \"o l\")")]
    [InlineData("name = \"it's \"\"x\"\"\"")]
    [InlineData("name < \"🚢\"")]
    [InlineData("name = name & \" \"")]
    [InlineData("name = \"kittiwake\"")]
    [InlineData("SUM(FILTER(defects, FALSE).cost)")]
    [InlineData("AVERAGE(FILTER(defects, FALSE).cost)")]
    [InlineData("COUNT(FILTER(defects, BLANK))")]
    [InlineData("FIRST(FILTER(defects, id < 0).title)")]
    [InlineData("ALL(FILTER(defects, id < 0), FALSE)")]
    [InlineData("ISBLANK(port.defects_found)")]
    [InlineData("SUM(port.vessels.cars)")]
    [InlineData("BLANK + BLANK = BLANK")]
    [InlineData("IF(BLANK, 1, BLANK)")]
    [InlineData("AND(BLANK, TRUE)")]
    [InlineData("NOT(sold)")]
    [InlineData("sold = BLANK")]
    [InlineData("fare = BLANK")]
    [InlineData("fare <> 12.5")]
    [InlineData("built = BLANK")]
    [InlineData("built <= DATE(9999, 12, 31)")]
    [InlineData("1 / 3 * cars = cars / 3")]
    [InlineData("ROUND(cars / 3 * 3, 0) = cars")]
    [InlineData("cars / 3 + cars / 3 + cars / 3 - cars")]
    [InlineData("-cars")]
    [InlineData("0 - tonnes")]
    [InlineData("ROUND(-fare, 1)")]
    [InlineData("rate & \"\"")]
    public void Bad_input_has_one_answer_everywhere(string formula)
    {
        var counts = engines.All.ToDictionary(engine => engine.Dialect.Name, _ => (Computed: 0, Refused: 0), StringComparer.Ordinal);
        Agree(formula, counts, []);
        Assert.Equal(1, counts["PostgreSQL"].Computed);
    }

    /// <summary>What would not be exact is refused, with a reason.</summary>
    [Theory]
    [InlineData("tonnes * tonnes", "its numbers could have more than 28 digits")]
    [InlineData("rate * rate", "its numbers could have more than 28 digits")]
    [InlineData("SQRT(cars)", "PostgreSQL has no SQRT that gives the same")]
    [InlineData("MATCHES(name, \"^(a+)+$\")", "PostgreSQL has no MATCHES that gives the same")]
    [InlineData("ROUND(fare, cars)", "PostgreSQL computes ROUND only where its numbers stand in the formula")]
    [InlineData("seen + tonnes", "PostgreSQL moves moments exactly by 100,000 days at most")]
    [InlineData("FIRST(SORT(defects, cost)).title", "which record is meant is known only once the formula is computed")]
    public void What_would_not_be_exact_is_left_to_memory(string formula, string reason) =>
        Assert.Equal(
            reason,
            engines.Postgres.Statement(Checker.Check(Parser.Parse(formula), FormulaWorld.Vessel.Shape).Tree!, grouped: true).Refusal
        );

    private void Agree(string text, Dictionary<string, (int Computed, int Refused)> counts, Dictionary<string, int> reasons)
    {
        var formula = Checker.Check(Parser.Parse(text), FormulaWorld.Vessel.Shape);
        Assert.True(formula.Tree is not null, $"{text}: {string.Join(" ", formula.Problems.Select(problem => problem.Message))}");
        var compiled = Compiler.Compile(formula.Tree, once: text.Length % 8 != 0);
        object?[] expected = [.. FormulaWorld.Fleet.Select(vessel => compiled(vessel, FormulaWorld.Context))];
        foreach (var engine in engines.All)
        {
            var (computed, refused) = counts[engine.Dialect.Name];
            var (sql, command, refusal) = engine.Statement(formula.Tree, grouped: text.Length % 2 == 0);
            if (sql is null)
            {
                Assert.NotNull(refusal);
                reasons[$"{engine.Dialect.Name}: {refusal}"] = reasons.GetValueOrDefault($"{engine.Dialect.Name}: {refusal}") + 1;
            }
            else
            {
                Compare(text, engine.Dialect.Name, sql, expected, Run(command, formula.Tree.Type, sql));
            }

            command.Dispose();
            counts[engine.Dialect.Name] = sql is null ? (computed, refused + 1) : (computed + 1, refused);
        }
    }

    private static List<(object? Value, bool? Holds)> Run(System.Data.Common.DbCommand command, FormulaType type, string sql)
    {
        try
        {
            return FormulaEngine.EvaluateAsync(command, type).GetAwaiter().GetResult();
        }
        catch (Exception exception)
            when (exception is System.Data.Common.DbException or FormatException or OverflowException or InvalidOperationException)
        {
            var values = string.Join(
                ", ",
                command
                    .Parameters.Cast<System.Data.Common.DbParameter>()
                    .Select(parameter => $"{parameter.ParameterName}={parameter.Value}")
            );
            throw new InvalidOperationException($"{exception.Message}\n{sql}\n{values}", exception);
        }
    }

    private static void Compare(string text, string engine, string sql, object?[] expected, List<(object? Value, bool? Holds)> actual)
    {
        Assert.Equal(expected.Length, actual.Count);
        for (var i = 0; i < expected.Length; i++)
        {
            Assert.True(
                Alike(expected[i], actual[i].Value),
                $"{text}\nvessel {i + 1}: memory {Show(expected[i])}, {engine} {Show(actual[i].Value)}\n{sql}"
            );
            Assert.True(
                actual[i].Holds is null || actual[i].Holds == (expected[i] is true),
                $"{text}\nvessel {i + 1} as a condition: memory {Show(expected[i])}, {engine} {actual[i].Holds}\n{sql}"
            );
        }
    }

    // Numbers agree to one part in 10^12; everything else to the letter.
    private static bool Alike(object? one, object? other) =>
        (one, other) switch
        {
            (decimal left, decimal right) => left == right
                || Math.Abs((double)left - (double)right) <= 1e-12 * Math.Max(Math.Abs((double)left), Math.Abs((double)right)),
            (DateTimeOffset left, DateTimeOffset right) => left.UtcDateTime == right.UtcDateTime,
            _ => Equals(one, other),
        };

    private static string Show(object? value) =>
        value is null ? "blank"
        : value is string text ? $"\"{text}\""
        : string.Create(CultureInfo.InvariantCulture, $"{value}");
}
