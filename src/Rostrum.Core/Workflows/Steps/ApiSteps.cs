using Rostrum.Core.Apis;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Steps;

/// <summary>Calls an API.</summary>
public abstract record ApiStep : Step
{
    /// <summary>The source.</summary>
    public SourceId? Source { get; init; }

    /// <summary>The path under the source's address, with values in it.</summary>
    public string Path { get; init; } = "";

    /// <summary>The API takes the same call twice for one.</summary>
    public bool Repeatable { get; init; }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Source is null ? ["Choose the API that it calls."] : [];

    private protected StepOutcome Call(IStepScope scope, string method, string body)
    {
        if (Source is not { } source)
        {
            return StepOutcome.Failed("A step names no API.");
        }

        var (path, problem) = scope.Filled(Path, TemplatePlace.Path);
        var (sent, wrong) = scope.Filled(body, TemplatePlace.Json);
        return (problem ?? wrong) is { } failure
            ? StepOutcome.Failed(failure)
            : StepOutcome.Of(new StepEffect.CallApi(source, method, path, sent, Repeatable || method == "GET"));
    }

    private protected static Setting SourceSetting { get; } =
        Setting.Of<ApiStep>(
            "source",
            "API",
            SettingPart.Content,
            new SettingKind.SomeNamed(NamedThing.Api),
            step => step.Source?.Value.ToString(),
            (step, text) => step with { Source = Guid.TryParse(text, out var id) ? new SourceId(id) : null }
        );

    private protected static Setting RepeatableSetting { get; } =
        SettingsOf<ApiStep>.Toggle(
            "repeatable",
            "Safe to send twice",
            SettingPart.Behaviour,
            step => step.Repeatable,
            (step, on) => step with { Repeatable = on }
        ) with
        {
            Help = "It heeds the header Idempotency-Key, which is the same for each try.",
        };

    private protected static Setting PathSetting(string label) =>
        Setting.Of<ApiStep>(
            "path",
            label,
            SettingPart.Content,
            new SettingKind.Template(),
            step => step.Path,
            (step, text) => step with { Path = text.Trim() }
        );
}

/// <summary>Sends a request to an API.</summary>
public sealed record CallApi : ApiStep, IStepKind
{
    /// <summary>GET, POST, PUT, PATCH or DELETE.</summary>
    public string Method { get; init; } = "POST";

    /// <summary>What is sent, in JSON with values in it.</summary>
    public string Body { get; init; } = "";

    /// <summary>A sample of the answer, in JSON: names and types are read from it.</summary>
    public string Sample { get; init; } = "";

    /// <inheritdoc/>
    public override string ResultName => "answer";

    /// <inheritdoc/>
    public override FormulaType Gives(MemberTypes types) =>
        new FormulaType.Record(
            new FormulaShape(
                "answer",
                [new("status", new FormulaType.Number()), new("body", JsonShape.TypeOf(Sample, "body") ?? new FormulaType.Text())]
            )
        );

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return Call(scope, Method, Method == "GET" ? "" : Body);
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Call an API",
            () => new CallApi(),
            [
                SourceSetting,
                Setting.Of<CallApi>(
                    "method",
                    "Method",
                    SettingPart.Content,
                    new SettingKind.OneOf([("GET", "GET"), ("POST", "POST"), ("PUT", "PUT"), ("PATCH", "PATCH"), ("DELETE", "DELETE")]),
                    step => step.Method,
                    (step, text) => step with { Method = text }
                ),
                PathSetting("Path"),
                Setting
                    .Of<CallApi>(
                        "body",
                        "Body (JSON)",
                        SettingPart.Content,
                        new SettingKind.Prose(),
                        step => step.Body,
                        (step, text) => step with { Body = text }
                    )
                    .Where<CallApi>(step => step.Method != "GET") with
                {
                    Help = "Write values as ${ formula }: they are written as JSON.",
                },
                Setting.Of<CallApi>(
                    "sample",
                    "Sample of the answer (JSON)",
                    SettingPart.Content,
                    new SettingKind.Lines(),
                    step => step.Sample,
                    (step, text) => step with { Sample = text }
                ) with
                {
                    Help = "Names and types are read from it. Blank: the answer is a text.",
                },
                RepeatableSetting.Where<ApiStep>(step => step is CallApi { Method: not "GET" }),
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "cloud-arrow-up",
        };
}

/// <summary>Sends a message to a chat.</summary>
public sealed record SendToChat : ApiStep, IStepKind
{
    /// <summary>The form that chats usually take.</summary>
    public const string UsualForm = """{"text": ${message}}""";

    /// <summary>The message, with values in it.</summary>
    public string Message { get; init; } = "";

    /// <summary>What is sent, in JSON: <c>${message}</c> stands for the message.</summary>
    public string Form { get; init; } = UsualForm;

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        var (message, problem) = (scope.Filled(Message), (string?)null);
        return problem is not null
            ? StepOutcome.Failed(problem)
            : Call(
                scope,
                "POST",
                Form.Replace(
                    "${message}",
                    System.Text.Json.JsonSerializer.Serialize(message).Replace("${", "$${", StringComparison.Ordinal),
                    StringComparison.Ordinal
                )
            );
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Message.Length == 0 ? base.Lacking().Append("The message is empty.") : base.Lacking();

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Send a chat message",
            () => new SendToChat(),
            [
                SourceSetting,
                PathSetting("Path of the room"),
                Setting.Of<SendToChat>(
                    "message",
                    "Message",
                    SettingPart.Content,
                    new SettingKind.Prose(),
                    step => step.Message,
                    (step, text) => step with { Message = text }
                ) with
                {
                    Help = "Write values as ${ formula }.",
                },
                Setting.Of<SendToChat>(
                    "form",
                    "Form of the body (JSON)",
                    SettingPart.Behaviour,
                    new SettingKind.Lines(),
                    step => step.Form,
                    (step, text) => step with { Form = text.Trim().Length == 0 ? UsualForm : text }
                ) with
                {
                    Help = "${message} stands for the message.",
                },
                RepeatableSetting,
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "chat-left-text",
        };
}
