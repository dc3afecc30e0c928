using BenchmarkDotNet.Attributes;
using BenchmarkDotNet.Running;
using Jint;
using Jint.Native;
using Rostrum.Core.Formulas;

BenchmarkRunner.Run<FormulaBenchmarks>();

/// <summary>
/// A formula with six operators over a record, against the same written by hand in C# and against a general-purpose script engine; and
/// parsing with checking.
/// </summary>
[MemoryDiagnoser]
[ShortRunJob]
public class FormulaBenchmarks
{
    private const string Six = "IFBLANK(fare * 2 + cars / 3, 0) - fee > limit + 1";
    private const string Long =
        "IF(AND(state = \"arrived\", cars > 10), ROUND(fare * 0.25 + cars * 11.5 - fee / 3, 2), IFBLANK(fare, 0)) + "
        + "IF(CONTAINS(state, \"cancel\"), -fee, 0) + MAX(fare, limit, cars) * (1 + LEN(TRIM(state)) / 100) - MOD(cars, 7)";

    private static readonly FormulaShape Shape = new(
        "sailing",
        [
            new("fare", new FormulaType.Number()),
            new("cars", new FormulaType.Number()),
            new("fee", new FormulaType.Number()),
            new("limit", new FormulaType.Number()),
            new("state", new FormulaType.Text()),
        ]
    );

    private readonly FormulaRecord _record = new(Shape, [123.45m, 42m, 7.5m, 100m, "arrived"]);
    private readonly FormulaContext _context = new(DateTimeOffset.UnixEpoch, TimeZoneInfo.Utc);
    private Func<FormulaRecord, FormulaContext, object?> _compiled = null!;
    private Engine _engine = null!;
    private Prepared<Acornima.Ast.Script> _script;

    [GlobalSetup]
    public void Prepare()
    {
        _compiled = Compiler.Compile(Checker.Check(Parser.Parse(Six), Shape).Tree!);
        _engine = new Engine();
        _script = Engine.PrepareScript("(fare == null || cars == null ? 0 : fare * 2 + cars / 3) - fee > limit + 1");
    }

    [Benchmark(Baseline = true)]
    public object? ByHand()
    {
        var (fare, cars, fee, limit) = ((decimal?)_record[0], (decimal?)_record[1], (decimal?)_record[2], (decimal?)_record[3]);
        decimal? total;
        try
        {
            total = fare * 2m + cars / 3m;
        }
        catch (OverflowException)
        {
            total = null;
        }

        try
        {
            return (total ?? 0m) - fee > limit + 1m;
        }
        catch (OverflowException)
        {
            return false;
        }
    }

    [Benchmark]
    public object? Formula() => _compiled(_record, _context);

    [Benchmark]
    public object? Script()
    {
        _engine.SetValue("fare", (double)(decimal)_record[0]!);
        _engine.SetValue("cars", (double)(decimal)_record[1]!);
        _engine.SetValue("fee", (double)(decimal)_record[2]!);
        _engine.SetValue("limit", (double)(decimal)_record[3]!);
        JsValue value = _engine.Evaluate(_script);
        return value.AsBoolean();
    }

    [Benchmark]
    public object ParseAndCheck200Characters() => Checker.Check(Parser.Parse(Long), Shape);
}
