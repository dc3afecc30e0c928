using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Http;
using Rostrum.StandIns.Harbour;
using Record = Rostrum.Core.Datasets.Record;

namespace Rostrum.Sources.Tests.Http;

/// <summary>The harbour office's service as a source: read and written through the gate as a table is.</summary>
public sealed class HarbourTests
{
    private static readonly DateOnly Day = new(2026, 3, 14);

    private static readonly Dictionary<string, string> Options = new(StringComparer.Ordinal)
    {
        ["SignIn"] = "token",
        ["TokenPath"] = "/sign-in",
        ["TokenBody"] = """{"user": "${user}", "password": "${password}"}""",
        ["TokenPointer"] = "/token",
        ["LifetimePointer"] = "/expires_in",
    };

    private static ApiRequest Get(string path, params ImmutableArray<ApiPair> query) =>
        new()
        {
            Method = "GET",
            Path = path,
            Query = query,
        };

    private static async Task<ApiSource> StartAsync(string? password = null)
    {
        var source = await ApiSource.StartAsync(
            HarbourOffice.At("http://127.0.0.1:0", Day),
            Options,
            HarbourOffice.User,
            password ?? HarbourOffice.Password
        );
        return source;
    }

    private static async Task<(ApiSource Source, DatasetCatalogue Catalogue, Dataset Bookings)> ConnectedAsync()
    {
        var source = await StartAsync();
        var request = Get("/bookings");
        var described = ApiTrying.Described("bookings", request, await source.SendAsync(request))!;
        source.With(
            (await ApiTrying.SampledAsync(source.Settings, described, CancellationToken.None)) with
            {
                One = Get("/bookings/${reference}"),
                Create = new ApiRequest
                {
                    Method = "POST",
                    Path = "/bookings",
                    Body = new ApiBody.Record(),
                },
                Update = new ApiRequest
                {
                    Method = "PATCH",
                    Path = "/bookings/${reference}",
                    Body = new ApiBody.Record(),
                },
                Delete = new ApiRequest { Method = "DELETE", Path = "/bookings/${reference}" },
                Filters = ImmutableSortedDictionary<string, string>.Empty.Add("port.code", "port"),
                Order = new ApiOrder(
                    "sort={field}",
                    "sort=-{field}",
                    ImmutableSortedDictionary<string, string>.Empty.Add("arrives", "arrives")
                ),
            }
        );
        var catalogue = await source.DraftAsync();
        return (source, catalogue, catalogue.Named("bookings"));
    }

    [Fact]
    public async Task The_list_in_an_answer_its_shape_its_key_and_its_paging_are_found()
    {
        await using var source = await StartAsync();
        var request = Get("/bookings");
        var answer = await source.SendAsync(request);
        Assert.Equal(200, answer.Status);
        var found = ApiTrying.Described("bookings", request, answer)!;
        Assert.Equal("/data/bookings", found.Items);
        Assert.Equal("/meta/total", found.Total);
        Assert.Equal(new ApiPaging.Number("page", 1, "per_page", 25), found.Paging);
        Assert.Equal("reference", Assert.Single(found.Key));
        Assert.Equal(
            [
                "reference: Text",
                "port.code: Text",
                "vessel: Text",
                "berth: Integer",
                "arrives: Instant",
                "leaves: Instant",
                "state: Text",
                "fee: Number",
                "note: Text",
                "contact.name: Text",
                "shore_power: YesNo",
            ],
            found.Fields.Select(field => $"{field.Name}: {field.Type.GetType().Name}")
        );
        Assert.True(found.Fields.Single(field => field.Name == "fee").AsText);
        Assert.True(found.Fields.Single(field => field.Name == "note").Nullable);
        Assert.False(found.Fields.Single(field => field.Name == "vessel").Nullable);
    }

