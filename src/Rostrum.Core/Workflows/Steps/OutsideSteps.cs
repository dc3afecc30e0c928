using System.Collections.Immutable;
using Rostrum.Core.Apis;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Steps;

/// <summary>Sends a mail.</summary>
public sealed record SendMail : Step, IStepKind
{
    /// <summary>Recipients with commas between them, or a formula for them after <c>=</c>.</summary>
    public string To { get; init; } = "";

    /// <summary>What it is about.</summary>
    public string Subject { get; init; } = "";

    /// <summary>What it says: Markdown with values in it.</summary>
    public string Body { get; init; } = "";

    /// <summary>The files that go with it, by their names: texts, or formulas after <c>=</c> for a text or a list.</summary>
    public ImmutableDictionary<string, string> Attachments { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return Setting.Split(scope.Text(To)) switch
        {
            [] => StepOutcome.Failed("There is nobody to whom the mail goes."),
            var to => StepOutcome.Of(
                new StepEffect.SendMail(to, scope.Filled(Subject), scope.Filled(Body))
                {
                    Attachments = Computed.Values(Attachments, scope.Value),
                }
            ),
        };
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking()
    {
        if (To.Length == 0)
        {
            yield return "The mail goes to nobody: say to whom.";
        }

        if (Subject.Length == 0)
        {
            yield return "The mail has no subject.";
        }
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Send a mail",
            () => new SendMail(),
            [
                Setting.Of<SendMail>(
                    "to",
                    "To",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.To,
                    (step, text) => step with { To = text }
                ) with
                {
                    Help = "Addresses with commas between them, or = and a formula.",
                },
                Setting.Of<SendMail>(
                    "subject",
                    "Subject",
                    SettingPart.Content,
                    new SettingKind.Template(),
                    step => step.Subject,
                    (step, text) => step with { Subject = text }
                ),
                Setting.Of<SendMail>(
                    "body",
                    "Text",
                    SettingPart.Content,
                    new SettingKind.Prose(),
                    step => step.Body,
                    (step, text) => step with { Body = text }
                ) with
                {
                    Help = "Write values as ${ formula }.",
                },
                Setting.Of<SendMail>(
                    "attachments",
                    "Attachments",
                    SettingPart.Behaviour,
                    new SettingKind.NamedTexts(),
                    step => SettingKind.FieldTexts.Write(step.Attachments),
                    (step, text) => step with { Attachments = SettingKind.FieldTexts.Map(text)!.ToImmutableDictionary() }
                ) with
                {
                    Help = "A file’s name, and its text or = a formula. A list becomes a table (CSV).",
                },
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "envelope",
        };
}

/// <summary>Puts a message into people's inboxes.</summary>
public sealed record Notify : Step, IStepKind
{
    /// <summary>Addresses, roles and groups with commas between them, or a formula for them after <c>=</c>.</summary>
    public string To { get; init; } = "";

    /// <summary>What it is about.</summary>
    public string Title { get; init; } = "";

    /// <summary>What it says.</summary>
    public string Text { get; init; } = "";

    /// <summary>The record that it is about: a formula; none where null.</summary>
    public string? About { get; init; }

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return Setting.Split(scope.Text(To)) switch
        {
            [] => StepOutcome.Failed("There is nobody who is told."),
            var to => StepOutcome.Of(new StepEffect.Notify(to, scope.Filled(Title), scope.Filled(Text), scope.Record(About))),
        };
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking()
    {
        if (To.Length == 0)
        {
            yield return "There is nobody to tell: say whom.";
        }

        if (Title.Length == 0)
        {
            yield return "The message has no title.";
        }
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Tell people in their inbox",
            () => new Notify(),
            [
                Setting.Of<Notify>(
                    "to",
                    "To",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.To,
                    (step, text) => step with { To = text }
                ) with
                {
                    Help = "Addresses, roles or groups with commas between them, or = and a formula.",
                },
                Setting.Of<Notify>(
                    "title",
                    "Title",
                    SettingPart.Content,
                    new SettingKind.Template(),
                    step => step.Title,
                    (step, text) => step with { Title = text }
                ),
                Setting.Of<Notify>(
                    "text",
                    "Text",
                    SettingPart.Content,
                    new SettingKind.Prose(),
                    step => step.Text,
                    (step, text) => step with { Text = text }
                ),
                AboutSetting<Notify>(step => step.About, (step, text) => step with { About = text }),
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "inbox",
        };

    internal static Setting AboutSetting<T>(Func<T, string?> get, Func<T, string?, T> set)
        where T : class =>
        Setting.Of(
            "about",
            "Record that it is about",
            SettingPart.Content,
            new SettingKind.Formula(null) { IsAnything = true },
            get,
            (T step, string text) => set(step, Setting.Blank(text.Trim()))
        ) with
        {
            Help = "Such as trigger.record. Blank: none.",
        };
}

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

/// <summary>Runs another workflow.</summary>
public sealed record CallWorkflow : Step, IStepKind
{
    /// <summary>Its name.</summary>
    public string Workflow { get; init; } = "";

    /// <summary>What it is given, by the names of its inputs: texts, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Values { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>It is done once that has ended.</summary>
    public bool Waits { get; init; } = true;

    /// <summary>A sample of its result, in JSON: names and types are read from it.</summary>
    public string Sample { get; init; } = "";

    /// <inheritdoc/>
    public override string ResultName => "called";

    /// <inheritdoc/>
    public override FormulaType Gives(MemberTypes types) =>
        new FormulaType.Record(
            new FormulaShape(
                "run",
                [
                    new("ended", new FormulaType.Text()),
                    new("message", new FormulaType.Text()),
                    new("result", JsonShape.TypeOf(Sample, "result") ?? new FormulaType.Text()),
                ]
            )
        );

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return StepOutcome.Of(
            new StepEffect.RunWorkflow(Workflow, Computed.Values(Values, scope.Value, StringComparer.OrdinalIgnoreCase), Waits)
        );
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Workflow.Length == 0 ? ["Choose the workflow that it runs."] : [];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Run a workflow",
            () => new CallWorkflow(),
            [
                SettingsOf<CallWorkflow>.Named(
                    "workflow",
                    "Workflow",
                    SettingPart.Content,
                    NamedThing.Workflow,
                    step => step.Workflow,
                    (step, text) => step with { Workflow = text }
                ),
                Setting.Of<CallWorkflow>(
                    "values",
                    "Inputs",
                    SettingPart.Content,
                    new SettingKind.NamedTexts(),
                    step => SettingKind.FieldTexts.Write(step.Values),
                    (step, text) => step with { Values = SettingKind.FieldTexts.Map(text)!.ToImmutableDictionary() }
                ),
                SettingsOf<CallWorkflow>.Toggle(
                    "waits",
                    "Wait for its end",
                    SettingPart.Behaviour,
                    step => step.Waits,
                    (step, on) => step with { Waits = on }
                ),
                Setting
                    .Of<CallWorkflow>(
                        "sample",
                        "Sample of the result (JSON)",
                        SettingPart.Behaviour,
                        new SettingKind.Lines(),
                        step => step.Sample,
                        (step, text) => step with { Sample = text }
                    )
                    .Where<CallWorkflow>(step => step.Waits) with
                {
                    Help = "Names and types are read from it. Blank: a text.",
                },
            ]
        )
        {
            Places = StepPlaces.Workflow | StepPlaces.Page,
            Icon = "diagram-3",
        };
}

/// <summary>Asks people to decide, and waits for it.</summary>
public sealed record SignOff : Step, IStepKind
{
    /// <summary>Who decides: addresses, roles and groups with commas between them, or a formula for them after <c>=</c>.</summary>
    public string Who { get; init; } = "";

    /// <summary>What is asked.</summary>
    public string Question { get; init; } = "";

    /// <summary>What there is to know: Markdown with values in it.</summary>
    public string Text { get; init; } = "";

    /// <summary>The answers, one a line.</summary>
    public string Answers { get; init; } = "Yes\nNo";

    /// <summary>The answers that need a comment, one a line.</summary>
    public string NeedsComment { get; init; } = "No";

    /// <summary>What whoever decides fills in besides.</summary>
    public ImmutableArray<PageParameter> Fields { get; init; } = [];

    /// <summary>By when, in hours: a number or a formula after <c>=</c>; no limit where blank.</summary>
    public string Hours { get; init; } = "";

    /// <summary>Who is asked as well once it is overdue.</summary>
    public string EscalatesTo { get; init; } = "";

    /// <summary>The record that it is about: a formula; none where null.</summary>
    public string? About { get; init; }

    /// <inheritdoc/>
    public override string ResultName => "decision";

    /// <summary>The answers.</summary>
    public ImmutableArray<string> AllAnswers => Lines(Answers);

    /// <inheritdoc/>
    public override FormulaType Gives(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        var fields =
            from field in Fields
            let type = field.TypeFor(types)
            where type is not null
            select KeyValuePair.Create(field.Name, type);
        return new FormulaType.Record(
            new FormulaShape(
                "decision",
                [
                    new("answer", new FormulaType.Choice(AllAnswers) { IsClosed = true }),
                    new("by", new FormulaType.Text()),
                    new("comment", new FormulaType.Text()),
                    new("at", new FormulaType.DateTime()),
                    .. fields.Where(field => !Own.Contains(field.Key)),
                ]
            )
        );
    }

    // What every decision has.
    private static readonly ImmutableArray<string> Own = ["answer", "by", "comment", "at"];

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        if (Setting.Split(scope.Text(Who)) is not { IsEmpty: false } who)
        {
            return StepOutcome.Failed("There is nobody who could decide.");
        }

        var hours =
            Hours.Length == 0 ? null
            : Computed.IsFormula(Hours) ? scope.Value(Hours[1..]) as decimal?
            : Computed.Number(Hours);
        return StepOutcome.Of(
            new StepEffect.AskForDecision(
                who,
                scope.Filled(Question),
                scope.Filled(Text),
                AllAnswers,
                hours is { } limit ? scope.Now.AddHours((double)limit) : null,
                Setting.Split(scope.Text(EscalatesTo)),
                scope.Record(About)
            )
            {
                NeedsComment = Lines(NeedsComment),
                Fields = Fields,
            }
        );
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking()
    {
        if (Who.Length == 0)
        {
            yield return "It asks nobody: say who decides.";
        }

        if (Question.Length == 0)
        {
            yield return "It has no question.";
        }

        if (AllAnswers.Length < 1)
        {
            yield return "It has no answers to choose from.";
        }

        foreach (var field in Fields)
        {
            if (Own.Contains(field.Name))
            {
                yield return $"“{field.Name}” is what every decision has: give the field another name.";
            }

            if (field.Dataset is not null)
            {
                yield return $"“{field.Name}” is a record: a sign-off takes texts, numbers, dates, and yes or no.";
            }
        }
    }

    private static ImmutableArray<string> Lines(string text) =>
        [.. text.Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).Distinct()];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Ask for a sign-off",
            () => new SignOff(),
            [
                Setting.Of<SignOff>(
                    "who",
                    "Who decides",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.Who,
                    (step, text) => step with { Who = text }
                ) with
                {
                    Help = "Addresses, roles or groups with commas between them, or = and a formula.",
                },
                Setting.Of<SignOff>(
                    "question",
                    "Question",
                    SettingPart.Content,
                    new SettingKind.Template(),
                    step => step.Question,
                    (step, text) => step with { Question = text }
                ),
                Setting.Of<SignOff>(
                    "text",
                    "Text",
                    SettingPart.Content,
                    new SettingKind.Prose(),
                    step => step.Text,
                    (step, text) => step with { Text = text }
                ),
                Notify.AboutSetting<SignOff>(step => step.About, (step, text) => step with { About = text }),
                Setting.Of<SignOff>(
                    "answers",
                    "Answers",
                    SettingPart.Behaviour,
                    new SettingKind.Lines(),
                    step => step.Answers,
                    (step, text) => step with { Answers = text }
                ) with
                {
                    Help = "One a line.",
                },
                Setting.Of<SignOff>(
                    "needsComment",
                    "Answers that need a comment",
                    SettingPart.Behaviour,
                    new SettingKind.Lines(),
                    step => step.NeedsComment,
                    (step, text) => step with { NeedsComment = text }
                ),
                Setting.Of<SignOff>(
                    "fields",
                    "Fields to fill in",
                    SettingPart.Behaviour,
                    new SettingKind.Parameters(),
                    step => step.Fields.IsEmpty ? "" : KindJson.Write(step.Fields),
                    (step, text) =>
                        text.Length == 0 ? step with { Fields = [] }
                        : KindJson.Read<PageParameter[]>(text) is { } fields ? step with { Fields = [.. fields] }
                        : null
                ),
                Setting.Of<SignOff>(
                    "hours",
                    "Due within (hours)",
                    SettingPart.Behaviour,
                    new SettingKind.Line(new FormulaType.Number()),
                    step => step.Hours,
                    (step, text) => step with { Hours = text.Trim() }
                ),
                Setting.Of<SignOff>(
                    "escalatesTo",
                    "When overdue, ask as well",
                    SettingPart.Behaviour,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.EscalatesTo,
                    (step, text) => step with { EscalatesTo = text }
                ),
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "person-check",
        };
}

/// <summary>Computes something with a script.</summary>
public sealed record RunScript : Step, IStepKind
{
    /// <summary>JavaScript: the value of <c>return</c> counts.</summary>
    public string Code { get; init; } = "";

