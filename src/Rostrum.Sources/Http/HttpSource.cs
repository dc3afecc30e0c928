using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Memory;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Http;

/// <summary>
/// An API as a source: its lists are fetched as far as a request needs them, memory decides what the API cannot, and changes go out as
/// requests once they were found to be sound.
/// </summary>
internal sealed class HttpSource(HttpCalls calls, ImmutableArray<ApiResource> resources) : ISource
{
    private readonly ApiLists _lists = new(calls);

    public async Task<Look> LookAsync(Wanted wanted, Gathering? gathering, CancellationToken cancellation)
    {
        var resource = Of(wanted.Dataset);
        var asked = ApiAsked.Of(wanted, resource);
        var (from, most) = asked.IsAll && wanted.IsPage ? Stretch(wanted.Request.Window) : (0, (int?)null);
        var fetched = asked.Record is { } record
            ? await _lists.OneAsync(wanted, resource, record, cancellation)
            : await _lists.ReadAsync(wanted, resource, asked, from, most, cancellation);
        if (fetched.IsCut)
        {
            var limit = ApiLists.MostRecords.ToString("#,##0", CultureInfo.InvariantCulture);
            throw new SourceFailedException(
                new SourceFailure(
                    FailureReason.TooCostly,
                    $"More than {limit} {wanted.Dataset.LabelInSentence} would have to be fetched. Narrow the list by something that the "
                        + "API can decide."
                )
            );
        }

        // What the API says of its own filters is looked at again: a policy may hang on it.
        var areDecided = most is not null && asked.IsUnconditional && wanted.Request.Sort.IsEmpty;
        var memory = new MemoryStatements(wanted.Dataset, fetched.Rows, areDecided);
        return new FetchedLook(memory, wanted.Request, most is null ? null : fetched, from);
    }

    public async Task<Writing> WriteAsync(Dataset dataset, IReadOnlyCollection<Change> changes, CancellationToken cancellation)
    {
        var resource = Of(dataset);
        var keys = changes
            .Select(change =>
                change switch
                {
                    Change.Update update => update.Key,
                    Change.Delete delete => delete.Key,
                    _ => null,
                }
            )
            .OfType<RecordKey>()
            .Distinct()
            .ToArray();
        var request = ReadRequest.Of(dataset, keys);
        var wanted = new Wanted(dataset, request, new Filter.Everything(), IsPage: false, null) { IsFresh = true };
        List<object?[]> rows = [];
        if (keys.Length > 0)
        {
            // One by one where the API gives single records, for few; else the list.
            if (resource.One is not null && keys.Length <= ApiAsked.MostValues)
            {
                foreach (var key in keys)
                {
                    rows.AddRange((await _lists.OneAsync(wanted, resource, key, cancellation)).Rows);
                }
            }
            else
            {
                rows = (await _lists.ReadAsync(wanted, resource, ApiAsked.Of(wanted, resource), 0, null, cancellation)).Rows;
            }
        }

        return new Writing(MemoryTable.Engine, await MemoryTable.OpenAsync(dataset, rows, cancellation))
        {
            Carry = (saved, token) => CarryAsync(dataset, resource, saved, token),
        };
    }

    public async Task PingAsync(CancellationToken cancellation)
    {
        var request = resources.IsEmpty ? new ApiRequest { Method = "GET", Path = "" } : resources[0].List;
        var call = new ApiCall(request) { Query = ApiLists.FirstPage(resources.FirstOrDefault()) };
        var answer = await calls.SendAsync(call, cancellation);

        // Without a request that is known, whatever the API says at its base address shows that it is there.
        if (answer.Failure is { } failure && (!resources.IsEmpty || answer.Status is 401 or 403))
        {
            throw new ApiException(failure, answer.Status);
        }
    }

    public Task<SourceStructure> ReadStructureAsync(bool withValues, CancellationToken cancellation) =>
        Task.FromResult(
            new SourceStructure([
                .. resources.Select(resource => resource.AsTable()).OrderBy(table => table.Name.Name, StringComparer.Ordinal),
            ])
        );

    public async Task<RelationEvidence> WeighAsync(RelationCandidate candidate, CancellationToken cancellation)
    {
        async Task<HashSet<string>> ValuesAsync(TableName table, string column)
        {
            var resource = resources.First(one => one.Name == table.Name);
            var field = resource.Fields.First(one => one.Name == column);
            var records = await _lists.RecordsAsync(resource, [], 0, null, null, cancellation);
            return [.. records.Records.Select(record => ApiValues.Text(ApiValues.Read(record, field))).Where(text => text.Length > 0)];
        }

        var values = await ValuesAsync(candidate.From, candidate.Column);
        var targets = await ValuesAsync(candidate.Target, candidate.TargetColumn);
        return new RelationEvidence(candidate, values.Count, values.Count(targets.Contains));
    }

    public bool IsExpected(Exception exception) => IsOfTheApi(exception);

    /// <summary>Whether an exception is the API's or the network's.</summary>
    public static bool IsOfTheApi(Exception exception) =>
        exception is ApiException or HttpRequestException or IOException or TimeoutException or AddressRefusedException;

    public SourceFailure FailureOf(Exception exception) => Failure(calls, exception);

