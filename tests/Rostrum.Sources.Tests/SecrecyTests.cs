using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Record = Rostrum.Core.Datasets.Record;

namespace Rostrum.Sources.Tests;

/// <summary>
/// The law of hidden fields: of two worlds that differ in nothing but their values, nobody who may not read them learns in which one they
/// are.
/// </summary>
public sealed class SecrecyTests : IAsyncLifetime
{
    private const int Worlds = 12;
    private const int QuestionsInEach = 60;

    private static readonly DateTimeOffset Now = new(2026, 11, 24, 12, 0, 0, TimeSpan.Zero);

    // Each column that may be hidden, with its values in either world.
    private static readonly (string Table, string Column, string Here, string There)[] Secrets =
    [
        ("crews", "wage", "id * 10", "CASE WHEN id % 3 = 0 THEN NULL ELSE 500 - id END"),
        ("crews", "note", "'calm ' || id", "'wild ' || (90 - id)"),
        ("crews", "name", "'Crew ' || id", "'Team ' || (30 - id)"),
        ("trips", "cost", "id * 7 % 50", "CASE WHEN id % 4 = 0 THEN NULL ELSE id * 11 % 90 END"),
        ("trips", "due", "DATE '2026-11-01' + id", "DATE '2026-12-30' - id"),
        ("trips", "state", "CASE WHEN id % 2 = 0 THEN 'open' ELSE 'done' END", "CASE WHEN id % 5 = 0 THEN 'open' ELSE 'done' END"),
        ("trips", "remark", "'quiet ' || id", "'storm'"),
        ("trips", "crew", "1 + id % 6", "CASE WHEN id % 7 = 0 THEN NULL ELSE 6 - id % 3 END"),
    ];

    private TestDatabase _here = null!;
    private TestDatabase _there = null!;

    public async Task InitializeAsync()
    {
        const string Tables = """
            CREATE TABLE crews (id int PRIMARY KEY, name text, wage numeric(10, 2), note text);
            CREATE TABLE trips (id int PRIMARY KEY, title text NOT NULL, crew int REFERENCES crews, cost numeric(10, 2), due date,
              state text, remark text);
            INSERT INTO crews SELECT n FROM generate_series(1, 6) n;
            INSERT INTO trips SELECT n, 'Trip ' || n FROM generate_series(1, 40) n;
            """;
        (_here, _there) = (await TestDatabase.CreateAsync(Tables), await TestDatabase.CreateAsync(Tables));
    }

    public async Task DisposeAsync()
    {
        await _here.DisposeAsync();
        await _there.DisposeAsync();
    }

    [Fact]
    public async Task Whoever_may_not_read_a_field_is_told_the_same_whatever_its_values_are()
    {
        var random = new Random(20261124);
        var catalogue = Computed(await _here.DraftAsync());
        await using var here = Gates.For(_here);
        await using var there = Gates.For(new Elsewhere(_there));
        for (var world = 0; world < Worlds; world++)
        {
            var hidden = Secrets.Where(_ => random.Next(3) == 0).DefaultIfEmpty(Secrets[world % Secrets.Length]).ToArray();
            await FillAsync(hidden);

            var grants = Grants.Of(
                new HashSet<string> { "x" },
                [
                    .. catalogue.All.Select(dataset =>
                        Policy.On("x", dataset.Id, Verbs.All) with
                        {
                            Readable = new FieldSet.Only([
                                .. dataset
                                    .Fields.Select(field => field.Name)
                                    .Where(name =>
                                        !hidden.Any(secret => secret.Table == dataset.Name.Value && secret.Column == name.Value)
                                    ),
                            ]),
                        }
                    ),
                ]
            );
            for (var number = 0; number < QuestionsInEach; number++)
            {
                var question = Question(random, catalogue);
                var answers = (await question.Ask(here, grants), await question.Ask(there, grants));
                Assert.True(
                    answers.Item1 == answers.Item2,
                    $"Hidden: "
                        + $"{string.Join(", ", hidden.Select(secret => secret.Column))}\n{question.Said}\n{answers.Item1}\n{answers.Item2}"
                );
            }
        }
    }

