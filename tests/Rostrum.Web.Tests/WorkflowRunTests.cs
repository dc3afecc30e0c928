using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Workflows.Running;
using static Rostrum.Web.Tests.WorkflowSpace;
using Parallel = Rostrum.Core.Workflows.Steps.Parallel;

namespace Rostrum.Web.Tests;

/// <summary>Workflows run in the background: each thing that they do outside is done once, whatever happens on the way.</summary>
public sealed class WorkflowRunTests(WorkflowSpace space) : IClassFixture<WorkflowSpace>
{
    // A list out of nowhere.
    private static FlowStep Listed(string sample, string list) =>
        new(
            "l",
            new RunScript
            {
                Name = "list",
                Code = $"return {list};",
                Sample = sample,
            }
        );

    private static readonly ImmutableDictionary<string, string> None = ImmutableDictionary<string, string>.Empty;

    [Fact]
    public async Task A_guard_stops_a_save_at_its_field_from_any_way_in()
    {
        var defects = await space.DatasetAsync("defects");
        Assert.IsType<SaveResult.Saved>(await space.SaveAsync(defects, new Change.Insert(Defect("Guarded once"))));
        var second = Assert.IsType<SaveResult.Invalid>(await space.SaveAsync(defects, new Change.Insert(Defect("Guarded once"))));
        var problem = Assert.Single(second.Problems);
        Assert.Equal("title", problem.Field!.Value.Value);
        Assert.Contains("“Guarded once” already", problem.Message, StringComparison.Ordinal);

        // Another vessel may have it, and so may the same once the first is closed.
        Assert.IsType<SaveResult.Saved>(await space.SaveAsync(defects, new Change.Insert(Defect("Guarded once", ("vessel", "BF-102")))));
        await space.FleetAsync("UPDATE defects SET state = 'closed' WHERE title = 'Guarded once' AND vessel = 'BF-101'");
        Assert.IsType<SaveResult.Saved>(await space.SaveAsync(defects, new Change.Insert(Defect("Guarded once"))));

        // Two at the same moment meet: one of them is second.
        var both = await Task.WhenAll(
            Enumerable.Range(0, 4).Select(_ => space.SaveAsync(defects, new Change.Insert(Defect("Guarded at once"))))
        );
        Assert.Single(both.OfType<SaveResult.Saved>());
        Assert.Equal("1", await space.FleetScalarAsync("SELECT count(*) FROM defects WHERE title = 'Guarded at once'"));
    }

    [Fact]
    public async Task A_guard_amends_what_is_saved_and_one_that_fails_or_takes_too_long_stops_it_or_not_as_is_said()
    {
        var vessels = await space.DatasetAsync("dockings");
        var amend = await space.PublishAsync(
            new Workflow(
                "Upper yards",
                new BeforeSave { Dataset = vessels },
                [new FlowStep("a", new AmendValues { Dataset = vessels, Values = None.Add("yard", "=UPPER(trigger.after.yard)") })]
            )
        );
        async Task<SaveResult> SaveAsync() =>
            await space.SaveAsync(
                vessels,
                new Change.Update(new RecordKey([1L]), FieldValues.None, new FieldValues([new(new FieldName("yard"), "North yard")]))
            );
        Assert.IsType<SaveResult.Saved>(await SaveAsync());
        Assert.Equal("NORTH YARD", await space.FleetScalarAsync("SELECT yard FROM dockings WHERE id = 1"));
        await space.TurnOffAsync(amend);

        // Each statement takes long: the time is over before there are too many of them.
        const string Endless = "const long = Array.from({ length: 5000 }, (_, at) => at); while (true) { long.indexOf(-1); }";
        Workflow Slow(bool saves) =>
            new(
                "Slow",
                new BeforeSave
                {
                    Dataset = vessels,
                    Limit = 200,
                    SavesWhenLate = saves,
                },
                [new FlowStep("s", new RunScript { Name = "s", Code = Endless })]
            );
        var stops = await space.PublishAsync(Slow(false));
        Assert.Contains(
            "took longer",
            Assert.Single(Assert.IsType<SaveResult.Invalid>(await SaveAsync()).Problems).Message,
            StringComparison.Ordinal
        );
        await space.TurnOffAsync(stops);
        var saves = await space.PublishAsync(Slow(true));
        Assert.IsType<SaveResult.Saved>(await SaveAsync());
        await space.TurnOffAsync(saves);
    }

    [Fact]
    public async Task A_guard_that_cannot_be_asked_with_the_rights_of_who_saves_stops_the_save()
    {
        var fuel = await space.DatasetAsync("fuel_logs");
        var id = Guid.Parse(await space.FleetScalarAsync("SELECT id FROM fuel_logs ORDER BY id LIMIT 1"));
        var litres = new FieldValues([new(new FieldName("litres"), 12m)]);
        var change = new Change.Update(new RecordKey([id]), FieldValues.None, litres);

        // Clerks do not see what it cost: that is no reason to take it for nothing.
        var workflow = new Workflow(
            "Dear fuel",
            new BeforeSave { Dataset = fuel, Condition = "trigger.before.cost > 0" },
            [new FlowStep("s", new StopWithMessage { Message = "It cost something." })]
        );
        var asClerk = await space.PublishAsync(workflow);
        var refused = Assert.IsType<SaveResult.Invalid>(await space.SaveAsync(fuel, change, "clerk"));
        Assert.Contains("could not be checked", Assert.Single(refused.Problems).Message, StringComparison.Ordinal);
        await space.TurnOffAsync(asClerk);

        // With a role's rights it can be.
        var asOwner = await space.PublishAsync(workflow with { RunsAs = "owner" });
        var stopped = Assert.IsType<SaveResult.Invalid>(await space.SaveAsync(fuel, change, "clerk"));
        Assert.Equal("It cost something.", Assert.Single(stopped.Problems).Message);
        await space.TurnOffAsync(asOwner);
    }

