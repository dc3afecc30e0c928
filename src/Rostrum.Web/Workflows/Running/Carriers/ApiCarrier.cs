using System.Text.Json;
using Rostrum.Core.Apis;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows;
using Rostrum.Sources;
using Rostrum.Sources.Http;

namespace Rostrum.Web.Workflows.Running.Carriers;

/// <summary>Calls an API: with a key that is the same for each try, by which it can tell a second try from a second call.</summary>
internal sealed class CallingApi : RunCarrier<StepEffect.CallApi>
{
    private const int LongestShown = 2_000;

    public override EffectSafety Safety => EffectSafety.Outside;

    public override bool GoesSideBySide => true;

    protected override string Says(StepEffect.CallApi effect, RunContext context)
    {
        var source = context.Workspace.Sources.GetValueOrDefault(effect.Source.Value)?.Name ?? "an API";
        return $"{effect.Method} {source}{effect.Path}{(effect.Body.Length == 0 ? "" : "\n" + Short(effect.Body))}";
    }

    protected override async Task<RunCarried> CarryAsync(StepEffect.CallApi effect, RunContext context)
    {
        if (await context.Get<ISourceDirectory>().FindAsync(effect.Source, context.Cancellation) is not { Kind: "http" } settings)
        {
            return new RunCarried.Failed("The API that it calls is no longer there.");
        }

        var answer = await ApiTrying.SendAsync(
            settings,
            new ApiRequest
            {
                Method = effect.Method,
                Path = effect.Path,
                Headers = [new ApiPair("Idempotency-Key", context.EffectKey)],
                // It is filled in already: what looks like a template now is a value.
                Body =
                    effect.Body.Length == 0
                        ? new ApiBody.None()
                        : new ApiBody.Json(effect.Body.Replace("${", "$${", StringComparison.Ordinal)),
            },
            context.Cancellation,
            context.Get<IApiTokens>()
        );
        if (answer.Status > 0)
        {
            return answer.Status is >= 200 and < 300
                ? new RunCarried.Done(Result(answer, context), $"{answer.Status} {Short(answer.Text)}".TrimEnd())
                : new RunCarried.Failed(
                    answer.Failure?.Message ?? $"The API answered {answer.Status}: {Short(answer.Text)}",
                    Again: answer.Status is 429 or 502 or 503 or 504
                );
        }

        // Where nobody answered it did not come; where the answer did not come it may have.
        var failure = answer.Failure!;
        return failure.Reason switch
        {
            FailureReason.Refused or FailureReason.UnknownHost => new RunCarried.Failed(failure.Message, Again: true),
            FailureReason.TimedOut or FailureReason.Other => effect.Repeatable
                ? new RunCarried.Failed(failure.Message, Again: true)
                : new RunCarried.Uncertain(failure.Message),
            _ => new RunCarried.Failed(failure.Message),
        };
    }

    protected override Task<RunCarried?> RecoverAsync(StepEffect.CallApi effect, RunContext context) =>
        Task.FromResult(
            effect.Repeatable ? null : (RunCarried?)new RunCarried.Uncertain("The worker was lost while the API was being called.")
        );

    private static FormulaRecord? Result(ApiAnswer answer, RunContext context)
    {
        if (context.Reading.Scope.ResultOf(context.Due.Step.Id) is not FormulaType.Record { Shape: var shape })
        {
            return null;
        }

        var body = shape.Members[shape.IndexOf("body")].Value;
        return new FormulaRecord(
            shape,
            [(decimal)answer.Status, answer.Json is { } json && body is not FormulaType.Text ? JsonShape.Read(body, json) : answer.Text]
        );
    }

    private static string Short(string text) => text.Length > LongestShown ? text[..LongestShown] + "…" : text;
}