    /// <summary>The same of whoever may read a field of some records, by one role, and of others, by another.</summary>
    [Fact]
    public async Task Whoever_may_read_a_field_of_some_records_only_is_told_the_same_whatever_its_values_are_in_the_others()
    {
        var random = new Random(20261129);
        var catalogue = Computed(await _here.DraftAsync());
        await using var here = Gates.For(_here);
        await using var there = Gates.For(new Elsewhere(_there));
        var different = 0;
        for (var world = 0; world < Worlds; world++)
        {
            (string Role, string Records, string RecordsElse)[] roles =
            [
                ("a", "MOD(id, 3) <> 0", "id % 3 <> 0"),
                ("b", "MOD(id, 3) <> 1", "id % 3 <> 1"),
            ];
            var hidden = roles.ToDictionary(
                role => role.Role,
                _ => Secrets.Where(_ => random.Next(3) == 0).DefaultIfEmpty(Secrets[world % Secrets.Length]).ToArray()
            );

            // A value is another there where no role shows it.
            await FillAsync(Secrets, secret =>
                "NOT (" + string.Join(" OR ", roles.Select(role => hidden[role.Role].Contains(secret) ? "false" : role.RecordsElse)) + ")"
            );
            var grants = Grants.Of(
                new HashSet<string> { "a", "b" },
                [
                    .. from dataset in catalogue.All
                    from role in roles
                    select Policy.On(role.Role, dataset.Id, Verbs.All) with
                    {
                        Condition = new Filter.Holds(role.Records),
                        Readable = new FieldSet.But([
                            .. hidden[role.Role]
                                .Where(secret => secret.Table == dataset.Name.Value)
                                .Select(secret => new FieldName(secret.Column)),
                        ]),
                    },
                ]
            );
            for (var number = 0; number < QuestionsInEach; number++)
            {
                var question = Question(random, catalogue);
                var answers = (await question.Ask(here, grants), await question.Ask(there, grants));
                var kept = hidden.Select(role => $"{role.Key}: {string.Join(", ", role.Value.Select(secret => secret.Column))}");
                Assert.True(
                    answers.Item1 == answers.Item2,
                    $"Hidden: {string.Join("; ", kept)}\n{question.Said}\n{answers.Item1}\n{answers.Item2}"
                );
                different += await question.Ask(here, Gates.All) == await question.Ask(there, Gates.All) ? 0 : 1;
            }
        }

        Assert.True(different > Worlds * QuestionsInEach / 10, $"{different}");
    }

    /// <summary>That the law says something: who may read the fields is told of the difference.</summary>
    [Fact]
    public async Task Whoever_may_read_it_is_told_of_the_difference()
    {
        var random = new Random(7);
        var catalogue = Computed(await _here.DraftAsync());
        await using var here = Gates.For(_here);
        await using var there = Gates.For(new Elsewhere(_there));
        await FillAsync(Secrets);

        var different = 0;
        for (var number = 0; number < QuestionsInEach; number++)
        {
            var question = Question(random, catalogue);
            different += await question.Ask(here, Gates.All) == await question.Ask(there, Gates.All) ? 0 : 1;
        }

        Assert.InRange(different, QuestionsInEach / 4, QuestionsInEach);
    }

    private async Task FillAsync(
        (string Table, string Column, string Here, string There)[] different,
        Func<(string Table, string Column, string Here, string There), string>? where = null
    )
    {
        string There((string Table, string Column, string Here, string There) secret) =>
            !different.Contains(secret) ? secret.Here
            : where is null ? secret.There
            : $"CASE WHEN {where(secret)} THEN {secret.There} ELSE {secret.Here} END";
        await _here.RunAsync(string.Join("; ", Secrets.Select(secret => $"UPDATE {secret.Table} SET {secret.Column} = {secret.Here}")));
        await _there.RunAsync(string.Join("; ", Secrets.Select(secret => $"UPDATE {secret.Table} SET {secret.Column} = {There(secret)}")));
    }