    /// <summary>What it knows, by name: texts, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Inputs { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>A sample of what it gives, in JSON.</summary>
    public string Sample { get; init; } = "";

    /// <inheritdoc/>
    public override string ResultName => "result";

    /// <inheritdoc/>
    public override FormulaType Gives(MemberTypes types) => JsonShape.TypeOf(Sample, "result") ?? new FormulaType.Text();

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return StepOutcome.Of(new StepEffect.RunScript(Code, Computed.Values(Inputs, scope.Value)));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Code.Trim().Length == 0 ? ["The script is empty."] : [];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Run a script",
            () => new RunScript(),
            [
                Setting.Of<RunScript>(
                    "inputs",
                    "Inputs",
                    SettingPart.Content,
                    new SettingKind.NamedTexts(),
                    step => SettingKind.FieldTexts.Write(step.Inputs),
                    (step, text) => step with { Inputs = SettingKind.FieldTexts.Map(text)!.ToImmutableDictionary() }
                ),
                Setting.Of<RunScript>(
                    "code",
                    "Script (JavaScript)",
                    SettingPart.Content,
                    new SettingKind.Script(),
                    step => step.Code,
                    (step, text) => step with { Code = text }
                ) with
                {
                    Help = "What it returns is its result. It reaches neither files nor the network.",
                },
                Setting.Of<RunScript>(
                    "sample",
                    "Sample of the result (JSON)",
                    SettingPart.Content,
                    new SettingKind.Lines(),
                    step => step.Sample,
                    (step, text) => step with { Sample = text }
                ) with
                {
                    Help = "Names and types are read from it. Blank: a text.",
                },
            ]
        )
        {
            Places = StepPlaces.Workflow | StepPlaces.Save,
            Icon = "braces",
        };
}