    [Fact]
    public async Task A_reaction_knows_old_and_new_values_and_hears_of_the_fields_that_it_names()
    {
        var defects = await space.DatasetAsync("defects");
        var workflow = await space.PublishAsync(
            new Workflow(
                "Told of severity",
                new AfterSave
                {
                    Dataset = defects,
                    Added = false,
                    Fields = [new("severity")],
                    Condition = "trigger.after.title = \"Heard of\"",
                },
                [
                    new FlowStep(
                        "c",
                        new SendToChat
                        {
                            Source = await space.SignalAsync(),
                            Path = "/rooms/${trigger.record.vessel.name}",
                            Message = "${trigger.before.severity} → ${trigger.after.severity} by ${trigger.person}",
                        }
                    ),
                ]
            )
        );
        var saved = Assert.IsType<SaveResult.Saved>(await space.SaveAsync(defects, new Change.Insert(Defect("Heard of"))));
        var key = saved.Changes[0].Key!;
        Change Set(string field, object? value) =>
            new Change.Update(key, FieldValues.None, new FieldValues([new(new FieldName(field), value)]));
        Assert.IsType<SaveResult.Saved>(await space.SaveAsync(defects, Set("description", "nothing to it")));
        Assert.IsType<SaveResult.Saved>(await space.SaveAsync(defects, Set("severity", "serious")));
        var run = Assert.Single(await space.RunsAsync(workflow));
        Assert.Equal((RunStatus.Done, "Maren Vik"), (run.Status, run.PersonName));
        Assert.Equal(("Heard of", key.Values[0].ToString()), (run.RecordTitle, run.RecordKey));
        var told = Assert.Single(space.Signal.Received, message => message.Text.Contains("→ serious", StringComparison.Ordinal));
        Assert.Contains("by Maren Vik", told.Text, StringComparison.Ordinal);
        await space.TurnOffAsync(workflow);
    }

    [Fact]
    public async Task What_was_saved_is_heard_of_though_the_node_was_lost_before_it_could_say_so_and_what_was_not_is_not()
    {
        var defects = await space.DatasetAsync("defects");
        var workflow = await space.PublishAsync(
            new Workflow(
                "Late",
                new AfterSave { Dataset = defects, Condition = "LEFT(trigger.after.title, 4) = \"Late\"" },
                [Compute("a", "trigger.after.title")]
            )
        );
        var ended = await space.TransactionAsync(
            "INSERT INTO defects (vessel, reported_by, title) VALUES ('BF-101', 'x', 'Late kept')",
            true
        );
        var back = await space.TransactionAsync(
            "INSERT INTO defects (vessel, reported_by, title) VALUES ('BF-101', 'x', 'Late gone')",
            false
        );
        await space.InStoreAsync(store =>
        {
            foreach (var (transaction, title) in new[] { (ended, "Late kept"), (back, "Late gone") })
            {
                store.SavedRecords.Add(
                    new SavedRecords
                    {
                        DatasetId = defects.Value,
                        Transaction = transaction,
                        Changes = JsonSerializer.Serialize(
                            new[]
                            {
                                new
                                {
                                    key = "1",
                                    title,
                                    kind = "added",
                                    fields = Array.Empty<string>(),
                                    after = new { title },
                                },
                            }
                        ),
                        PersonName = "somebody",
                        PersonId = store.Users.Single(person => person.UserName == "maren").Id,
                        At = DateTimeOffset.UtcNow.AddMinutes(-1),
                    }
                );
            }

            return store.SaveChangesAsync();
        });
        Assert.Equal("Late kept was added", Assert.Single(await space.RunsAsync(workflow)).SetOffBy);
        Assert.False(await space.InStoreAsync(store => store.SavedRecords.AnyAsync(row => row.DatasetId == defects.Value)));
        await space.TurnOffAsync(workflow);
    }

    [Fact]
    public async Task A_save_that_was_under_way_when_a_node_was_lost_is_not_made_twice_and_one_that_was_taken_back_is_made()
    {
        var defects = await space.DatasetAsync("defects");
        var workflow = await space.PublishAsync(
            new Workflow(
                "Adds",
                new OnDemand(),
                [
                    new FlowStep(
                        "add",
                        new CreateRecord
                        {
                            Name = "added",
                            Dataset = defects,
                            Values = None.Add("vessel", "BF-103").Add("title", "=trigger.title").Add("reported_by", "a workflow"),
                        }
                    ),
                    Compute("title", "steps.added.title"),
                ]
            )
            {
                RunsAs = "superintendent",
            } with
            {
                Trigger = new OnDemand { Inputs = [new Core.Apps.PageParameter("title", new FieldType.Text())] },
            }
        );
        async Task<WorkflowRun> LostAsync(string title, bool commit)
        {
            var transaction = await space.TransactionAsync(
                $"INSERT INTO defects (vessel, reported_by, title) VALUES ('BF-103', 'a workflow', '{title}')",
                commit
            );
            var key = commit ? await space.FleetScalarAsync($"SELECT id FROM defects WHERE title = '{title}'") : null;
            var id = await space.BeginAsync(workflow, $$"""{"title": "{{title}}"}""", run =>
            {
                run.State = RunState.Fresh.With("add", new StepState(StepStatus.Begun) { Begun = DateTimeOffset.UtcNow });
                run.Due = DateTimeOffset.UtcNow.AddHours(1);
            });
            await space.InStoreAsync(store =>
            {
                store.WorkflowRunSteps.Add(
                    new WorkflowRunStep
                    {
                        RunId = id,
                        Path = "add",
                        StepId = "add",
                        Label = "Add a record",
                        Transaction = transaction,
                        Record = key,
                        BegunAt = DateTimeOffset.UtcNow,
                    }
                );
                return store.SaveChangesAsync();
            });
            await space.InStoreAsync(store =>
                store
                    .WorkflowRuns.Where(run => run.Id == id)
                    .ExecuteUpdateAsync(row => row.SetProperty(run => run.Due, DateTimeOffset.UtcNow))
            );
            return (await space.RunsAsync(workflow)).Single(run => run.Id == id);
        }

        foreach (var (title, commit) in new[] { ("Lost and kept", true), ("Lost and gone", false) })
        {
            var run = await LostAsync(title, commit);
            Assert.Equal(RunStatus.Done, run.Status);
            Assert.Equal("1", await space.FleetScalarAsync($"SELECT count(*) FROM defects WHERE title = '{title}'"));
            Assert.Equal($"\"{title}\"", run.State["title"]!.Result!.Value.GetRawText());
        }
    }