    // A title by the hidden crew's name, and computed fields that lead to what is hidden.
    private static DatasetCatalogue Computed(DatasetCatalogue drafted)
    {
        static Field Formula(string name, string formula, FieldType type) =>
            new()
            {
                Name = new(name),
                Label = name,
                Column = "",
                NativeType = "",
                Type = type,
                Required = false,
                Formula = formula,
            };
        return new([
            .. drafted.All.Select(dataset =>
                dataset.Name.Value == "trips"
                    ? dataset with
                    {
                        Title = [FieldPath.Of(new("title")), new FieldPath([new("crew")], new("name"))],
                        Fields = dataset
                            .Fields.Add(Formula("dear", "cost > 20", new FieldType.YesNo()))
                            .Add(Formula("sum", "crew.wage + cost", new FieldType.Number(28, 10))),
                    }
                    : dataset with
                    {
                        Fields = dataset.Fields.Add(Formula("spent", "SUM(trips.cost)", new FieldType.Number(28, 10))),
                    }
            ),
        ]);
    }

    private sealed record Asked(string Said, Func<RecordGate, Grants, Task<string>> Ask);

    private static Asked Question(Random random, DatasetCatalogue catalogue)
    {
        T Any<T>(params T[] of) => of[random.Next(of.Length)];
        var dataset = Any([.. catalogue.All.OrderBy(known => known.Name.Value, StringComparer.Ordinal)]);
        var isTrips = dataset.Name.Value == "trips";
        var field = Any([.. dataset.Fields]).Name;
        string Formula() =>
            isTrips
                ? Any(
                    "cost > 20",
                    "crew.wage < 100",
                    "state = \"open\"",
                    "ISBLANK(remark)",
                    "SQRT(cost) > 3",
                    "due < DATE(2026, 11, 20)",
                    "crew.name & title > \"C\"",
                    "COUNT(crew.trips) > 5",
                    "SUM(crew.trips.cost) > 100",
                    "dear",
                    "sum > 60",
                    "CONTAINS(remark, \"o\")"
                )
                : Any(
                    "wage > 30",
                    "ANY(trips, cost > 40)",
                    "COUNT(trips) > 4",
                    "spent > 50",
                    "CONTAINS(note, \"w\")",
                    "MAX(trips.due) > DATE(2026, 12, 1)",
                    "COUNT(FILTER(trips, state = \"open\")) = 2",
                    "SQRT(wage) > 4",
                    "name = \"Crew 2\""
                );
        Filter Narrow() =>
            random.Next(7) switch
            {
                0 => new Filter.Everything(),
                1 => new Filter.Not(Narrow()),
                2 => new Filter.Or([Narrow(), Narrow()]),
                3 => new Filter.OneOf(field, [null]),
                4 => new Filter.Alike([field]),
                5 => new Filter.Contains(Any(new FieldName("title"), new("name"), new("remark"), new("note")), Any("a", "1", "storm")),
                _ => new Filter.Holds(Formula()),
            };
        var filter = Narrow();
        if (filter.Fields.Any(name => dataset.Find(name) is null))
        {
            filter = new Filter.Holds(Formula());
        }

        ImmutableArray<ComputedColumn> computed = random.Next(2) == 0 ? [] : [new(new("own"), Formula())];
        var sort = new SortBy(computed.IsEmpty || random.Next(2) == 0 ? field : new FieldName("own"), random.Next(2) == 0);
        var search = Any("", "", "1", "crew", "storm", "calm");
        var (what, changed) = (random.Next(9), Any(field.Value, isTrips ? "title" : "id"));
        var total = random.Next(2) == 0 ? Total.Distinct : Total.Median;
        return new Asked(
            $"{what} {dataset.Name}: field {field}, filter {filter} {string.Join("; ", filter.Formulas)}, computed "
                + $"{string.Join("; ", computed.Select(column => column.Formula))}, sort {sort}, search “{search}”",
            async (gate, grants) =>
                what switch
                {
                    0 => Told(
                        dataset,
                        await gate.GroupAsync(
                            catalogue,
                            new GroupRequest(dataset.Id, sort.Field, filter, search, 10) { Computed = computed },
                            grants,
                            default
                        )
                    ),
                    1 => Told(
                        dataset,
                        await gate.TotalAsync(
                            catalogue,
                            new TotalRequest(dataset.Id, [new(sort.Field, Total.Sum), new(field, Total.Most)], filter, search)
                            {
                                Computed = computed,
                                Now = Now,
                            },
                            grants,
                            default
                        )
                    ),
                    8 => Told(
                        dataset,
                        await gate.SummariseAsync(
                            catalogue,
                            new SummaryRequest(dataset.Id, [sort.Field, new("title")], [null, new FieldTotal(field, total)], filter)
                            {
                                Search = search,
                                Computed = computed,
                                Now = Now,
                            },
                            grants,
                            default
                        )
                    ),
                    2 => Told(
                        dataset,
                        await gate.SaveAsync(
                            catalogue,
                            dataset,
                            new Change.Update(new RecordKey([3L]), Gates.Values((field.Value, "x")), Gates.Values((changed, null))),
                            grants
                        )
                    ),
                    3 => Told(
                        dataset,
                        await gate.SaveAsync(
                            catalogue,
                            dataset,
                            new Change.Update(
                                new RecordKey([3L]),
                                FieldValues.None,
                                Gates.Values((field.Value, field.Value == "id" ? 3L : null))
                            ),
                            grants
                        )
                    ),
                    _ => Told(
                        dataset,
                        await gate.ReadAsync(
                            catalogue,
                            new ReadRequest(dataset.Id)
                            {
                                Fields = [.. dataset.Fields.Select(known => known.Name)],
                                Titles = isTrips ? [new("crew")] : [],
                                Computed = computed,
                                Filter = filter,
                                Search = search,
                                Sort = [sort],
                                Counted = true,
                                Now = Now,
                                Window = what == 4 ? new PageWindow.FromStart(0, 0) : new PageWindow.FromStart(0, 10),
                            },
                            grants,
                            default
                        )
                    ),
                }
        );
    }

