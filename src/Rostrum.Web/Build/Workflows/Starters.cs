using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;

namespace Rostrum.Web.Build.Workflows;

/// <summary>A workflow to begin with: its steps stand already, and say in Problems what they lack.</summary>
/// <param name="Name">Its name in addresses.</param>
/// <param name="Label">What builders read.</param>
/// <param name="Does">What it is for.</param>
/// <param name="Make">A new one.</param>
internal sealed record WorkflowStarter(string Name, string Label, string Does, Func<Workflow> Make)
{
    public static ImmutableArray<WorkflowStarter> All { get; } =
    [
        new("empty", "Empty", "A trigger, and nothing else yet.", () => new Workflow("New workflow", new OnDemand(), [])),
        new("chat", "Tell a chat", "After a record is added, a message goes to a chat.", () =>
            new Workflow(
                "Tell the chat",
                new AfterSave { Changed = false },
                [new FlowStep("s1", new SendToChat { Message = "${TITLE(trigger.record)} was added by ${trigger.person}." })]
            )
        ),
        new("duplicates", "Stop duplicates", "Before a record is added, one that is alike is looked for.", () =>
            new Workflow(
                "Stop duplicates",
                new BeforeSave { Changed = false },
                [
                    new FlowStep("s1", new ReadRecord { Name = "found" }),
                    new FlowStep(
                        "s2",
                        new Decide
                        {
                            Cases =
                            [
                                new DecisionCase(
                                    "NOT(ISBLANK(steps.found))",
                                    [new FlowStep("s3", new StopWithMessage { Message = "There is one like this already." })]
                                ),
                            ],
                        }
                    ),
                ]
            )
        ),
        new("save", "Save a table by steps", "What is typed into a table is saved by steps, one record after the other.", () =>
            new Workflow(
                "Save by steps",
                new InPlaceOfSave(),
                [
                    new FlowStep(
                        "s1",
                        new ForEach { List = "trigger.changed", Steps = [new FlowStep("s2", new UpdateRecord { Record = "item.record" })] }
                    ),
                ]
            )
        ),
        new("agree", "Agree to a change", "Somebody decides, and the record says what they decided.", () => new Workflow(
                "Agree to a change",
                new AfterSave { Changed = false },
                [
                    new FlowStep(
                        "s1",
                        new SignOff
                        {
                            Name = "decision",
                            Question = "Agree to ${TITLE(trigger.record)}?",
                            About = "trigger.record",
                        }
                    ),
                    new FlowStep("s2", new Decide { Cases = [new DecisionCase("steps.decision.answer = \"Yes\"", [])] }),
                ]
            )),
        new("nightly", "Nightly check", "Each night records are looked for, and people are told of each.", () =>
            new Workflow(
                "Nightly check",
                new OnSchedule { Times = "0 2 * * *" },
                [
                    new FlowStep("s1", new ReadRecords { Name = "found" }),
                    new FlowStep(
                        "s2",
                        new ForEach { List = "steps.found", Steps = [new FlowStep("s3", new SendMail { Subject = "${TITLE(item)}" })] }
                    ),
                ]
            )
        ),
    ];
}