    /// <summary>What went wrong, in words that say what to do.</summary>
    public static SourceFailure Failure(HttpCalls calls, Exception exception)
    {
        var host = Uri.TryCreate(calls.Address, UriKind.Absolute, out var address) ? address.Host : calls.Address;
        return exception switch
        {
            ApiException api => api.Failure,
            AddressRefusedException refused => Refused(refused),
            HttpRequestException { InnerException: AddressRefusedException refused } => Refused(refused),
            HttpRequestException { HttpRequestError: HttpRequestError.NameResolutionError } => new SourceFailure(
                FailureReason.UnknownHost,
                $"No machine is known by the name “{host}”. Check its spelling."
            ),
            HttpRequestException { HttpRequestError: HttpRequestError.ConnectionError } => new SourceFailure(
                FailureReason.Refused,
                $"Nothing answers at “{calls.Address}”. Check the address, and whether the service runs."
            ),
            HttpRequestException { HttpRequestError: HttpRequestError.SecureConnectionError } => new SourceFailure(
                FailureReason.Other,
                $"No secure connection to “{host}”: its certificate is not trusted or does not fit the name."
            ),
            _ => new SourceFailure(FailureReason.Other, $"The connection to “{host}” broke. Try again."),
        };
    }

    private static SourceFailure Refused(AddressRefusedException refused) =>
        new(
            FailureReason.NoRight,
            $"“{refused.Host}” belongs to this machine's own surroundings (link-local or metadata): no request goes there unless the "
                + "administrator allows it."
        );

    private ApiResource Of(Dataset dataset) =>
        resources.FirstOrDefault(resource => resource.Name == dataset.Table.Name)
        ?? throw new ApiException(
            new SourceFailure(FailureReason.StructureChanged, $"The requests for {dataset.LabelInSentence} were removed.")
        );

    // The rows of a page, and one more that tells whether there are others.
    private static (int From, int? Most) Stretch(PageWindow window) =>
        FetchedLook.Offset(window) is var offset && offset < ApiLists.MostRecords ? ((int)offset, window.Limit + 1) : (0, null);

    private async Task<(ImmutableArray<SavedChange> Made, SaveResult? Refusal)> CarryAsync(
        Dataset dataset,
        ApiResource resource,
        ImmutableArray<SavedChange> saved,
        CancellationToken cancellation
    )
    {
        var made = ImmutableArray.CreateBuilder<SavedChange>();
        foreach (var change in saved)
        {
            var (request, values, key) = change.Applied switch
            {
                Change.Insert insert => (resource.Create, insert.Values, null),
                Change.Restore restore => (resource.Create, restore.Values, null),
                Change.Update update => (resource.Update, update.Values, update.Key),
                Change.Delete delete => (resource.Delete, FieldValues.None, (RecordKey?)delete.Key),
                _ => throw new InvalidOperationException("unknown change"),
            };
            if (request is null)
            {
                return (made.ToImmutable(), new SaveResult.Denied($"The API has no request for that on {dataset.LabelInSentence}."));
            }

            ApiAnswer answer;
            try
            {
                var call = new ApiCall(request) { Filled = ApiLists.Filled(dataset, values, key), Sent = Sent(dataset, resource, values) };
                answer = await calls.SendAsync(call, cancellation);
            }
            catch (Exception exception) when (IsExpected(exception))
            {
                // Nobody knows whether it arrived.
                return (made.ToImmutable(), new SaveResult.Uncertain(FailureOf(exception) with { IsUncertain = true }));
            }
            finally
            {
                _lists.Forget();
            }

            if (answer.Status is 400 or 409 or 422)
            {
                return (made.ToImmutable(), Refused(dataset, answer));
            }

            if (answer.Failure is { } failure)
            {
                return (made.ToImmutable(), new SaveResult.Failed(failure));
            }

            made.Add(change is { Applied: Change.Insert or Change.Restore } ? WithKey(dataset, resource, change, answer) : change);
        }

        return (made.ToImmutable(), null);
    }

    private SaveResult.Invalid Refused(Dataset dataset, ApiAnswer answer) =>
        new([
            new FieldProblem(
                null,
                calls.Answers.Said(answer.Json) is { Length: > 2 } said
                    ? $"The API refuses it: {said[2..]}."
                    : $"The API refuses this {dataset.RecordLabel} ({answer.Status.ToString(CultureInfo.InvariantCulture)})."
            ),
        ]);

    // The key that the API gave the new record.
    private static SavedChange WithKey(Dataset dataset, ApiResource resource, SavedChange change, ApiAnswer answer)
    {
        if (answer.Json is not { } json || JsonPointer.At(json, resource.Item) is not { ValueKind: JsonValueKind.Object } record)
        {
            return change;
        }

        var key = dataset
            .Key.Select(name => ApiLists.FieldOf(dataset[name], resource) is { } field ? ApiValues.Read(record, field) : null)
            .ToArray();
        return key.Any(value => value is null or Unreadable)
            ? change
            : change with
            {
                Key = new RecordKey([.. key!]),
                Inverse = change.Inverse is Change.Delete delete ? delete with { Key = new RecordKey([.. key!]) } : change.Inverse,
            };
    }

    private static JsonObject Sent(Dataset dataset, ApiResource resource, FieldValues values)
    {
        var document = new JsonObject();
        foreach (var (name, value) in values)
        {
            if (resource.Fields.FirstOrDefault(field => field.Name == dataset[name].Column) is not { ReadOnly: false } field)
            {
                continue;
            }

            var here = document;
            var parts = JsonPointer.Parts(field.Pointer);
            foreach (var part in parts[..^1])
            {
                here = (JsonObject)(here[part] ??= new JsonObject());
            }

            here[parts[^1]] = ApiValues.Json(value, field.AsText);
        }

        return document;
    }

    public void Dispose() => calls.Dispose();

    public ValueTask DisposeAsync()
    {
        calls.Dispose();
        return ValueTask.CompletedTask;
    }
}