    [Fact]
    public async Task A_page_asks_for_no_more_than_its_rows()
    {
        var (source, catalogue, bookings) = await ConnectedAsync();
        await using var _ = source;
        var calls = new List<SourceCall>();
        async Task<ReadResult.Rows> ReadAsync(ReadRequest request) =>
            Assert.IsType<ReadResult.Rows>(
                await source.Gate.Watched(calls.Add).ReadAsync(catalogue, request, Gates.All, CancellationToken.None)
            );
        var request = new ReadRequest(bookings.Id)
        {
            Fields = [new("vessel")],
            Counted = true,
            Window = new PageWindow.FromStart(0, 20),
        };
        var first = await ReadAsync(request);
        Assert.Single(calls);
        Assert.Equal((20, 180L, CountKind.Exact), (first.Records.Length, first.Count!.Number, first.Count.Kind));
        Assert.Equal((false, true), (first.HasEarlier, first.HasLater));
        var second = await ReadAsync(request with { Window = new PageWindow.After(first.Last!, 20) });
        Assert.Equal((true, true), (second.HasEarlier, second.HasLater));
        Assert.Equal(4, calls.Count + 1);
        Assert.Empty(first.Records.Select(record => record.Key).Intersect(second.Records.Select(record => record.Key)));
        var back = await ReadAsync(request with { Window = new PageWindow.Before(second.First!, 20) });
        Assert.Equal(first.Records.Select(record => record.Key), back.Records.Select(record => record.Key));
        var last = await ReadAsync(request with { Window = new PageWindow.FromStart(160, 20) });
        Assert.Equal((false, 20), (last.HasLater, last.Records.Length));
    }

    [Fact]
    public async Task Records_that_the_api_alone_decides_are_those_of_memory_in_the_api_s_own_order()
    {
        var (source, catalogue, bookings) = await ConnectedAsync();
        await using var _ = source;
        var request = new ReadRequest(bookings.Id) { Fields = [.. bookings.StoredFields.Select(field => field.Name)] };
        async Task<string[]> ReadAsync(ReadRequest request) =>
            [
                .. Assert
                    .IsType<ReadResult.Rows>(await source.Gate.ReadAsync(catalogue, request, Gates.All, CancellationToken.None))
                    .Records.Select(record => string.Join(", ", request.Fields.Select(name => record[name]).Prepend(record.Title))),
            ];
        var all = request with { Window = new PageWindow.FromStart(0, 180) };
        var (byTheApi, byMemory) = (await ReadAsync(all), await ReadAsync(all with { Filter = new Filter.Holds("TRUE") }));
        Assert.Equal(180, byTheApi.Length);
        Assert.NotEqual(byTheApi, byMemory);
        Assert.Equal(string.Join('\n', byTheApi.Order()), string.Join('\n', byMemory.Order()));
    }

