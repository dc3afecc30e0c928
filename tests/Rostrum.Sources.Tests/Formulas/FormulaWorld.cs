using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Tests.Formulas;

/// <summary>Stands in a record for a value that a database holds and a formula cannot carry. In memory it is blank.</summary>
internal sealed record Unfit(string Postgres);

/// <summary>
/// Vessels with ports, defects and parts: the same records in memory and, by <see cref="FormulaEngine"/>, in each database.
/// </summary>
internal static class FormulaWorld
{
    private static readonly SourceId Source = new(Guid.NewGuid());

    private static readonly Dataset Ports = Table(
        "ports",
        "port",
        [
            F("id", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            F("name", new FieldType.Text(), "text"),
            F("depth", new FieldType.Number(6, 2), "numeric(6,2)"),
            F("opened", new FieldType.Date(), "date"),
        ]
    );

    private static readonly Dataset Vessels = Table(
        "vessels",
        "vessel",
        [
            F("id", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            F("name", new FieldType.Text(), "text"),
            F("state", new FieldType.Choice(["in service", "laid up", "sold"]), "text"),
            F("cars", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            F("tonnes", new FieldType.Integer(), "bigint"),
            F("fare", new FieldType.Number(10, 2), "numeric(10,2)"),
            F("rate", new FieldType.Number(26, 10), "numeric(26,10)"),
            F("built", new FieldType.Date(), "date"),
            F("sold", new FieldType.YesNo(), "boolean"),
            F("sails", new FieldType.Time(), "time"),
            F("seen", new FieldType.Instant(), "timestamptz"),
            F("port_id", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            C("share", new FieldType.Number(), "cars / 7"),
            C("open_cost", new FieldType.Number(), "SUM(FILTER(defects, state = \"open\").cost)"),
            C("call", new FieldType.Text(), "name & \" of \" & port.name"),
        ],
        To("port", "port_id", Ports, "vessels")
    );

    private static readonly Dataset Defects = Table(
        "defects",
        "defect",
        [
            F("id", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            F("vessel_id", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            F("title", new FieldType.Text(), "text"),
            F("state", new FieldType.Choice(["open", "closed"]), "text"),
            F("cost", new FieldType.Number(9, 2), "numeric(9,2)"),
            F("hours", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            F("due", new FieldType.Date(), "date"),
            F("port_id", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            C("worth", new FieldType.Number(), "IFBLANK(cost, 0) * hours"),
            C("ratio", new FieldType.Number(), "cost / 3"),
            C("late", new FieldType.YesNo(), "due < TODAY()"),
            C("pieces", new FieldType.Number(), "SUM(parts.quantity)"),
        ],
        To("vessel", "vessel_id", Vessels, "defects"),
        To("found_at", "port_id", Ports, "defects_found")
    );

    private static readonly Dataset Parts = Table(
        "parts",
        "part",
        [
            F("id", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            F("defect_id", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            F("quantity", new FieldType.Integer(int.MinValue, int.MaxValue), "int"),
            F("price", new FieldType.Number(8, 2), "numeric(8,2)"),
            F("name", new FieldType.Text(), "text"),
        ],
        To("defect", "defect_id", Defects, "parts")
    );

    public static readonly ImmutableArray<Dataset> Tables = [Ports, Vessels, Defects, Parts];

    public static readonly DatasetShapes Shapes = DatasetShapes.Of(new DatasetCatalogue(Tables), Grants.Everywhere(Grant.Everything));

    public static readonly DatasetShape Vessel = Shapes.Of(Vessels);

    public static readonly FormulaContext Context = new(
        new DateTimeOffset(2026, 3, 28, 23, 30, 15, 250, TimeSpan.Zero),
        TimeZoneInfo.FindSystemTimeZoneById("Europe/Oslo")
    )
    {
        Budget = new FormulaBudget(long.MaxValue),
    };

    /// <summary>The rows of each table, made up from a seed, with the ends of every range among them.</summary>
    public static readonly ImmutableDictionary<string, object?[][]> Rows = MakeRows(new Random(20260314));

    private static readonly Dictionary<(string Table, int Id), FormulaRecord> Records = [];

    /// <summary>The vessels in memory, in the order of their keys.</summary>
    public static IEnumerable<FormulaRecord> Fleet => Rows["vessels"].Select(row => RecordOf(Vessel, row));

    private static FormulaRecord RecordOf(DatasetShape shape, object?[] row)
    {
        var identity = (shape.Dataset.Name.Value, (int)row[0]!);
        if (!Records.TryGetValue(identity, out var record))
        {
            var values = new object?[shape.Shape.Members.Length];
            Records.Add(identity, record = new FormulaRecord(shape.Shape, values, identity));
            for (var i = 0; i < values.Length; i++)
            {
                values[i] = shape[i] switch
                {
                    ShapeMember.Value { Field.Formula: not null } => null,
                    ShapeMember.Value value => Carried(row[shape.Dataset.Fields.IndexOf(value.Field)]),
                    ShapeMember.ToOne one => Rows[one.Target.Dataset.Name.Value]
                        .FirstOrDefault(target => Equals(target[0], row[shape.Dataset.Fields.IndexOf(shape.Dataset[one.Relation.Field])]))
                        is { } found
                        ? RecordOf(one.Target, found)
                        : null,
                    ShapeMember.ToMany many => Rows[many.From.Dataset.Name.Value]
                        .Where(from => Equals(from[many.From.Dataset.Fields.IndexOf(many.From.Dataset[many.Relation.Field])], row[0]))
                        .Select(from => (object?)RecordOf(many.From, from))
                        .ToArray(),
                    _ => null,
                };
            }
        }

        return record;
    }

    private static object? Carried(object? value) =>
        value switch
        {
            Unfit => null,
            int number => (decimal)number,
            long number => (decimal)number,
            _ => value,
        };

    private static ImmutableDictionary<string, object?[][]> MakeRows(Random random)
    {
        string?[] names =
        [
            "Kittiwake",
            "Old Petrel",
            "",
            null,
            "ÆØÅ æøå",
            "e\u0301clair",
            "🚢 ferry 🚢",
            "a  b c ",
            "%_\\",
            "it's \"x\"",
            "ıİſßµǅ",
            "TRUE",
            "zz\ttab",
            "Ж日本",
            "BF-101",
            " Gannet",
        ];
        string?[] states = ["in service", "laid up", "sold", null];
        int?[] wholes = [0, 1, -1, 2, 3, 7, 10, 90, 350, int.MaxValue, int.MinValue, null];
        long?[] longs = [0, 5, -44, 123456789012, long.MaxValue, long.MinValue, null];
        object?[] amounts = [0m, 0.01m, -0.05m, 12.50m, 1234.567m, 99999999.99m, -99999999.99m, 2.5m, 33.33m, new Unfit("NaN"), null];
        object?[] rates = [0m, 0.0000000001m, 9999999999999999.9999999999m, -0.3333333333m, 1.5m, 7m, null];
        object?[] dates =
        [
            new DateOnly(1, 1, 1),
            new DateOnly(9999, 12, 31),
            new DateOnly(2024, 2, 29),
            new DateOnly(2026, 3, 29),
            new DateOnly(2026, 3, 14),
            new DateOnly(1999, 12, 31),
            new DateOnly(2026, 1, 31),
            new Unfit("infinity"),
            new Unfit("0044-03-15 BC"),
            null,
        ];
        TimeOnly?[] times = [new TimeOnly(0, 0), new TimeOnly(14, 5), new TimeOnly(23, 59, 59), new TimeOnly(6, 30, 15), null];
        object?[] instants =
        [
            "2026-03-29T00:59:59Z",
            "2026-03-29T01:00:00Z",
            "2026-10-25T00:30:00Z",
            "2026-03-28T23:30:15.25Z",
            "0001-01-01T00:00:00Z",
            "9999-12-31T23:59:59Z",
            "2024-02-29T12:00:00.000001Z",
            "1971-06-01T22:15:00Z",
            new Unfit("-infinity"),
            null,
        ];
        T One<T>(T[] from) => from[random.Next(from.Length)];
        object? Instant() =>
            One(instants) is string text ? DateTimeOffset.Parse(text, CultureInfo.InvariantCulture) : One(instants) as Unfit;
        decimal? Cost() => random.Next(5) == 0 ? null : Math.Round((decimal)(random.NextDouble() * random.Next(1, 5000)), 2);
        return new Dictionary<string, object?[][]>
        {
            ["ports"] = [.. Enumerable.Range(1, 5).Select(id => new object?[] { id, One(names), Cost() % 100, One(dates) as DateOnly? })],
            ["vessels"] =
            [
                .. Enumerable
                    .Range(1, 32)
                    .Select(id =>
                        new object?[]
                        {
                            id,
                            One(names),
                            One(states),
                            One(wholes),
                            One(longs),
                            One(amounts) is var fare && fare is decimal amount ? Math.Round(amount, 2) : fare,
                            One(rates),
                            One(dates),
                            random.Next(3) switch
                            {
                                0 => true,
                                1 => false,
                                _ => null,
                            },
                            One(times),
                            Instant(),
                            random.Next(4) == 0 ? null : random.Next(1, 7),
                        }
                    ),
            ],
            ["defects"] =
            [
                .. Enumerable
                    .Range(1, 60)
                    .Select(id =>
                        new object?[]
                        {
                            id,
                            random.Next(1, 24),
                            One(names),
                            random.Next(3) switch
                            {
                                0 => "open",
                                1 => "closed",
                                _ => null,
                            },
                            Cost(),
                            random.Next(4) == 0 ? null : random.Next(-3, 40),
                            One(dates) as DateOnly?,
                            random.Next(3) == 0 ? null : random.Next(1, 6),
                        }
                    ),
            ],
            ["parts"] =
            [
                .. Enumerable
                    .Range(1, 80)
                    .Select(id =>
                        new object?[] { id, random.Next(1, 50), random.Next(5) == 0 ? null : random.Next(0, 12), Cost() % 1000, One(names) }
                    ),
            ],
        }.ToImmutableDictionary();
    }

    private static Field F(string name, FieldType type, string native) =>
        new()
        {
            Name = new(name),
            Column = name,
            NativeType = native,
            Label = name,
            Type = type,
            Required = name == "id",
        };

    private static Field C(string name, FieldType type, string formula) => F(name, type, "") with { Formula = formula, Column = "" };

    private static Relation To(string name, string field, Dataset target, string inverse) =>
        new()
        {
            Name = new(name),
            Label = name,
            Field = new(field),
            Target = target.Id,
            TargetField = new("id"),
            InverseName = new(inverse),
            InverseLabel = inverse,
            Because = "",
        };

    private static Dataset Table(string name, string record, ImmutableArray<Field> fields, params ImmutableArray<Relation> relations) =>
        new()
        {
            Id = new(Guid.NewGuid()),
            Source = Source,
            Table = new TableName("", name),
            Name = new(name),
            Label = name,
            RecordLabel = record,
            Fields = fields,
            Key = [new("id")],
            Title = [FieldPath.Of(new(name is "defects" ? "title" : "name"))],
            TitleBecause = "",
            Relations = relations,
        };
}
