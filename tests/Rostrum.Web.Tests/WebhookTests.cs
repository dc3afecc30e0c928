using System.Net;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;

namespace Rostrum.Web.Tests;

/// <summary>Other programs set workflows off by an address, with a proof.</summary>
public sealed class WebhookTests(WorkflowSpace space) : IClassFixture<WorkflowSpace>
{
    private const string Key = "sea-and-sky-1";

    [Fact]
    public async Task A_call_with_the_token_is_answered_with_the_result_and_one_without_is_refused()
    {
        var workflow = await HookAsync("Adds up", new OnCall { Waits = true });
        var client = space.Anonymous().Client;
        var address = $"/hooks/{workflow.Name}";
        using (var answer = await client.SendAsync(Call(address, """{"a": 2, "b": 3}""", Key)))
        {
            Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
            using var json = JsonDocument.Parse(await answer.Content.ReadAsStringAsync());
            Assert.Equal(5, json.RootElement.GetProperty("result").GetDecimal());
        }

        foreach (
            var (token, body, type, expected) in new[]
            {
                (null, "{}", "application/json", HttpStatusCode.Unauthorized),
                ("wrong", "{}", "application/json", HttpStatusCode.Unauthorized),
                (Key, "[1]", "application/json", HttpStatusCode.BadRequest),
                (Key, "{ no", "application/json", HttpStatusCode.BadRequest),
                (Key, "a=1&b=2", "application/x-www-form-urlencoded", HttpStatusCode.OK),
            }
        )
        {
            using var answer = await client.SendAsync(Call(address, body, token, type));
            Assert.Equal(expected, answer.StatusCode);
        }

        using (var large = await client.SendAsync(Call(address, "{\"a\": \"" + new string('x', 50 * 1024 * 1024) + "\"}", Key)))
        {
            Assert.Equal(HttpStatusCode.RequestEntityTooLarge, large.StatusCode);
        }

        Assert.Equal(HttpStatusCode.NotFound, (await client.SendAsync(Call("/hooks/nothing", "{}", Key))).StatusCode);
        await space.TurnOffAsync(workflow);
        Assert.Equal(HttpStatusCode.NotFound, (await client.SendAsync(Call(address, "{}", Key))).StatusCode);
    }

    [Fact]
    public async Task A_signed_delivery_runs_once_however_often_it_comes_and_a_wrong_signature_never()
    {
        var workflow = await HookAsync("Signed", new OnCall { Proof = CallerProof.Signature, DeliveryHeader = "X-Delivery" });
        var client = space.Anonymous().Client;
        const string Body = """{"a": 1, "b": 1}""";
        HttpRequestMessage Signed(string key, string delivery)
        {
            var request = Call($"/hooks/{workflow.Name}", Body, null);
            var signature = Convert.ToHexStringLower(HMACSHA256.HashData(Encoding.UTF8.GetBytes(key), Encoding.UTF8.GetBytes(Body)));
            request.Headers.Add(OnCall.UsualHeader, $"sha256={signature}");
            request.Headers.Add("X-Delivery", delivery);
            return request;
        }

        var answers = await Task.WhenAll(Enumerable.Range(0, 5).Select(_ => client.SendAsync(Signed(Key, "d-1"))));
        Assert.All(answers, answer => Assert.Equal(HttpStatusCode.Accepted, answer.StatusCode));
        var texts = await Task.WhenAll(answers.Select(answer => answer.Content.ReadAsStringAsync()));
        Assert.Single(texts.Distinct());
        using (var other = await client.SendAsync(Signed(Key, "d-2")))
        {
            Assert.Equal(HttpStatusCode.Accepted, other.StatusCode);
        }

        using (var wrong = await client.SendAsync(Signed("another key", "d-3")))
        {
            Assert.Equal(HttpStatusCode.Unauthorized, wrong.StatusCode);
        }

        Assert.Equal(2, (await space.RunsAsync(workflow, 2, RunStatus.Done)).Count);
    }

    private async Task<StoredWorkflow> HookAsync(string label, OnCall trigger)
    {
        if (!await space.InStoreAsync(store => store.Secrets.AnyAsync(secret => secret.Name == "hook_key")))
        {
            var protectedKey = space.Services.GetRequiredService<SourceSecrets>().Protect(Key);
            await space.InStoreAsync(store =>
            {
                store.Secrets.Add(
                    new StoredSecret
                    {
                        Name = "hook_key",
                        ProtectedValue = protectedKey,
                        ChangedBy = "the test",
                    }
                );
                return store.SaveChangesAsync();
            });
        }

        return await space.PublishAsync(
            new Workflow(
                label,
                trigger with
                {
                    Secret = "hook_key",
                    Sample = """{"a": 1, "b": 2}""",
                },
                [new FlowStep("e", new Finish { Value = "trigger.a + trigger.b" })]
            )
            {
                RunsAs = "owner",
            }
        );
    }

    private static HttpRequestMessage Call(string address, string body, string? token, string type = "application/json")
    {
        var request = new HttpRequestMessage(HttpMethod.Post, address) { Content = new StringContent(body, Encoding.UTF8, type) };
        if (token is not null)
        {
            request.Headers.Add("Authorization", $"Bearer {token}");
        }

        return request;
    }
}