    [Fact]
    public async Task Records_that_are_alike_are_looked_for_among_all_that_the_api_has()
    {
        var (source, catalogue, bookings) = await ConnectedAsync();
        await using var _ = source;
        var calls = new List<SourceCall>();
        async Task<ReadResult.Rows> ReadAsync(Filter filter) =>
            Assert.IsType<ReadResult.Rows>(
                await source
                    .Gate.Watched(calls.Add)
                    .ReadAsync(
                        catalogue,
                        new ReadRequest(bookings.Id)
                        {
                            Fields = [new("vessel"), new("port_code")],
                            Filter = filter,
                            Window = new PageWindow.FromStart(0, 180),
                        },
                        Gates.All,
                        CancellationToken.None
                    )
            );
        var all = (await ReadAsync(new Filter.Everything())).Records;
        var alike = all.GroupBy(record => record[new("vessel")]).Where(group => group.Count() > 1).SelectMany(group => group);
        var here = new Filter.OneOf(new("port_code"), ["BRW"]);
        calls.Clear();
        var found = (await ReadAsync(new Filter.And([new Filter.Alike([new("vessel")]), here]))).Records;
        Assert.Equal(
            alike.Where(record => record[new("port_code")] is "BRW").Select(record => string.Join("+", record.Key!.Values)).Order(),
            found.Select(record => string.Join("+", record.Key!.Values)).Order()
        );
        Assert.All(calls, call => Assert.DoesNotContain("port=", call.Text, StringComparison.Ordinal));
        Assert.Contains("which records are alike", calls[0].Note, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_the_api_cannot_decide_memory_decides_and_says_so()
    {
        var (source, catalogue, bookings) = await ConnectedAsync();
        await using var _ = source;
        var calls = new List<SourceCall>();
        var request = new ReadRequest(bookings.Id)
        {
            Fields = [new("port_code"), new("state"), new("fee")],
            Filter = new Filter.And([
                new Filter.OneOf(new("port_code"), ["BRW"]),
                new Filter.OneOf(new("state"), ["confirmed"]),
                new Filter.Holds("fee > 200"),
            ]),
            Sort = [new SortBy(new("fee"), Descending: true)],
            Counted = true,
        };
        var rows = Assert.IsType<ReadResult.Rows>(
            await source.Gate.Watched(calls.Add).ReadAsync(catalogue, request, Gates.All, CancellationToken.None)
        );
        var call = Assert.Single(calls);
        Assert.Contains("port=BRW", call.Text, StringComparison.Ordinal);
        Assert.Equal("The API has no parameter for a filter by state, a condition, the order: memory decides it.", call.Note);
        Assert.NotEmpty(rows.Records);
        var fees = rows.Records.Select(record => (decimal)record[new("fee")]!).ToArray();
        Assert.Equal(fees.OrderDescending(), fees);
        Assert.All(rows.Records, record =>
            Assert.Equal(("BRW", "confirmed"), ((string)record[new("port_code")]!, (string)record[new("state")]!))
        );
        Assert.Equal(rows.Records.Length, rows.Count!.Number);

        var total = Assert.IsType<TotalResult.Values>(
            await source.Gate.TotalAsync(
                catalogue,
                new TotalRequest(bookings.Id, [new FieldTotal(new("fee"), Total.Sum)], request.Filter, ""),
                Gates.All,
                CancellationToken.None
            )
        );
        Assert.Equal(fees.Sum(), total.Numbers[0]);
        var groups = Assert.IsType<GroupResult.Groups>(
            await source.Gate.GroupAsync(
                catalogue,
                new GroupRequest(bookings.Id, new("state"), new Filter.Everything(), "", 10),
                Gates.All,
                CancellationToken.None
            )
        );
        Assert.Equal(180, groups.Values.Sum(group => group.Count));
    }

    [Fact]
    public async Task A_booking_is_made_changed_refused_and_withdrawn()
    {
        var (source, catalogue, bookings) = await ConnectedAsync();
        await using var _ = source;
        FieldValues Values(params (string Name, object? Value)[] values) =>
            new(values.Select(pair => KeyValuePair.Create(new FieldName(pair.Name), pair.Value)));
        var arrives = new DateTimeOffset(2026, 4, 1, 8, 0, 0, TimeSpan.Zero);
        var made = await source.Gate.SavedAsync(
            catalogue,
            bookings,
            new Change.Insert(
                Values(
                    ("port_code", "ELM"),
                    ("vessel", "BF-103"),
                    ("berth", 2L),
                    ("arrives", arrives),
                    ("leaves", arrives.AddHours(9)),
                    ("state", "asked"),
                    ("fee", 99.5m),
                    ("contact_name", "Pia Strand"),
                    ("shore_power", true)
                )
            )
        );
        Assert.Equal("HB-0181", made.Key!.Values[0]);
        async Task<Record?> FoundAsync() =>
            (
                await Gates.RowsAsync(
                    source.Gate,
                    catalogue,
                    ReadRequest.Of(bookings, made.Key) with
                    {
                        Fields = [new("fee"), new("contact_name"), new("state")],
                    }
                )
            ).Records.SingleOrDefault();
        var found = (await FoundAsync())!;
        Assert.Equal((99.5m, "Pia Strand"), ((decimal)found[new("fee")]!, (string)found[new("contact_name")]!));

        var changed = await source.Gate.SavedAsync(
            catalogue,
            bookings,
            new Change.Update(made.Key, Values(("state", "asked")), Values(("state", "confirmed")))
        );
        Assert.Equal("confirmed", (await FoundAsync())![new("state")]);

        Assert.IsType<SaveResult.Conflict>(
            await source.Gate.SaveAsync(catalogue, bookings, new Change.Update(made.Key, Values(("state", "asked")), Values(("berth", 1L))))
        );
        var refused = Assert.IsType<SaveResult.Invalid>(
            await source.Gate.SaveAsync(
                catalogue,
                bookings,
                new Change.Update(made.Key, FieldValues.None, Values(("leaves", arrives.AddHours(-1))))
            )
        );
        Assert.Equal("The API refuses it: A vessel leaves after it arrives.", Assert.Single(refused.Problems).Message);

        Assert.IsType<SaveResult.Saved>(
            await source.Gate.UndoAsync(catalogue, new ChangeSet(bookings.Id, [changed.Inverse!]), Gates.All, CancellationToken.None)
        );
        Assert.Equal("asked", (await FoundAsync())![new("state")]);
        await source.Gate.SavedAsync(catalogue, bookings, new Change.Delete(made.Key, FieldValues.None));
        Assert.Null(await FoundAsync());
    }

    [Fact]
    public async Task Policies_hold_for_an_api_as_for_a_table()
    {
        var (source, catalogue, bookings) = await ConnectedAsync();
        await using var _ = source;
        var policy = Policy.On("agent", bookings.Id, Verbs.View | Verbs.Update) with
        {
            Condition = new Filter.Holds("port_code = \"SKS\""),
            Readable = new FieldSet.But([new FieldName("fee")]),
        };
        var grants = Grants.Of(new HashSet<string> { "agent" }, [policy]);
        var request = new ReadRequest(bookings.Id) { Fields = [new("port_code"), new("fee")], Window = new PageWindow.FromStart(0, 500) };
        var rows = await Gates.RowsAsync(source.Gate, catalogue, request, grants);
        Assert.NotEmpty(rows.Records);
        Assert.All(rows.Records, record => Assert.Equal("SKS", record[new("port_code")]));
        Assert.All(rows.Records, record => Assert.False(record.Has(new("fee"))));
        var all = await Gates.RowsAsync(source.Gate, catalogue, request);
        var foreign = all.Records.First(record => (string)record[new("port_code")]! != "SKS").Key!;
        var change = new Change.Update(
            foreign,
            FieldValues.None,
            new FieldValues([KeyValuePair.Create(new FieldName("note"), (object?)"mine")])
        );
        Assert.IsType<SaveResult.Denied>(await source.Gate.SaveAsync(catalogue, bookings, change, grants));
        var own = change with { Key = rows.Records[0].Key! };
        Assert.IsType<SaveResult.Saved>(await source.Gate.SaveAsync(catalogue, bookings, own, grants));
        Assert.IsType<SaveResult.Denied>(
            await source.Gate.SaveAsync(
                catalogue,
                bookings,
                own with
                {
                    Values = new FieldValues([KeyValuePair.Create(new FieldName("port_code"), (object?)"ELM")]),
                },
                grants
            )
        );
    }

    [Theory]
    [InlineData("arrives", true, "sort=-arrives")]
    [InlineData("arrives", false, "sort=arrives")]
    [InlineData("fee", true, null)]
    [InlineData("arrives fee", true, null)]
    public async Task An_order_that_the_api_knows_is_asked_of_it_and_any_other_is_made_in_memory(string by, bool descending, string? asked)
    {
        var (source, catalogue, bookings) = await ConnectedAsync();
        await using var _ = source;
        var calls = new List<SourceCall>();
        var request = new ReadRequest(bookings.Id)
        {
            Fields = [new("arrives"), new("fee")],
            Sort = [.. by.Split(' ').Select(name => new SortBy(new FieldName(name), descending))],
            Window = new PageWindow.FromStart(30, 10),
        };
        var page = Assert.IsType<ReadResult.Rows>(
            await source.Gate.Watched(calls.Add).ReadAsync(catalogue, request, Gates.All, CancellationToken.None)
        );
        var all = await Gates.RowsAsync(source.Gate, catalogue, request with { Sort = [], Window = new PageWindow.FromStart(0, 5000) });
        IComparable Value(Record record) => (IComparable)record[new(by.Split(' ')[0])]!;
        var sorted = descending ? all.Records.OrderByDescending(Value) : all.Records.OrderBy(Value);
        Assert.Equal(sorted.Skip(30).Take(10).Select(Value), page.Records.Select(Value));
        Assert.Equal(asked is not null, calls.Count <= 2);
        Assert.All(calls, call =>
            Assert.Equal(asked is not null, asked is not null && call.Text.Contains(asked, StringComparison.Ordinal))
        );
        Assert.All(calls, call => Assert.Equal(asked is null, call.Note?.Contains("the order", StringComparison.Ordinal) == true));
    }

    [Fact]
    public async Task The_order_of_related_records_titles_is_not_asked_of_the_api()
    {
        var (source, _, bookings) = await ConnectedAsync();
        await using var _1 = source;
        var resource = HttpProvider.Resources(source.Settings.Requests).Single();
        var request = new ReadRequest(bookings.Id) { Sort = [new SortBy(new("arrives"))] };
        var relation = new Relation
        {
            Name = new("day"),
            Label = "Day",
            Field = new("arrives"),
            Target = bookings.Id,
            TargetField = new("arrives"),
            InverseName = new("bookings"),
            InverseLabel = "Bookings",
            Because = "for a test",
        };
        var related = bookings with { Relations = [relation] };
        ApiAsked Asked(Dataset dataset) => ApiAsked.Of(new Wanted(dataset, request, new Filter.Everything(), IsPage: true, null), resource);
        Assert.True(Asked(bookings).IsAll);
        Assert.Equal("the order", Assert.Single(Asked(related).Left));
    }

    [Theory]
    [InlineData("SKS", "port=SKS")]
    [InlineData("ELM", null)]
    public async Task A_parameter_is_asked_for_once_when_policy_and_request_narrow_by_the_same_field(string port, string? asked)
    {
        var (source, catalogue, bookings) = await ConnectedAsync();
        await using var _ = source;
        var own = new Filter.OneOf(new("port_code"), ["SKS"]);
        var grants = Grants.Of(new HashSet<string> { "agent" }, [Policy.On("agent", bookings.Id, Verbs.View) with { Condition = own }]);
        var calls = new List<SourceCall>();
        var request = new ReadRequest(bookings.Id)
        {
            Fields = [new("port_code")],
            Filter = new Filter.OneOf(new("port_code"), [port]),
            Counted = true,
            Window = new PageWindow.FromStart(0, 500),
        };
        var rows = Assert.IsType<ReadResult.Rows>(
            await source.Gate.Watched(calls.Add).ReadAsync(catalogue, request, grants, CancellationToken.None)
        );
        var all = await Gates.RowsAsync(source.Gate, catalogue, request with { Filter = own });
        Assert.Equal(asked is null ? 0 : all.Records.Length, rows.Records.Length);
        Assert.Equal(rows.Records.Length, rows.Count!.Number);
        Assert.NotEmpty(all.Records);
        Assert.Equal(asked is null ? 0 : 1, calls.Count);
        Assert.All(calls, call => Assert.Contains(asked!, call.Text, StringComparison.Ordinal));
        Assert.All(calls, call => Assert.Equal(2, call.Text.Split("port=").Length));
    }

    [Fact]
    public async Task A_wrong_password_is_said_and_never_shown()
    {
        await using var source = await StartAsync("planted-secret-77");
        var failure = (await SourceConnector.TestAsync(source.Settings, CancellationToken.None))!;
        Assert.Equal(FailureReason.WrongPassword, failure.Reason);
        Assert.DoesNotContain("planted", failure.Message, StringComparison.Ordinal);
    }
}
