using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.Workflows.Running;

/// <summary>What came of an answer to a sign-off.</summary>
internal enum AnswerOutcome
{
    /// <summary>It counts.</summary>
    Taken,

    /// <summary>Somebody else was first, or it was withdrawn.</summary>
    TooLate,

    /// <summary>A comment is missing.</summary>
    NeedsComment,

    /// <summary>It is not one of the answers, or not theirs to give.</summary>
    NotTheirs,
}

/// <summary>Asks people to decide, and takes their answers.</summary>
internal sealed class SignOffs(IDbContextFactory<RostrumStore> stores, WorkspaceCache workspaces, MailSettings mail, TimeProvider time)
{
    private static readonly TimeSpan BeforeDue = TimeSpan.FromHours(4);

    /// <summary>Tells people in their inbox, and by mail, that they are asked.</summary>
    public void Tell(RostrumStore store, Workspace workspace, SignOffRequest request, IEnumerable<Guid> people, string says)
    {
        var (now, address) = (time.GetUtcNow(), $"/sign-off/{request.Id}");
        foreach (var person in people)
        {
            store.InboxItems.Add(
                new InboxItem
                {
                    PersonId = person,
                    WatchId = Guid.Empty,
                    DatasetId = request.Id,
                    Key = "sign-off",
                    Title = request.Question,
                    Text = request.RecordTitle is { } title ? $"{says}:\n{title}" : says,
                    By = "A workflow",
                    Address = address,
                    At = now,
                }
            );
            if (mail is { Server: not null, Address: { } links } && workspace.People.GetValueOrDefault(person)?.Email is { } to)
            {
                store.OutgoingMails.Add(
                    new OutgoingMail
                    {
                        Address = to,
                        Subject = $"Sign-off: {request.Question}",
                        Text = $"{request.Question}\n\n{request.Text}\n\nDecide here: {links}{address}\n",
                        MadeAt = now,
                        Due = now,
                    }
                );
            }
        }
    }

    /// <summary>Takes an answer: the first one counts, and the run goes on.</summary>
    /// <param name="id">The sign-off.</param>
    /// <param name="person">Who answers.</param>
    /// <param name="answer">One of the answers.</param>
    /// <param name="comment">What they say to it.</param>
    /// <param name="values">What they filled in, in JSON; null where there was nothing to fill in.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<AnswerOutcome> AnswerAsync(
        Guid id,
        Guid person,
        string answer,
        string comment,
        string? values,
        CancellationToken cancellation
    )
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var request = await store.SignOffs.FromSql($"SELECT * FROM sign_offs WHERE id = {id} FOR UPDATE").FirstOrDefaultAsync(cancellation);
        if (request is null || !request.People.Contains(person) || !request.Answers.Contains(answer))
        {
            return AnswerOutcome.NotTheirs;
        }

        if (request.AnsweredAt is not null || request.IsWithdrawn)
        {
            return AnswerOutcome.TooLate;
        }

        if (request.NeedsComment.Contains(answer) && string.IsNullOrWhiteSpace(comment))
        {
            return AnswerOutcome.NeedsComment;
        }

        var now = time.GetUtcNow();
        var name = (await workspaces.GetAsync(cancellation)).People.GetValueOrDefault(person)?.Name ?? "somebody";
        (request.AnsweredAt, request.Answer, request.Comment, request.AnsweredBy) = (now, answer, comment.Trim(), name);
        request.Values = values;
        await store.SaveChangesAsync(cancellation);

        // The worker takes it from there: it may be at another step of the run at this moment.
        await store
            .WorkflowRuns.Where(run => run.Id == request.RunId && (run.Status == RunStatus.Waiting || run.Status == RunStatus.Ready))
            .ExecuteUpdateAsync(row => row.SetProperty(run => run.Status, RunStatus.Ready).SetProperty(run => run.Due, now), cancellation);
        await store
            .InboxItems.Where(item => item.DatasetId == id && item.ReadAt == null)
            .ExecuteUpdateAsync(row => row.SetProperty(item => item.ReadAt, now), cancellation);
        await transaction.CommitAsync(cancellation);
        await RunStarts.WakeAsync(store, cancellation);
        return AnswerOutcome.Taken;
    }

    /// <summary>Somebody else decides in one's place.</summary>
    public async Task<bool> DelegateAsync(Guid id, Guid person, Guid to, CancellationToken cancellation)
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var workspace = await workspaces.GetAsync(cancellation);
        var request = await store.SignOffs.FromSql($"SELECT * FROM sign_offs WHERE id = {id} FOR UPDATE").FirstOrDefaultAsync(cancellation);
        if (
            request is not { AnsweredAt: null, IsWithdrawn: false }
            || !request.People.Contains(person)
            || workspace.People.GetValueOrDefault(to) is not { IsActive: true }
        )
        {
            return false;
        }

        request.People = [.. request.People.Where(known => known != person).Append(to).Distinct()];
        Tell(store, workspace, request, [to], $"{workspace.People[person].Name} asks you to decide in their place");
        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        return true;
    }

    /// <summary>What an answered sign-off gives to its run, in JSON; null where it is not answered.</summary>
    public static JsonElement? Result(SignOffRequest request)
    {
        if (request.AnsweredAt is not { } at)
        {
            return null;
        }

        var result = request.Values is { } values ? JsonNode.Parse(values)!.AsObject() : [];
        result["answer"] = request.Answer;
        result["by"] = request.AnsweredBy;
        result["comment"] = request.Comment;
        result["at"] = at;
        return JsonSerializer.SerializeToElement(result);
    }

    /// <summary>Reminds of what is due soon, and asks others as well where it is overdue.</summary>
    public async Task RemindAsync(CancellationToken cancellation)
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var now = time.GetUtcNow();
        var soon = now + BeforeDue;
        var open = await store
            .SignOffs.FromSql(
                $"""
                SELECT * FROM sign_offs WHERE answered_at IS NULL AND NOT is_withdrawn
                AND ((due <= {soon} AND reminded_at IS NULL) OR (due <= {now} AND escalated_at IS NULL)
                    OR NOT EXISTS (SELECT FROM people WHERE id = ANY(sign_offs.people) AND deactivated_at IS NULL))
                LIMIT 50 FOR UPDATE SKIP LOCKED
                """
            )
            .ToListAsync(cancellation);
        if (open.Count == 0)
        {
            return;
        }

        var workspace = await workspaces.GetAsync(cancellation);
        foreach (var request in open)
        {
            if (!request.People.Any(IsThere))
            {
                ImmutableArray<Guid> others = request.EscalatesTo.Any(IsThere)
                    ? [.. request.EscalatesTo.Where(IsThere)]
                    : Recipients.Of(workspace, ["owner"]).People;
                request.People = [.. request.People, .. others];
                Tell(store, workspace, request, others, "can be decided by nobody who was asked any more, and asks you");
            }

            if (request.Due is null || request.Due > soon)
            {
                continue;
            }

            if (request.RemindedAt is null && request.AskedAt + BeforeDue < request.Due)
            {
                Tell(store, workspace, request, request.People, "still waits for your decision");
            }

            request.RemindedAt ??= now;
            if (request.Due <= now)
            {
                ImmutableArray<Guid> more = [.. request.EscalatesTo.Except(request.People)];
                request.EscalatedAt = now;
                request.People = [.. request.People, .. more];
                Tell(store, workspace, request, more, "is overdue, and asks you as well");
            }
        }

        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);

        bool IsThere(Guid person) => workspace.People.GetValueOrDefault(person) is { IsActive: true };
    }
}