    private static string Told(Dataset dataset, object answer) =>
        answer switch
        {
            ReadResult.Rows rows => $"{rows.Count} {rows.HasEarlier} {rows.HasLater} {Json(rows.First)} {Json(rows.Last)} "
                + $"{Json(rows.Explanation)}\n{string.Join('\n', rows.Records.Select(record => Told(dataset, record)))}",
            SaveResult.Conflict conflict => $"conflict {(conflict.Current is { } record ? Told(dataset, record) : "gone")}",
            SaveResult.Saved saved => $"saved {saved.Changes.Length}",
            ReadResult.Failed failed => failed.Failure.Message,
            SaveResult.Failed failed => failed.Failure.Message,
            _ => answer.GetType().Name + Json(answer),
        };

    private static string Told(Dataset dataset, Record record) =>
        $"{record.Key?.ToText(dataset)} {record.Title} "
        + $"{string.Join(", ", record.Layout.Fields.Select(name => $"{name}={record[name]}"))} {record.TitleOf(new("crew"))}";

    private static string Json(object? value) => JsonSerializer.Serialize(value, value?.GetType() ?? typeof(object));

    // The same catalogue leads to the other world.
    private sealed class Elsewhere(TestDatabase database) : ISourceDirectory
    {
        public ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation) =>
            ValueTask.FromResult<SourceSettings?>(database.Settings);
    }
}
