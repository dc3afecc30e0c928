using System.Text;
using MailKit.Net.Smtp;
using MailKit.Security;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using Rostrum.Store;

namespace Rostrum.Web.People.Mail;

/// <summary>
/// Sends what is in the store to be sent, whatever node made it. What cannot be sent is tried again, after growing pauses.
/// </summary>
internal sealed partial class MailSender(
    IDbContextFactory<RostrumStore> stores,
    MailSettings settings,
    TimeProvider time,
    ILogger<MailSender> log
) : BackgroundService
{
    private static readonly TimeSpan Pause = TimeSpan.FromSeconds(3);
    private static readonly TimeSpan LongestPause = TimeSpan.FromHours(1);
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(20);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        if (settings.Server is null)
        {
            return;
        }

        using var timer = new PeriodicTimer(Pause);
        while (await timer.WaitForNextTickAsync(stoppingToken))
        {
            try
            {
                await SendDueAsync(stoppingToken);
            }
            catch (Exception exception) when (StoreFailure.IsUnreachable(exception))
            {
                LogOutage(exception.Message);
            }
        }
    }

    /// <summary>
    /// Sends what is due, each mail in a transaction of its own: where a node ends, what it has sent before is not sent again. Two nodes do
    /// not take the same mail.
    /// </summary>
    public async Task SendDueAsync(CancellationToken cancellation)
    {
        while (!cancellation.IsCancellationRequested && await SendNextAsync(cancellation)) { }
    }

    // What has been begun is ended, whoever wants to stop meanwhile: the mail server may have taken it already.
    private async Task<bool> SendNextAsync(CancellationToken cancellation)
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var now = time.GetUtcNow();
        var due = await store
            .OutgoingMails.FromSql(
                $"""
                SELECT * FROM outgoing_mails WHERE sent_at IS NULL AND due <= {now}
                ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED
                """
            )
            .ToListAsync(cancellation);
        if (due is not [var mail])
        {
            return false;
        }

        try
        {
            await SendAsync(mail);
            (mail.SentAt, mail.Problem) = (time.GetUtcNow(), null);

            // It held a link that lets somebody in.
            (mail.Text, mail.Attachments) = ("", []);
        }
        catch (Exception exception)
        {
            mail.Tries++;
            mail.Problem = Why(exception);
            var pause = TimeSpan.FromSeconds(30) * Math.Pow(2, Math.Min(mail.Tries - 1, 10));
            mail.Due = time.GetUtcNow() + (pause < LongestPause ? pause : LongestPause);
            LogFailed(mail.Id, mail.Problem);
        }

        await store.SaveChangesAsync(CancellationToken.None);
        await transaction.CommitAsync(CancellationToken.None);
        return true;
    }

    private async Task SendAsync(OutgoingMail mail)
    {
        var server = settings.Server!;
        using var message = new MimeMessage();
        message.From.Add(MailboxAddress.Parse(settings.From));
        message.To.Add(MailboxAddress.Parse(mail.Address));
        message.Subject = mail.Subject;
        message.MessageId = $"rostrum-{mail.Id}-{mail.MadeAt.ToUnixTimeMilliseconds()}@{server.Host}";
        if (mail.Unsubscribe is { } unsubscribe)
        {
            // RFC 2369 and 8058.
            message.Headers.Add(HeaderId.ListUnsubscribe, $"<{unsubscribe}>");
            message.Headers.Add("List-Unsubscribe-Post", "List-Unsubscribe=One-Click");
        }

        var body = new BodyBuilder { TextBody = mail.Text };
        foreach (var file in mail.Attachments)
        {
            body.Attachments.Add(file.Name, Encoding.UTF8.GetBytes(file.Text));
        }

        message.Body = body.ToMessageBody();
        using var limit = new CancellationTokenSource(Longest);
        using var client = new SmtpClient();
        await client.ConnectAsync(
            server.Host,
            server.Port > 0 ? server.Port : 587,
            server.Scheme == "smtps" ? SecureSocketOptions.SslOnConnect : SecureSocketOptions.StartTlsWhenAvailable,
            limit.Token
        );
        if (server.UserInfo.Split(':', 2) is [{ Length: > 0 } user, var password])
        {
            await client.AuthenticateAsync(Uri.UnescapeDataString(user), Uri.UnescapeDataString(password), limit.Token);
        }

        await client.SendAsync(message, limit.Token);
        await client.DisconnectAsync(quit: true, limit.Token);
    }

    private static string Why(Exception exception) =>
        exception is OperationCanceledException ? "The mail server did not answer in time." : exception.Message;

    [LoggerMessage(Level = LogLevel.Warning, Message = "Mail {Mail} could not be sent: {Reason}")]
    private partial void LogFailed(long mail, string reason);

    [LoggerMessage(Level = LogLevel.Warning, Message = "Mail waits for the store: {Reason}")]
    private partial void LogOutage(string reason);
}
