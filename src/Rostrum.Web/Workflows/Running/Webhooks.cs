using System.Data.Common;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;

namespace Rostrum.Web.Workflows.Running;

/// <summary>The addresses by which other programs set workflows off.</summary>
internal static class Webhooks
{
    /// <summary>Where they are.</summary>
    public const string Root = "/hooks";

    /// <summary>The most that is read of a call.</summary>
    public const int MostBytes = 1024 * 1024;

    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(25);
    private static readonly TimeSpan Often = TimeSpan.FromMilliseconds(100);

    public static void MapWebhooks(this IEndpointRouteBuilder routes) =>
        routes.MapPost($"{Root}/{{name}}", AnswerAsync).AllowAnonymous().DisableAntiforgery();

    private static async Task<IResult> AnswerAsync(
        string name,
        HttpRequest request,
        WorkspaceCache workspaces,
        SourceSecrets secrets,
        RunStarts starts,
        IDbContextFactory<RostrumStore> stores,
        WorkSignal signal,
        CancellationToken cancellation
    )
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (
            workspace.SetOffBy<OnCall>().FirstOrDefault(known => known.Workflow.Name == name)
            is not { Workflow: { } workflow, Trigger: { } trigger }
        )
        {
            return Results.NotFound();
        }

        if (await BodyAsync(request, cancellation) is not { } body)
        {
            return Results.Json(new { error = $"More than {MostBytes / 1024 / 1024} MB is not taken." }, statusCode: 413);
        }

        if (!workspace.Secrets.TryGetValue(trigger.Secret, out var secret) || !IsProven(request, trigger, body, secrets.Unprotect(secret)))
        {
            return Results.Json(new { error = "The proof is missing or wrong." }, statusCode: 401);
        }

        if (Input(request, body) is not { } input)
        {
            return Results.Json(new { error = "The body is no JSON object, no form and no text." }, statusCode: 400);
        }

        var delivery =
            trigger.DeliveryHeader.Length > 0 && request.Headers[trigger.DeliveryHeader].ToString() is { Length: > 0 and <= 200 } number
                ? number
                : null;
        var run = starts.Run(workflow, new RunStart("a call", input.ToJsonString()) { PersonName = "a caller", Delivery = delivery });
        await using var store = await stores.CreateDbContextAsync(cancellation);
        store.WorkflowRuns.Add(run);
        var id = run.Id;
        try
        {
            await store.SaveChangesAsync(cancellation);
            id = run.Id;
        }
        catch (DbUpdateException) when (delivery is not null)
        {
            // The same delivery came before: it runs once, and is answered as then.
            store.ChangeTracker.Clear();
            id = await store
                .WorkflowRuns.Where(known => known.WorkflowId == workflow.Id && known.Delivery == delivery)
                .Select(known => known.Id)
                .FirstAsync(cancellation);
        }

        signal.Wake();
        await RunStarts.WakeAsync(store, cancellation);
        return trigger.Waits ? await ResultAsync(store, id, cancellation) : Results.Json(new { run = id }, statusCode: 202);
    }

    private static async Task<IResult> ResultAsync(RostrumStore store, long id, CancellationToken cancellation)
    {
        for (var waited = TimeSpan.Zero; waited < LongestWait; waited += Often)
        {
            var run = await store.WorkflowRuns.AsNoTracking().FirstAsync(known => known.Id == id, cancellation);
            if (run.IsOver)
            {
                return run.Status switch
                {
                    RunStatus.Done => Results.Json(
                        new { run = id, result = run.State.End?.Result is { } result ? JsonNode.Parse(result.GetRawText()) : null }
                    ),
                    RunStatus.Stopped => Results.Json(new { run = id, error = run.Message }, statusCode: 422),
                    _ => Results.Json(new { run = id, error = "The workflow failed." }, statusCode: 500),
                };
            }

            await Task.Delay(Often, cancellation);
        }

        return Results.Json(new { run = id }, statusCode: 202);
    }

    private static async Task<byte[]?> BodyAsync(HttpRequest request, CancellationToken cancellation)
    {
        if (request.ContentLength > MostBytes)
        {
            return null;
        }

        if (request.HttpContext.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
        {
            limit.MaxRequestBodySize = MostBytes + 1;
        }

        using var memory = new MemoryStream();
        var buffer = new byte[16 * 1024];
        try
        {
            int read;
            while ((read = await request.Body.ReadAsync(buffer, cancellation)) > 0)
            {
                if (memory.Length + read > MostBytes)
                {
                    return null;
                }

                memory.Write(buffer, 0, read);
            }
        }
        catch (BadHttpRequestException exception) when (exception.StatusCode == StatusCodes.Status413PayloadTooLarge)
        {
            return null;
        }

        return memory.ToArray();
    }

    private static bool IsProven(HttpRequest request, OnCall trigger, byte[] body, string secret) =>
        trigger.Proof is CallerProof.Bearer
            ? Same(request.Headers.Authorization.ToString(), $"Bearer {secret}")
            : Same(
                Unprefixed(request.Headers[trigger.SignatureHeader].ToString()).ToLowerInvariant(),
                Convert.ToHexStringLower(HMACSHA256.HashData(Encoding.UTF8.GetBytes(secret), body))
            );

    private static string Unprefixed(string signature) =>
        signature.StartsWith("sha256=", StringComparison.OrdinalIgnoreCase) ? signature["sha256=".Length..] : signature;

    private static bool Same(string one, string other) =>
        CryptographicOperations.FixedTimeEquals(
            SHA256.HashData(Encoding.UTF8.GetBytes(one)),
            SHA256.HashData(Encoding.UTF8.GetBytes(other))
        );

    private static JsonObject? Input(HttpRequest request, byte[] body)
    {
        var type = request.ContentType ?? "";
        string text;
        try
        {
            text = new UTF8Encoding(false, throwOnInvalidBytes: true).GetString(body);
        }
        catch (ArgumentException)
        {
            return null;
        }

        if (type.StartsWith("application/x-www-form-urlencoded", StringComparison.OrdinalIgnoreCase))
        {
            return new JsonObject(
                QueryHelpers
                    .ParseQuery(text)
                    .Select(pair => KeyValuePair.Create(pair.Key, (JsonNode?)JsonValue.Create(pair.Value.ToString())))
            );
        }

        if (type.StartsWith("text/plain", StringComparison.OrdinalIgnoreCase))
        {
            return new JsonObject { ["text"] = text };
        }

        try
        {
            return JsonNode.Parse(text, documentOptions: new JsonDocumentOptions { MaxDepth = 32 }) as JsonObject;
        }
        catch (JsonException)
        {
            return null;
        }
    }
}
