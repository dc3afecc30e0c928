using System.Collections.Immutable;
using System.Net;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Http;

namespace Rostrum.Sources.Tests.Http;

/// <summary>What services do that they should not, and what people are told.</summary>
public sealed class ApiFaultTests
{
    private const string Secret = "planted-secret-4711";

    private static readonly Dictionary<string, string> WithToken = new(StringComparer.Ordinal) { ["SignIn"] = "bearer" };

    private static WebApplication Service(Action<WebApplication> map)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.WebHost.UseUrls("http://127.0.0.1:0");
        builder.Logging.ClearProviders();
        var app = builder.Build();
        map(app);
        return app;
    }

    private static ApiResource Things(ApiPaging? paging = null, int kept = 0) =>
        new()
        {
            Name = "things",
            List = new ApiRequest { Method = "GET", Path = "/things" },
            Items = "/items",
            Fields =
            [
                new ApiField("id", "/id", new FieldType.Integer(), Nullable: false) { ReadOnly = true },
                new ApiField("name", "/name", new FieldType.Text(), Nullable: true),
            ],
            Key = ["id"],
            Paging = paging ?? new ApiPaging.None(),
            KeptSeconds = kept,
        };

    private static async Task<ReadResult> ReadAsync(Action<WebApplication> map, ApiResource? resource = null, int limit = 50)
    {
        await using var source = await ApiSource.StartAsync(Service(map), WithToken, password: Secret);
        source.With(resource ?? Things());
        var catalogue = await source.DraftAsync();
        var things = catalogue.Named("things");
        var request = new ReadRequest(things.Id) { Fields = [new("name")], Window = new PageWindow.FromStart(0, limit) };
        return await source.Gate.ReadAsync(catalogue, request, Gates.All, CancellationToken.None);
    }

    private static async Task<string> FailureAsync(Action<WebApplication> map, ApiResource? resource = null, int limit = 50)
    {
        var failed = Assert.IsType<ReadResult.Failed>(await ReadAsync(map, resource, limit));
        Assert.DoesNotContain(Secret, failed.Failure.Message, StringComparison.Ordinal);
        return failed.Failure.Message.Replace("http://127.0.0.1", "", StringComparison.Ordinal);
    }

    private static IResult Json(string json, int status = 200) => Results.Text(json, "application/json", statusCode: status);

    [Fact]
    public async Task A_web_page_in_the_place_of_json_is_said() =>
        Assert.EndsWith(
            "answered with a web page and not with JSON. Check the path and the sign-in.",
            await FailureAsync(app => app.MapGet("/things", () => Results.Text("<html>", "text/html"))),
            StringComparison.Ordinal
        );

    [Fact]
    public async Task Json_that_is_none_is_said() =>
        Assert.EndsWith(
            "answered with a text that is no JSON.",
            await FailureAsync(app => app.MapGet("/things", () => Json("{\"items\": ["))),
            StringComparison.Ordinal
        );

    [Fact]
    public async Task An_answer_of_another_shape_is_said() =>
        Assert.Contains(
            "has no list at “/items”: its shape is another than when it was connected.",
            await FailureAsync(app => app.MapGet("/things", () => Json("{\"data\": []}"))),
            StringComparison.Ordinal
        );

    [Fact]
    public async Task Nothing_at_all_is_an_empty_list() =>
        Assert.Empty(Assert.IsType<ReadResult.Rows>(await ReadAsync(app => app.MapGet("/things", () => Results.NoContent()))).Records);

    [Fact]
    public async Task Rows_without_a_key_are_left_out_and_a_value_of_another_type_is_unreadable()
    {
        var rows = Assert.IsType<ReadResult.Rows>(
            await ReadAsync(app =>
                app.MapGet("/things", () =>
                    Json("""{"items": [{"id": 1, "name": "a"}, {"name": "b"}, {"id": "x"}, {"id": 1}, {"id": 2}]}""")
                )
            )
        );
        Assert.Equal([1L, 2L], rows.Records.Select(record => record.Key!.Values[0]));
    }

    [Fact]
    public async Task What_an_api_says_of_an_error_is_passed_on_with_its_secrets_masked()
    {
        var said = await FailureAsync(app =>
            app.MapGet("/things", (HttpRequest request) =>
                Json($$"""{"detail": "no such tenant: {{request.Headers.Authorization}}"}""", 500)
            )
        );
        Assert.EndsWith("answered 500: no such tenant: Bearer •••.", said, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_read_is_tried_again_where_that_may_help_and_a_write_never_is()
    {
        var (reads, writes) = (0, 0);
        await using var source = await ApiSource.StartAsync(
            Service(app =>
            {
                app.MapGet("/things", () => Interlocked.Increment(ref reads) < 3 ? Results.StatusCode(503) : Json("""{"items": []}"""));
                app.MapPost("/things", () =>
                {
                    Interlocked.Increment(ref writes);
                    return Results.StatusCode(503);
                });
            }),
            WithToken,
            password: Secret
        );
        source.With(
            Things() with
            {
                Create = new ApiRequest
                {
                    Method = "POST",
                    Path = "/things",
                    Body = new ApiBody.Record(),
                },
            }
        );
        var catalogue = await source.DraftAsync();
        var things = catalogue.Named("things");
        await Gates.RowsAsync(source.Gate, catalogue, new ReadRequest(things.Id));
        Assert.Equal(3, reads);
        var insert = new Change.Insert(Gates.Values(("name", "new")));
        Assert.IsType<SaveResult.Failed>(await source.Gate.SaveAsync(catalogue, things, insert));
        Assert.Equal(1, writes);
    }

    [Fact]
    public async Task A_long_pause_that_is_asked_for_is_said_and_not_waited_for()
    {
        var asked = 0;
        var said = await FailureAsync(app => app.MapGet("/things", (HttpResponse response) =>
            {
                asked++;
                response.Headers.RetryAfter = "120";
                return Results.StatusCode(429);
            }));
        Assert.EndsWith("asks for a pause (429) of 120 seconds.", said, StringComparison.Ordinal);
        Assert.Equal(1, asked);
    }

    [Fact]
    public async Task An_endless_body_is_cut_off()
    {
        var said = await FailureAsync(app => app.MapGet("/things", async (HttpResponse response, CancellationToken cancellation) =>
            {
                response.ContentType = "application/json";
                var chunk = new byte[1024 * 1024];
                Array.Fill(chunk, (byte)' ');
                for (var megabytes = 0; megabytes < 300; megabytes++)
                {
                    await response.Body.WriteAsync(chunk, cancellation);
                }
            }));
        Assert.EndsWith("answered with more than 20 MB. Ask for less: a page, or a filter.", said, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_paging_that_never_ends_is_noticed()
    {
        var said = await FailureAsync(
            app => app.MapGet("/things", () => Json("""{"items": [{"id": 1}], "next": "more"}""")),
            Things(new ApiPaging.Cursor("cursor", "/next"))
        );
        Assert.EndsWith("gives the same page again and again: its paging is not what the requests say.", said, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("cursor")]
    [InlineData("next")]
    [InlineData("link")]
    [InlineData("offset")]
    public async Task Every_way_of_paging_gives_each_record_once(string way)
    {
        var asked = new List<string>();
        IResult Page(HttpContext context)
        {
            asked.Add(context.Request.QueryString.Value!);
            var from = int.TryParse(context.Request.Query["from"], out var number) ? number : 0;
            var items = string.Join(
                ", ",
                Enumerable.Range(from, Math.Min(10, 35 - from)).Select(id => $$"""{"id": {{id}}, "name": "n{{id}}"}""")
            );
            var next = from + 10 < 35 ? from + 10 : (int?)null;
            if (way == "link" && next is not null)
            {
                context.Response.Headers.Link = $"</things?from={next}>; rel=\"next\", </things>; rel=\"first\"";
            }

            var beside = way switch
            {
                "cursor" => $", \"next_cursor\": {(next is null ? "null" : $"\"{next}\"")}",
                "next" => $", \"next\": {(next is null ? "null" : $"\"/things?from={next}\"")}",
                "offset" => $", \"offset\": {from}, \"total\": 35",
                _ => "",
            };
            return Json($$"""{"items": [{{items}}]{{beside}}}""");
        }

        await using var source = await ApiSource.StartAsync(Service(app => app.MapGet("/things", Page)), WithToken, password: Secret);
        var request = new ApiRequest { Method = "GET", Path = "/things" };
        var found = ApiTrying.Described("things", request, await source.SendAsync(request))!;
        if (found.Paging is ApiPaging.Cursor cursor)
        {
            found = found with { Paging = cursor with { Parameter = "from" } };
        }

        if (found.Paging is ApiPaging.Offset offset)
        {
            found = found with { Paging = offset with { Parameter = "from" } };
        }

        Assert.Equal(way, found.Paging.GetType().Name, ignoreCase: true);
        source.With(found);
        var catalogue = await source.DraftAsync();
        var things = catalogue.Named("things");
        asked.Clear();
        var all = await Gates.RowsAsync(source.Gate, catalogue, new ReadRequest(things.Id) { Window = new PageWindow.FromStart(0, 100) });
        Assert.Equal(Enumerable.Range(0, 35).Select(id => (object)(long)id), all.Records.Select(record => record.Key!.Values[0]));
        Assert.Equal(4, asked.Count);
        var second = await Gates.RowsAsync(source.Gate, catalogue, new ReadRequest(things.Id) { Window = new PageWindow.FromStart(12, 5) });
        Assert.Equal([12L, 13L, 14L, 15L, 16L], second.Records.Select(record => record.Key!.Values[0]));
    }

    [Fact]
    public async Task Credentials_do_not_go_along_to_another_host()
    {
        var seen = new List<string>();
        await using var other = Service(app => app.MapGet("/elsewhere", (HttpRequest request) =>
            {
                seen.AddRange([request.Headers.Authorization.ToString(), request.Headers["X-Tenant"].ToString()]);
                return Json("""{"items": []}""");
            }));
        await other.StartAsync();
        var target = other.Urls.Single();
        await using var source = await ApiSource.StartAsync(
            Service(app => app.MapGet("/things", () => Results.Redirect($"{target}/elsewhere"))),
            new Dictionary<string, string>(WithToken, StringComparer.Ordinal) { ["Headers"] = "X-Tenant: ${secrets.tenant}" },
            password: Secret
        );
        source.With(new SecretValues([KeyValuePair.Create("tenant", "another-secret-1")]));
        source.With(Things());
        var catalogue = await source.DraftAsync();
        await Gates.RowsAsync(source.Gate, catalogue, new ReadRequest(catalogue.Named("things").Id));
        Assert.Equal(["", ""], seen);
    }

    [Fact]
    public async Task A_secret_goes_into_a_header_and_nowhere_else()
    {
        var seen = "";
        await using var source = await ApiSource.StartAsync(Service(app => app.MapGet("/things", (HttpRequest request) =>
                {
                    seen = request.Headers["X-Tenant"].ToString();
                    return Json($$"""{"items": [{"id": 1, "name": "{{seen}}"}]}""");
                })), new Dictionary<string, string>(StringComparer.Ordinal) { ["Headers"] = "X-Tenant: ${secrets.tenant}" });
        source.With(new SecretValues([KeyValuePair.Create("tenant", Secret)]));
        var answer = await source.SendAsync(new ApiRequest { Method = "GET", Path = "/things" });
        Assert.Equal(Secret, seen);
        Assert.DoesNotContain(Secret, answer.Text, StringComparison.Ordinal);
        Assert.DoesNotContain(Secret, source.Settings.ToString(), StringComparison.Ordinal);
        var refused = await source.SendAsync(new ApiRequest { Method = "GET", Path = "/things/${secrets.tenant}" });
        Assert.Contains("Unknown name", refused.Failure!.Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_value_with_a_line_break_does_not_become_a_header()
    {
        await using var source = await ApiSource.StartAsync(
            Service(app => app.MapGet("/things", () => Json("""{"items": []}"""))),
            new Dictionary<string, string>(StringComparer.Ordinal)
            {
                ["Headers"] = "X-Name: ${variables.name}${CHAR(10)}X-Admin: yes",
                ["Variables"] = "name: x",
            }
        );
        var answer = await source.SendAsync(new ApiRequest { Method = "GET", Path = "/things" });
        Assert.Contains("has a line break in it: a header cannot hold that.", answer.Failure!.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("169.254.169.254", true)]
    [InlineData("fe80::1", true)]
    [InlineData("::ffff:169.254.169.254", true)]
    [InlineData("fd00:ec2::254", true)]
    [InlineData("0.0.0.0", true)]
    [InlineData("127.0.0.1", false)]
    [InlineData("10.1.2.3", false)]
    public void Addresses_of_the_machines_own_surroundings_are_refused(string address, bool refused) =>
        Assert.Equal(refused, AddressGuard.IsRefused(IPAddress.Parse(address)));

    [Fact]
    public async Task No_request_goes_to_a_link_local_address()
    {
        var settings = new SourceSettings("", 0, "", "", "", Encrypted: false)
        {
            Kind = "http",
            Options = """{"Address": "http://169.254.169.254/latest"}""",
        };
        var failure = (await SourceConnector.TestAsync(settings, CancellationToken.None))!;
        Assert.Contains("belongs to this machine's own surroundings", failure.Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_kept_answer_is_asked_for_by_its_tag_and_a_change_forgets_it()
    {
        var (asked, unchanged) = (0, 0);
        await using var source = await ApiSource.StartAsync(
            Service(app =>
            {
                app.MapGet("/things", (HttpRequest request, HttpResponse response) =>
                {
                    asked++;
                    response.Headers.ETag = "\"one\"";
                    if (request.Headers.IfNoneMatch == "\"one\"")
                    {
                        unchanged++;
                        return Results.StatusCode(304);
                    }

                    return Json("""{"items": [{"id": 1, "name": "a"}]}""");
                });
                app.MapPost("/things", () => Json("""{"id": 2}""", 201));
            }),
            WithToken,
            password: Secret
        );
        source.With(
            Things(kept: 1) with
            {
                Create = new ApiRequest
                {
                    Method = "POST",
                    Path = "/things",
                    Body = new ApiBody.Record(),
                },
            }
        );
        var catalogue = await source.DraftAsync();
        var things = catalogue.Named("things");
        async Task<int> RowsAsync() => (await Gates.RowsAsync(source.Gate, catalogue, new ReadRequest(things.Id))).Records.Length;
        Assert.Equal((1, 1), (await RowsAsync(), await RowsAsync()));
        Assert.Equal(1, asked);
        await Task.Delay(1100);
        Assert.Equal(1, await RowsAsync());
        Assert.Equal((2, 1), (asked, unchanged));
        Assert.IsType<SaveResult.Saved>(await source.Gate.SaveAsync(catalogue, things, new Change.Insert(Gates.Values(("name", "b")))));
        Assert.Equal(1, await RowsAsync());
        Assert.Equal((3, 1), (asked, unchanged));
    }

    [Fact]
    public async Task A_token_is_asked_for_once_and_again_when_it_is_refused()
    {
        var (given, good) = (0, "");
        await using var source = await ApiSource.StartAsync(
            Service(app =>
            {
                app.MapPost("/token", () => Json($$"""{"access_token": "{{good = $"token-{++given}"}}", "expires_in": 3600}"""));
                app.MapGet("/things", (HttpRequest request) =>
                    request.Headers.Authorization == $"Bearer {good}" ? Json("""{"items": []}""") : Results.StatusCode(401)
                );
            }),
            new Dictionary<string, string>(StringComparer.Ordinal) { ["SignIn"] = "clientCredentials", ["ClientId"] = "rostrum" },
            password: Secret
        );
        var settings = source.Settings with
        {
            Options = source.Settings.Options.Replace(
                "\"SignIn\"",
                $"\"TokenAddress\": \"{source.Address}/token\", \"SignIn\"",
                StringComparison.Ordinal
            ),
        };
        using var tokens = new TokensInMemory();
        using var calls = new HttpCalls(HttpProvider.SettingsOf(settings), settings, tokens);
        async Task<int> AskAsync() =>
            (await calls.SendAsync(new ApiCall(new ApiRequest { Method = "GET", Path = "/things" }), CancellationToken.None)).Status;
        Assert.All(await Task.WhenAll(Enumerable.Range(0, 8).Select(_ => AskAsync())), status => Assert.Equal(200, status));
        Assert.Equal(1, given);
        good = "withdrawn";
        Assert.Equal(200, await AskAsync());
        Assert.Equal(2, given);
    }
}
