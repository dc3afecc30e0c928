using System.Text.Json;
using Jint;
using Jint.Native;
using Jint.Runtime;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows;

namespace Rostrum.Web.Workflows.Running.Carriers;

/// <summary>
/// Runs a script. It reaches nothing but its inputs: no files, no network, no types of .NET; and has limits of time, memory and statements.
/// </summary>
internal sealed class RunningScript : RunCarrier<StepEffect.RunScript>
{
    private const long MostBytes = 64 * 1024 * 1024;
    private const int MostStatements = 5_000_000;
    private const int LongestResult = 2_000_000;
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(5);

    public override EffectSafety Safety => EffectSafety.Harmless;

    protected override string Says(StepEffect.RunScript effect, RunContext context) =>
        string.Join(
            "\n",
            effect.Inputs.Select(input => $"{input.Key} = {context.Reading.Values.Write(input.Value)?.ToJsonString() ?? "null"}")
        );

    protected override Task<RunCarried> CarryAsync(StepEffect.RunScript effect, RunContext context) =>
        Task.FromResult(Run(effect, context));

    private static RunCarried Run(StepEffect.RunScript effect, RunContext context)
    {
        try
        {
            using var engine = new Engine(options =>
                options
                    .LimitMemory(MostBytes)
                    .TimeoutInterval(Limit)
                    .MaxStatements(MostStatements)
                    .LimitRecursion(200)
                    .Strict()
                    .CancellationToken(context.Cancellation)
            );
            var json = new Jint.Native.Json.JsonParser(engine);
            foreach (var (name, value) in effect.Inputs)
            {
                engine.SetValue(name, json.Parse(context.Reading.Values.Write(value)?.ToJsonString() ?? "null"));
            }

            var result = engine.Evaluate($"(function () {{\n{effect.Code}\n}})()");
            var text = new Jint.Native.Json.JsonSerializer(engine).Serialize(result);
            if (text.IsUndefined())
            {
                return new RunCarried.Done(null, "nothing");
            }

            var written = text.AsString();
            if (written.Length > LongestResult)
            {
                return new RunCarried.Failed("The script returns too much.");
            }

            using var document = JsonDocument.Parse(written);
            var type = context.Reading.Scope.ResultOf(context.Due.Step.Id) ?? new FormulaType.Text();
            return new RunCarried.Done(JsonShape.Read(type, document.RootElement), written.Length > 500 ? written[..500] + "…" : written);
        }
        catch (JavaScriptException exception)
        {
            return new RunCarried.Failed($"The script failed: {exception.Message} (line {Math.Max(1, exception.Location.Start.Line - 1)})");
        }
        catch (Exception exception)
            when (exception
                    is TimeoutException
                        or MemoryLimitExceededException
                        or StatementsCountOverflowException
                        or RecursionDepthOverflowException
            )
        {
            return new RunCarried.Failed(
                exception switch
                {
                    TimeoutException => $"The script took more than {Limit.TotalSeconds:0} seconds.",
                    MemoryLimitExceededException => "The script took more memory than it may.",
                    RecursionDepthOverflowException => "The script calls itself too often.",
                    _ => "The script does too much.",
                }
            );
        }
        catch (Exception exception) when (exception is Acornima.ParseErrorException or JintException)
        {
            return new RunCarried.Failed($"The script cannot be read: {exception.Message}");
        }
    }
}
