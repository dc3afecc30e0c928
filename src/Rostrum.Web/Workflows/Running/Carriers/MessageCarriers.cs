using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running.Carriers;

/// <summary>Sends a mail: it goes out with the run, and has one Message-ID.</summary>
internal sealed class SendingMail : RunCarrier<StepEffect.SendMail>
{
    public override EffectSafety Safety => EffectSafety.WithTheRun;

    protected override string Says(StepEffect.SendMail effect, RunContext context) =>
        $"to {string.Join(", ", effect.To)}: {effect.Subject}"
        + (effect.Attachments.IsEmpty ? "" : $"\nwith {string.Join(", ", effect.Attachments.Keys.Order(StringComparer.Ordinal))}");

    protected override Task<RunCarried> CarryAsync(StepEffect.SendMail effect, RunContext context)
    {
        if (effect.To.FirstOrDefault(address => !System.Net.Mail.MailAddress.TryCreate(address, out _)) is { } wrong)
        {
            return Task.FromResult<RunCarried>(new RunCarried.Failed($"“{wrong}” is no mail address."));
        }

        ImmutableArray<MailAttachment> files =
        [
            .. effect
                .Attachments.OrderBy(file => file.Key, StringComparer.Ordinal)
                .Select(file => AttachedValue.File(file.Key, file.Value)),
        ];
        if (files.Sum(file => file.Text.Length) > AttachedValue.Longest)
        {
            return Task.FromResult<RunCarried>(new RunCarried.Failed("The attachments are too large for a mail."));
        }

        var now = context.Scope.Now;
        foreach (var address in effect.To.Distinct(StringComparer.OrdinalIgnoreCase))
        {
            context.Store.OutgoingMails.Add(
                new OutgoingMail
                {
                    Address = address,
                    Subject = effect.Subject.ReplaceLineEndings(" "),
                    Text = effect.Text,
                    Attachments = files,
                    MadeAt = now,
                    Due = now,
                }
            );
        }

        return Task.FromResult<RunCarried>(
            new RunCarried.Done(null, $"to {effect.To.Length} {(effect.To.Length == 1 ? "address" : "addresses")}")
        );
    }
}

/// <summary>Puts a message into people's inboxes.</summary>
internal sealed class TellingPeople : RunCarrier<StepEffect.Notify>
{
    public override EffectSafety Safety => EffectSafety.WithTheRun;

    protected override string Says(StepEffect.Notify effect, RunContext context) => $"to {string.Join(", ", effect.To)}: {effect.Title}";

    protected override async Task<RunCarried> CarryAsync(StepEffect.Notify effect, RunContext context)
    {
        var (people, unknown) = Recipients.Of(context.Workspace, effect.To);
        if (people.IsEmpty)
        {
            return new RunCarried.Failed($"Nobody is known as {string.Join(", ", unknown)}.");
        }

        var about =
            effect.About is { } known && context.Workspace.Datasets.Find(known.Dataset) is { } dataset
                ? await RecordPlace.OfAsync(context, dataset, known.Key)
                : null;
        foreach (var person in people)
        {
            context.Store.InboxItems.Add(
                new InboxItem
                {
                    PersonId = person,
                    WatchId = Guid.Empty,
                    DatasetId = effect.About?.Dataset.Value ?? context.Run.WorkflowId,
                    Key = about?.Key ?? $"run {context.Run.Id}",
                    Title = effect.Title,
                    Text = effect.Text,
                    By = context.Workflow.Label,
                    Address = about?.Address ?? "/inbox",
                    At = context.Scope.Now,
                }
            );
        }

        return new RunCarried.Done(null, $"told {people.Length} {(people.Length == 1 ? "person" : "people")}");
    }
}

/// <summary>Asks people to decide.</summary>
internal sealed class AskingForDecision : RunCarrier<StepEffect.AskForDecision>
{
    public override EffectSafety Safety => EffectSafety.WithTheRun;

    protected override string Says(StepEffect.AskForDecision effect, RunContext context) =>
        $"ask {string.Join(", ", effect.Who)}: {effect.Question}";

    protected override async Task<RunCarried> CarryAsync(StepEffect.AskForDecision effect, RunContext context)
    {
        var (people, unknown) = Recipients.Of(context.Workspace, effect.Who);
        if (people.IsEmpty)
        {
            return new RunCarried.Failed($"Nobody is there who could decide: {string.Join(", ", unknown)}.");
        }

        var dataset = effect.About is { } known ? context.Workspace.Datasets.Find(known.Dataset) : null;
        var about = dataset is null ? null : await RecordPlace.OfAsync(context, dataset, effect.About!.Value.Key);
        var request = new SignOffRequest
        {
            Id = Guid.NewGuid(),
            RunId = context.Run.Id,
            Path = context.Due.Path,
            Question = effect.Question,
            Text = effect.Text,
            Answers = [.. effect.Answers],
            NeedsComment = [.. effect.NeedsComment],
            Fields = effect.Fields,
            People = [.. people],
            EscalatesTo = [.. Recipients.Of(context.Workspace, effect.EscalatesTo).People],
            Due = effect.Due,
            DatasetId = dataset?.Id.Value,
            RecordKey = about?.Key,
            RecordTitle = about?.Title,
            AskedAt = context.Scope.Now,
        };
        context.Store.SignOffs.Add(request);
        context.Get<SignOffs>().Tell(context.Store, context.Workspace, request, people, "asks for a sign-off");
        return new RunCarried.Waits($"asked {people.Length} {(people.Length == 1 ? "person" : "people")}");
    }
}