    [Fact]
    public async Task Where_it_cannot_be_known_whether_an_api_was_called_a_person_is_asked_unless_it_takes_two_calls_for_one()
    {
        var source = await space.SignalAsync();
        async Task<StoredWorkflow> CallsAsync(bool repeatable) =>
            await space.PublishAsync(
                new Workflow(
                    $"Calls {repeatable}",
                    new OnDemand(),
                    [
                        new FlowStep(
                            "c",
                            new CallApi
                            {
                                Name = "answer",
                                Source = source,
                                Path = "/rooms/lost",
                                Body = $$"""{"text": ${"lost {{repeatable}}"} }""",
                                Repeatable = repeatable,
                            }
                        ),
                        Compute("after", "1"),
                    ]
                )
                {
                    RunsAs = "owner",
                }
            );
        space.Signal.HangsUp = true;
        var unsure = await CallsAsync(false);
        var safe = await CallsAsync(true);
        await space.BeginAsync(unsure);
        await space.BeginAsync(safe);
        var asks = Assert.Single(await space.RunsAsync(unsure));
        Assert.Equal(RunStatus.Uncertain, asks.Status);
        var again = Assert.Single(await space.RunsAsync(safe));
        Assert.Equal(RunStatus.Ready, again.Status);
        Assert.True(again.State["c"]!.Tries >= 1);
        space.Signal.HangsUp = false;

        // A person says that it was done: it goes on after it, and calls no second time.
        var bea = await space.AsAsync("bea");
        var page = $"/build/workflows/runs/{asks.Id}";
        Assert.Contains("asks a person", (await bea.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);
        using (await bea.PostAsync(page, $"{page}?handler=Settle&done=true")) { }
        Assert.Equal(RunStatus.Done, Assert.Single(await space.RunsAsync(unsure, status: RunStatus.Done)).Status);
        Assert.Equal(1, Assert.Single(space.Signal.Received, message => message.Text == "lost False").Calls);

        // The other one calls again, with the same key: it is one message all the same.
        await space.HurryAsync(safe);
        Assert.Single(await space.RunsAsync(safe, status: RunStatus.Done));
        Assert.True(Assert.Single(space.Signal.Received, message => message.Text == "lost True").Calls > 1);
    }

    [Fact]
    public async Task A_service_that_is_closed_for_a_while_is_tried_again_and_one_that_refuses_is_not()
    {
        var source = await space.SignalAsync();
        var workflow = await space.PublishAsync(
            new Workflow(
                "Tries",
                new OnDemand(),
                [
                    new FlowStep(
                        "c",
                        new SendToChat
                        {
                            Source = source,
                            Path = "/rooms/try",
                            Message = "tried",
                        }
                    ),
                ]
            )
            {
                RunsAs = "owner",
                TellOfFailure = "bea@brackwater.example",
            }
        );
        space.Signal.Refuses = 503;
        await space.BeginAsync(workflow);
        var waits = Assert.Single(await space.RunsAsync(workflow));
        Assert.Equal((RunStatus.Ready, 1, null), (waits.Status, waits.State["c"]!.Tries, waits.Message));
        Assert.Equal(StepEntryStatus.TriedInVain, Assert.Single(await space.EntriesAsync(waits.Id)).Status);
        space.Signal.Refuses = 0;
        await space.HurryAsync(workflow);
        Assert.Single(await space.RunsAsync(workflow, status: RunStatus.Done));
        Assert.Single(space.Signal.Received, message => message.Text == "tried");

        space.Signal.Refuses = 400;
        await space.BeginAsync(workflow);
        var failed = (await space.RunsAsync(workflow, 2))[^1];
        Assert.Equal(RunStatus.Failed, failed.Status);
        Assert.Contains("400", failed.Message, StringComparison.Ordinal);
        space.Signal.Refuses = 0;

        // Who is named hears of it; and from the failed step it goes on.
        var bea = await space.AsAsync("bea");
        Assert.Contains("Tries", (await bea.PageAsync("/inbox")).Body!.TextContent, StringComparison.Ordinal);
        var page = $"/build/workflows/runs/{failed.Id}";
        using (await bea.PostAsync(page, $"{page}?handler=Retry")) { }
        Assert.Equal(2, (await space.RunsAsync(workflow, 2, RunStatus.Done)).Count);
    }

    [Fact]
    public async Task Two_people_agree_to_a_timetable_change_in_any_order_and_a_refusal_needs_a_comment()
    {
        var changes = await space.DatasetAsync("timetable_changes");
        var workflow = await space.InStoreAsync(store =>
            store.Workflows.AsNoTracking().SingleAsync(known => known.Name == "agree_to_a_timetable_change")
        );
        async Task<IReadOnlyDictionary<string, SignOffRequest>> AskAsync(string reason, int count)
        {
            var values = new FieldValues([
                new(new FieldName("route"), await space.FleetScalarAsync("SELECT min(code) FROM routes")),
                new(new FieldName("asked_by"), "Pia Sund"),
                new(new FieldName("reason"), reason),
                new(new FieldName("valid_from"), new DateOnly(2026, 6, 1)),
            ]);
            Assert.IsType<SaveResult.Saved>(await space.SaveAsync(changes, new Change.Insert(values)));
            var run = (await space.RunsAsync(workflow, count))[^1].Id;
            var open = await space.InStoreAsync(store =>
                store.SignOffs.AsNoTracking().Where(asked => asked.RunId == run && asked.AnsweredAt == null).ToListAsync()
            );
            return open.ToDictionary(asked => asked.Path);
        }

        Task<string> StateAsync(string reason) => space.FleetScalarAsync($"SELECT state FROM timetable_changes WHERE reason = '{reason}'");
        var (maren, oskar) = (await space.AsAsync("maren"), await space.AsAsync("oskar"));
        var asked = await AskAsync("Agreed by two", 1);
        Assert.Equal("under review", await StateAsync("Agreed by two"));
        Assert.Contains("Agree to a change of", (await maren.PageAsync("/inbox")).Body!.TextContent, StringComparison.Ordinal);
        var (theirs, owners) = ($"/sign-off/{asked["s3"].Id}", $"/sign-off/{asked["s4"].Id}");

        // What is not theirs is not there; an answer that was not asked for does not count.
        Assert.Equal(System.Net.HttpStatusCode.NotFound, await (await space.AsAsync("pia")).StatusAsync(theirs));
        using (await oskar.PostAsync(owners, owners, ("answer", "Agree"), ("comment", ""))) { }
        using (await maren.PostAsync(theirs, theirs, ("answer", "Maybe"), ("comment", ""))) { }
        Assert.Equal("under review", await StateAsync("Agreed by two"));
        using (await maren.PostAsync(theirs, theirs, ("answer", "Agree"), ("comment", "fine"))) { }
        Assert.Single(await space.RunsAsync(workflow, status: RunStatus.Done));
        Assert.Equal("agreed", await StateAsync("Agreed by two"));
        Assert.Contains("by Maren Vik", (await maren.PageAsync(theirs)).Body!.TextContent, StringComparison.Ordinal);

        asked = await AskAsync("Refused by one", 2);
        (theirs, owners) = ($"/sign-off/{asked["s3"].Id}", $"/sign-off/{asked["s4"].Id}");
        using (var bare = await maren.PostAsync(theirs, theirs, ("answer", "Refuse"), ("comment", "")))
        {
            Assert.Contains("write a comment", await bare.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        using (await maren.PostAsync(theirs, theirs, ("answer", "Refuse"), ("comment", "too late"))) { }
        using (await oskar.PostAsync(owners, owners, ("answer", "Agree"), ("comment", ""))) { }
        await space.RunsAsync(workflow, 2, RunStatus.Done);
        Assert.Equal("refused", await StateAsync("Refused by one"));
    }

    [Fact]
    public async Task A_sign_off_is_handed_over_and_others_are_asked_once_it_is_overdue_and_of_a_cancelled_run_none_is_left()
    {
        var workflow = await space.PublishAsync(
            new Workflow(
                "Asks",
                new OnDemand(),
                [
                    new FlowStep(
                        "d",
                        new SignOff
                        {
                            Name = "decision",
                            Who = "maren@brackwater.example",
                            Question = "Hand it over?",
                            Hours = "1",
                            EscalatesTo = "owner",
                        }
                    ),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        var id = await space.BeginAsync(workflow);
        await space.RunsAsync(workflow, status: RunStatus.Waiting);
        Task<SignOffRequest> AskedAsync() =>
            space.InStoreAsync(store => store.SignOffs.AsNoTracking().SingleAsync(request => request.RunId == id));
        var people = await space.InStoreAsync(store => store.Users.ToDictionaryAsync(person => person.UserName!, person => person.Id));
        var asked = await AskedAsync();
        Assert.Equal([people["maren"]], asked.People);
        var maren = await space.AsAsync("maren");
        using (await maren.PostAsync($"/sign-off/{asked.Id}", $"/sign-off/{asked.Id}?handler=Delegate", ("to", $"{people["egil"]}"))) { }
        Assert.Equal([people["egil"]], (await AskedAsync()).People);

        await space.InStoreAsync(store =>
            store
                .SignOffs.Where(request => request.Id == asked.Id)
                .ExecuteUpdateAsync(row => row.SetProperty(one => one.Due, DateTimeOffset.UtcNow.AddMinutes(-1)))
        );
        await space.Services.GetRequiredService<SignOffs>().RemindAsync(CancellationToken.None);
        Assert.Equal([people["egil"], people["oskar"]], (await AskedAsync()).People);

        var bea = await space.AsAsync("bea");
        using (await bea.PostAsync($"/build/workflows/runs/{id}", $"/build/workflows/runs/{id}?handler=Cancel")) { }
        Assert.Single(await space.RunsAsync(workflow, status: RunStatus.Cancelled));
        Assert.True((await AskedAsync()).IsWithdrawn);
        Assert.Contains(
            "needs no answer",
            (await (await space.AsAsync("egil")).PageAsync($"/sign-off/{asked.Id}")).Body!.TextContent,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Calls_of_some_at_once_go_out_together_and_each_once()
    {
        var source = await space.SignalAsync();
        var workflow = await space.PublishAsync(
            new Workflow(
                "Calls at once",
                new OnDemand(),
                [
                    Listed("""["a"]""", """["a", "b", "c", "d", "e", "f"]"""),
                    new FlowStep(
                        "f",
                        new ForEach
                        {
                            Name = "calls",
                            List = "steps.list",
                            ItemName = "name",
                            AtOnce = 4,
                            Collected = "c",
                            Steps =
                            [
                                new FlowStep(
                                    "c",
                                    new CallApi
                                    {
                                        Name = "answer",
                                        Source = source,
                                        Path = "/rooms/together",
                                        Body = """{"text": ${"together " & name} }""",
                                    }
                                ),
                            ],
                        }
                    ),
                    Compute("count", "COUNT(steps.calls)"),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        space.Signal.Takes = TimeSpan.FromMilliseconds(150);
        var id = await space.BeginAsync(workflow);
        var run = Assert.Single(await space.RunsAsync(workflow, status: RunStatus.Done));
        space.Signal.Takes = TimeSpan.Zero;
        Assert.InRange(space.Signal.MostAtOnce, 2, 4);
        Assert.Equal("6", run.State["count"]!.Result!.Value.GetRawText());
        var came = space.Signal.Received.Where(message => message.Room == "together").ToArray();
        Assert.Equal(["a", "b", "c", "d", "e", "f"], came.Select(message => message.Text[^1..]).Order());
        Assert.All(came, message => Assert.Equal(1, message.Calls));
        Assert.Equal(6, (await space.EntriesAsync(id)).Count(entry => entry is { StepId: "c", Status: StepEntryStatus.Done }));
    }

    [Fact]
    public async Task Who_decides_fills_in_fields_that_later_steps_know_and_what_is_no_number_is_kept_and_said()
    {
        var workflow = await space.PublishAsync(
            new Workflow(
                "Asks for a sum",
                new OnDemand(),
                [
                    new FlowStep(
                        "d",
                        new SignOff
                        {
                            Name = "decision",
                            Who = "maren@brackwater.example",
                            Question = "How much?",
                            Fields = [new PageParameter("sum", new FieldType.Number()), new PageParameter("by_when", new FieldType.Date())],
                        }
                    ),
                    Compute("double", "steps.decision.sum * 2"),
                    Compute("day", "steps.decision.by_when + 1"),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        var id = await space.BeginAsync(workflow);
        await space.RunsAsync(workflow, status: RunStatus.Waiting);
        var asked = await space.InStoreAsync(store => store.SignOffs.AsNoTracking().SingleAsync(request => request.RunId == id));
        var (maren, page) = (await space.AsAsync("maren"), $"/sign-off/{asked.Id}");
        using (var wrong = await maren.PostAsync(page, page, ("answer", "Yes"), ("v.sum", "many"), ("v.by_when", ""), ("comment", "hm")))
        {
            var text = await wrong.Content.ReadAsStringAsync();
            Assert.Contains("value=\"many\"", text, StringComparison.Ordinal);
            Assert.Contains(">hm</textarea>", text, StringComparison.Ordinal);
        }

        using (await maren.PostAsync(page, page, ("answer", "Yes"), ("v.sum", "12.5"), ("v.by_when", "2026-03-01"), ("comment", ""))) { }
        var run = Assert.Single(await space.RunsAsync(workflow, status: RunStatus.Done));
        Assert.Equal("25.0", run.State["double"]!.Result!.Value.GetRawText());
        Assert.Equal("\"2026-03-02\"", run.State["day"]!.Result!.Value.GetRawText());
        Assert.Contains("Sum: 12.5", (await maren.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_mail_takes_texts_and_lists_with_it_as_files()
    {
        var workflow = await space.PublishAsync(
            new Workflow(
                "Mails a list",
                new OnDemand(),
                [
                    Listed("""[{"name": "x", "count": 1}]""", """[{"name": "=1+1", "count": 2}, {"name": "a, \"b\"", "count": null}]"""),
                    new FlowStep(
                        "m",
                        new SendMail
                        {
                            To = "list@brackwater.example",
                            Subject = "The list",
                            Attachments = ImmutableDictionary<string, string>
                                .Empty.Add("list.csv", "=steps.list")
                                .Add("note.txt", "as it stands"),
                        }
                    ),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        await space.BeginAsync(workflow);
        await space.RunsAsync(workflow, status: RunStatus.Done);
        var mail = await space.InStoreAsync(store =>
            store.OutgoingMails.AsNoTracking().SingleAsync(known => known.Address == "list@brackwater.example")
        );
        Assert.Equal(["list.csv", "note.txt"], mail.Attachments.Select(file => file.Name));
        Assert.Equal(
            ["name,count", "'=1+1,2", "\"a, \"\"b\"\"\","],
            mail.Attachments[0].Text.ReplaceLineEndings("\n").TrimEnd().Split('\n')
        );
        Assert.Equal("as it stands", mail.Attachments[1].Text);
    }

    [Fact]
    public async Task A_loop_goes_through_all_records_and_a_list_that_is_too_long_is_refused()
    {
        var sailings = await space.DatasetAsync("sailings");
        Workflow Counts(int limit, string filter) =>
            new(
                "Counts",
                new OnDemand(),
                [
                    new FlowStep(
                        "r",
                        new ReadRecords
                        {
                            Name = "found",
                            Dataset = sailings,
                            Filter = filter,
                            Limit = limit,
                        }
                    ),
                    new FlowStep(
                        "f",
                        new ForEach
                        {
                            Name = "each",
                            List = "steps.found",
                            Steps = [Compute("one", "item.foot_passengers * 1")],
                            Collected = "one",
                        }
                    ),
                    Compute("sum", "SUM(steps.each)"),
                ]
            )
            {
                RunsAs = "owner",
            };
        var few = await space.PublishAsync(Counts(1000, "id <= 300"));
        await space.BeginAsync(few);
        var run = Assert.Single(await space.RunsAsync(few, status: RunStatus.Done));
        var sum = await space.FleetScalarAsync("SELECT coalesce(sum(foot_passengers), 0) FROM sailings WHERE id <= 300");
        Assert.Equal(sum, run.State["sum"]!.Result!.Value.GetRawText());

        var many = await space.PublishAsync(Counts(1000, ""));
        await space.BeginAsync(many);
        var refused = Assert.Single(await space.RunsAsync(many, status: RunStatus.Failed));
        Assert.Contains("more than 1,000", refused.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("while (true) {}", "The script ")]
    [InlineData("const all = []; while (true) { all.push('x'.repeat(100000)); }", "The script ")]
    [InlineData("function again() { return again(); } return again();", "calls itself")]
    [InlineData("return System.IO.File.ReadAllText('/etc/passwd');", "System is not defined")]
    [InlineData("return importNamespace('System').Environment.MachineName;", "importNamespace is not defined")]
    [InlineData("return fetch('http://example.com');", "fetch is not defined")]
    [InlineData("return (", "Unexpected")]
    [InlineData("throw new Error('no luck');", "no luck")]
    public async Task A_script_reaches_nothing_and_ends(string code, string because)
    {
        var workflow = await space.PublishAsync(
            new Workflow("Script", new OnDemand(), [new FlowStep("s", new RunScript { Name = "result", Code = code })]) { RunsAs = "owner" }
        );
        await space.BeginAsync(workflow);
        var run = Assert.Single(await space.RunsAsync(workflow, status: RunStatus.Failed));
        Assert.Contains(because, run.Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_script_computes_from_its_inputs_what_its_sample_says()
    {
        var workflow = await space.PublishAsync(
            new Workflow(
                "Merges",
                new OnDemand(),
                [
                    new FlowStep(
                        "s",
                        new RunScript
                        {
                            Name = "result",
                            Inputs = None.Add("n", "=3").Add("name", "Kittiwake"),
                            Code = "return { doubled: n * 2, words: [name, name.toUpperCase()] };",
                            Sample = """{"doubled": 1, "words": ["a"]}""",
                        }
                    ),
                    Compute("all", "TEXTJOIN(\" \", TRUE, steps.result.words) & steps.result.doubled"),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        await space.BeginAsync(workflow);
        var run = Assert.Single(await space.RunsAsync(workflow, status: RunStatus.Done));
        Assert.Equal("Kittiwake KITTIWAKE6", run.State["all"]!.Result!.Value.GetString());
    }

    [Fact]
    public async Task Workflows_that_set_each_other_off_are_stopped()
    {
        var fuel = await space.DatasetAsync("vessels");
        var workflow = await space.PublishAsync(
            new Workflow(
                "Again and again",
                new AfterSave
                {
                    Dataset = fuel,
                    Added = false,
                    Condition = "trigger.after.hull_number = \"BF-107\"",
                },
                [
                    new FlowStep(
                        "u",
                        new UpdateRecord
                        {
                            Name = "changed",
                            Dataset = fuel,
                            Record = "trigger.record",
                            Values = None.Add("car_capacity", "=trigger.after.car_capacity + 1"),
                        }
                    ),
                ]
            )
            {
                RunsAs = "superintendent",
            }
        );
        var save = await space.SaveAsync(
            fuel,
            new Change.Update(new RecordKey(["BF-107"]), FieldValues.None, new FieldValues([new(new FieldName("car_capacity"), 1L)]))
        );
        Assert.IsType<SaveResult.Saved>(save);
        var runs = await space.RunsAsync(workflow, RunStarts.MostInARow + 1);
        Assert.Equal(RunStarts.MostInARow + 1, runs.Count);
        Assert.Equal((RunStatus.Failed, RunStarts.TooManyInARow), (runs[^1].Status, runs[^1].Message));
        await space.TurnOffAsync(workflow);
    }

    [Fact]
    public async Task Runs_of_one_key_go_one_after_the_other_and_a_workflow_waits_for_one_that_it_calls()
    {
        var called = await space.PublishAsync(
            new Workflow(
                "Called",
                new OnDemand { Inputs = [new Core.Apps.PageParameter("number", new FieldType.Number())] },
                [
                    new FlowStep(
                        "w",
                        new Wait
                        {
                            Name = "waited",
                            Condition = "trigger.number < 0",
                            Minutes = "0",
                        }
                    ),
                    new FlowStep("e", new Finish { Value = "trigger.number * 2" }),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        var calls = await space.PublishAsync(
            new Workflow(
                "Calls",
                new OnDemand(),
                [
                    new FlowStep(
                        "c",
                        new CallWorkflow
                        {
                            Name = "called",
                            Workflow = called.Name,
                            Values = None.Add("number", "=21"),
                            Sample = "1",
                        }
                    ),
                    Compute("after", "steps.called.result + 0"),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        for (var number = 0; number < 3; number++)
        {
            await space.BeginAsync(calls);
        }

        var runs = await space.RunsAsync(calls, 3, RunStatus.Done);
        Assert.All(runs, run => Assert.Equal("42", run.State["after"]!.Result!.Value.GetRawText()));

        var keyed = await space.PublishAsync(
            new Workflow(
                "Keyed",
                new OnDemand(),
                [
                    new FlowStep(
                        "d",
                        new SignOff
                        {
                            Name = "decision",
                            Who = "owner",
                            Question = "Next?",
                        }
                    ),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        async Task<long> KeyedAsync(string key) =>
            await space.InStoreAsync(async store =>
            {
                var entry = new WorkflowEntry(keyed.Id, keyed.Name, 1, true, keyed.Draft);
                var run = space.Services.GetRequiredService<RunStarts>().Run(entry, new RunStart("the test", "{}") { Key = key });
                store.WorkflowRuns.Add(run);
                await store.SaveChangesAsync();
                return run.Id;
            });
        var (first, second, other) = (await KeyedAsync("one"), await KeyedAsync("one"), await KeyedAsync("two"));
        Task<RunStatus> StatusAsync(long id) =>
            space.InStoreAsync(store => store.WorkflowRuns.Where(run => run.Id == id).Select(run => run.Status).SingleAsync());
        foreach (var id in new[] { first, other })
        {
            for (var tries = 0; tries < 400 && await StatusAsync(id) is RunStatus.Ready; tries++)
            {
                await Task.Delay(50);
            }
        }

        await Task.Delay(1_200);
        Assert.Equal(
            (RunStatus.Waiting, RunStatus.Ready, RunStatus.Waiting),
            (await StatusAsync(first), await StatusAsync(second), await StatusAsync(other))
        );
    }

    [Fact]
    public async Task A_sign_off_whose_people_are_gone_asks_others_and_at_last_the_owners()
    {
        var workflow = await space.PublishAsync(
            new Workflow(
                "Asks who is gone",
                new OnDemand(),
                [
                    new FlowStep(
                        "d",
                        new SignOff
                        {
                            Name = "decision",
                            Who = "clem@brackwater.example",
                            Question = "Who is left?",
                            EscalatesTo = "tuva@brackwater.example",
                        }
                    ),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        var id = await space.BeginAsync(workflow);
        await space.RunsAsync(workflow, status: RunStatus.Waiting);
        var people = await space.InStoreAsync(store => store.Users.ToDictionaryAsync(person => person.UserName!, person => person.Id));
        async Task<Guid[]> AfterAsync(string person, DateTimeOffset? deactivated)
        {
            await space.InStoreAsync(async store =>
            {
                (await store.Users.SingleAsync(known => known.UserName == person)).DeactivatedAt = deactivated;
                return await store.SaveChangesAsync();
            });
            await space.Services.GetRequiredService<SignOffs>().RemindAsync(CancellationToken.None);
            var request = await space.InStoreAsync(store => store.SignOffs.AsNoTracking().SingleAsync(known => known.RunId == id));
            return [.. request.People];
        }

        try
        {
            Assert.Equal([people["clem"], people["tuva"]], await AfterAsync("clem", DateTimeOffset.UtcNow));
            Assert.Equal([people["clem"], people["tuva"], people["oskar"]], await AfterAsync("tuva", DateTimeOffset.UtcNow));

            // Asked once, they are not asked anew.
            Assert.Equal(3, (await AfterAsync("tuva", DateTimeOffset.UtcNow)).Length);
        }
        finally
        {
            await AfterAsync("clem", null);
            await AfterAsync("tuva", null);
        }
    }

    [Fact]
    public async Task Databases_that_go_away_in_the_middle_of_runs_leave_none_undone_and_nothing_done_twice()
    {
        const int Runs = 30;
        var defects = await space.DatasetAsync("defects");
        var workflow = await space.PublishAsync(
            new Workflow(
                "Adds while databases go",
                new OnDemand { Inputs = [new Core.Apps.PageParameter("title", new FieldType.Text())] },
                [
                    new FlowStep(
                        "a",
                        new CreateRecord
                        {
                            Name = "added",
                            Dataset = defects,
                            Values = None.Add("vessel", "BF-101").Add("title", "=trigger.title").Add("state", "closed"),
                        }
                    ),
                    new FlowStep(
                        "b",
                        new UpdateRecord
                        {
                            Dataset = defects,
                            Record = "steps.added",
                            Values = None.Add("description", "=\"by \" & trigger.title"),
                        }
                    ),
                ]
            )
            {
                RunsAs = "superintendent",
            }
        );
        for (var run = 0; run < Runs; run++)
        {
            await space.BeginAsync(workflow, $$"""{"title": "Cut off {{run}}"}""");
        }

        for (var cut = 0; cut < 6; cut++)
        {
            await DemoApplication.ServerAsync(
                $"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname IN ('{space.StoreName}', '{space.FleetName}')"
            );
            await Task.Delay(120);
        }

        // This test reads by the same pool, in which connections are that were cut off while they lay there.
        space.Services.GetRequiredService<NpgsqlDataSource>().Clear();
        Assert.Equal(Runs, (await space.RunsAsync(workflow, Runs, RunStatus.Done)).Count);
        Assert.Equal(
            $"{Runs} {Runs}",
            await space.FleetScalarAsync(
                "SELECT count(*) || ' ' || count(DISTINCT title) FROM defects WHERE title LIKE 'Cut off %' AND description = 'by ' || title"
            )
        );
    }

    [Fact]
    public async Task Nodes_whose_clocks_differ_begin_each_time_of_a_schedule_once()
    {
        var workflow = await space.PublishAsync(
            new Workflow("By other clocks", new OnSchedule { Times = "0 * * * *" }, [Compute("a", "trigger.at")]) { RunsAs = "owner" }
        );
        var hour = new DateTimeOffset(2031, 5, 6, 7, 0, 0, TimeSpan.Zero);
        await space.InStoreAsync(store =>
            store
                .Workflows.Where(known => known.Id == workflow.Id)
                .ExecuteUpdateAsync(row => row.SetProperty(one => one.ScheduledUpTo, hour.AddMinutes(-20)))
        );
        RunIntake NodeAt(TimeSpan off) => ActivatorUtilities.CreateInstance<RunIntake>(space.Services, (TimeProvider)new Other(hour + off));
        var nodes = new[] { -9, -1, 2, 10 }.Select(minutes => NodeAt(TimeSpan.FromMinutes(minutes))).ToArray();
        for (var round = 0; round < 3; round++)
        {
            await Task.WhenAll(nodes.Select(node => node.TakeAsync(CancellationToken.None)));
        }

        var runs = await space.InStoreAsync(store =>
            store.WorkflowRuns.AsNoTracking().Where(run => run.WorkflowId == workflow.Id).ToListAsync()
        );
        Assert.Contains("2031-05-06T07:00:00", Assert.Single(runs).Input, StringComparison.Ordinal);
        await space.TurnOffAsync(workflow);
    }

    private sealed class Other(DateTimeOffset now) : TimeProvider
    {
        public override DateTimeOffset GetUtcNow() => now;
    }

    [Fact]
    public async Task A_schedule_that_was_missed_runs_once_or_never_as_is_said()
    {
        foreach (var (missed, count) in new[] { (MissedRuns.Once, 1), (MissedRuns.Never, 0) })
        {
            var workflow = await space.PublishAsync(
                new Workflow($"Each minute {missed}", new OnSchedule { Times = "0 * * * *", Missed = missed }, [Compute("a", "trigger.at")])
                {
                    RunsAs = "owner",
                }
            );
            await space.InStoreAsync(store =>
                store
                    .Workflows.Where(known => known.Id == workflow.Id)
                    .ExecuteUpdateAsync(row => row.SetProperty(one => one.ScheduledUpTo, DateTimeOffset.UtcNow.AddHours(-30)))
            );
            for (
                var tries = 0;
                tries < 200
                    && await space.InStoreAsync(store =>
                        store.Workflows.AnyAsync(known =>
                            known.Id == workflow.Id && known.ScheduledUpTo < DateTimeOffset.UtcNow.AddHours(-1)
                        )
                    );
                tries++
            )
            {
                await Task.Delay(50);
            }

            var runs = await space.InStoreAsync(store => store.WorkflowRuns.CountAsync(run => run.WorkflowId == workflow.Id));

            // The hour may have turned just now.
            Assert.InRange(runs, count, DateTimeOffset.UtcNow.Minute < 6 ? 1 : count);
        }
    }

    [Fact]
    public async Task A_trial_shows_what_it_would_do_outside_and_does_it_only_when_that_is_asked()
    {
        var source = await space.SignalAsync();
        var bea = await space.AsAsync("bea");
        var workflow = await space.PublishAsync(
            new Workflow(
                "Trial",
                new OnDemand(),
                [
                    new FlowStep(
                        "c",
                        new SendToChat
                        {
                            Source = source,
                            Path = "/rooms/trial",
                            Message = "on trial",
                        }
                    ),
                    Compute("a", "1"),
                ]
            )
            {
                RunsAs = "owner",
            }
        );
        var page = $"/build/workflows/{workflow.Name}/try";
        using (await bea.PostAsync(page, page, ("input", "{}"))) { }
        var dry = Assert.Single(await space.RunsAsync(workflow, status: RunStatus.Done));
        Assert.DoesNotContain(space.Signal.Received, message => message.Text == "on trial");
        var entry = (await space.EntriesAsync(dry.Id))[0];
        Assert.Contains("on trial", entry.Input, StringComparison.Ordinal);
        Assert.Contains("Not carried out", entry.Output, StringComparison.Ordinal);
        using (await bea.PostAsync(page, page, ("input", "{}"), ("real", "true"))) { }
        await space.RunsAsync(workflow, 2, RunStatus.Done);
        Assert.Single(space.Signal.Received, message => message.Text == "on trial");

        // Step by step it halts before each, and carries that out for which it is asked.
        using (await bea.PostAsync(page, page, ("input", "{}"), ("steps", "true"))) { }
        var halted = Assert.Single(await space.RunsAsync(workflow, 3), run => run.IsStepByStep);
        var its = $"/build/workflows/runs/{halted.Id}";
        Assert.Empty(await space.EntriesAsync(halted.Id));
        Assert.Contains("Halts before: Send a chat message", (await bea.PageAsync(its)).Body!.TextContent, StringComparison.Ordinal);
        using (await bea.PostAsync(its, $"{its}?handler=Next&carriesOut=true")) { }
        await space.RunsAsync(workflow, 3);
        Assert.Equal(2, space.Signal.Received.Count(message => message.Text == "on trial"));
        Assert.Contains("Halts before: Compute a value: a", (await bea.PageAsync(its)).Body!.TextContent, StringComparison.Ordinal);
        using (await bea.PostAsync(its, $"{its}?handler=Next&rest=true")) { }
        await space.RunsAsync(workflow, 3, RunStatus.Done);
        using (var wrong = await bea.PostAsync(page, page, ("input", "{ no")))
        {
            var text = await wrong.Content.ReadAsStringAsync();
            Assert.Contains("cannot be read", text, StringComparison.Ordinal);
            Assert.Contains("{ no", text, StringComparison.Ordinal);
        }
    }
}
